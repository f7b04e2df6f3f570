package field_test

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"net"
	"runtime"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"klammer/core/office"
	"klammer/field"
	"klammer/mishap"
)

// TestLies reads devices that never end, or tell more than there can be: each costs what one
// reading may cost, and no more; what is said of it is short and can be shown; and it ends
// when nobody waits for it.
func TestLies(t *testing.T) {
	forever := func(part string) func(io.Writer) {
		chunk := []byte(strings.Repeat(part, 1+64<<10/len(part)))
		return func(w io.Writer) {
			for {
				if _, err := w.Write(chunk); err != nil {
					return
				}
			}
		}
	}
	once := func(text string) func(io.Writer) { return func(w io.Writer) { _, _ = io.WriteString(w, text) } }
	var ranges strings.Builder
	for range 400_000 {
		ranges.WriteString(`{"vlan":1,"vlanEnd":4094},`)
	}
	link := `[{"ifindex":2,"ifname":"eth0","flags":["UP"],"operstate":"UP"}]`
	for _, x := range []struct {
		name string
		at   func(t *testing.T) []office.Speaks
		says string // of why it failed; "" where it is read
	}{
		{"SSH output without end", sshHost(forever("[1,")), "sends more than 8 MB"},
		{"SSH errors without end", sshHost(nil), "sends more than 8 MB"},
		{"SSH: ranges of VLANs", sshHost(func(w io.Writer) {
			_, _ = io.WriteString(w, `[{"ifname":"eth0","vlans":[`+strings.TrimSuffix(ranges.String()[:7<<20/26*26], ",")+`]}]`)
		}, link), "more than 131072: that is not believed"},
		{"SSH: fewer ranges of VLANs", sshHost(func(w io.Writer) {
			_, _ = io.WriteString(w, `[{"ifname":"eth0","vlans":[`+strings.TrimSuffix(ranges.String()[:26*100_000], ",")+`]}]`)
		}, link), "does not print JSON"}, // the commands after it
		{"SNMP: values of 60 kB", snmpAgent(60_000), "sends more than 8 MB"},
		{"SNMP: rows without end", snmpAgent(1), "that is not believed"},
		{"OVSDB: a string without end", ovsdbServer(func(w io.Writer) { once(`{"id":1,"x":"`)(w); forever("a")(w) }), "sends more than 8 MB"},
		{"OVSDB: spaces without end", ovsdbServer(forever(" ")), "sends more than 8 MB"},
		{"OVSDB: messages without end", ovsdbServer(forever(`{"id":7,"result":[{"rows":[{},{},{}]}]}`)), "sends more than 8 MB"},
		{"OVSDB: an error of 5 MB", ovsdbServer(once(`{"id":1,"error":"` + strings.Repeat("\\u001b[31mfault ", 300_000) + `","result":null}`)), "refuses"},
		{"OVSDB: 20,000 bridges", ovsdbServer(once(`{"id":1,"error":null,"result":[{"rows":[` + strings.Repeat(`{"name":"br\u001b[2J0"},`, 20_000) + `{"name":"last"}]},{"rows":[]},{"rows":[]}]}`)), "has no bridge a"},
		{"OVSDB: nothing but rows", ovsdbServer(once(`{"id":1,"error":null,"result":[{"rows":[` + strings.Repeat(`{},`, 2_000_000) + `{}]},{"rows":[]},{"rows":[]}]}`)), "that is not believed"},
	} {
		t.Run(x.name, func(t *testing.T) {
			ways := x.at(t)
			dial := field.Dialer{Secrets: secretsOf(t)}
			d := &office.Device{Name: "a", Speaks: ways}
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			cpu, start := cpuTime(), time.Now()
			_, _, err := dial.Talk(t.Context(), &office.Office{Devices: []*office.Device{d}}, d)
			runtime.ReadMemStats(&after)
			t.Logf("%3d MB made, %.2f s of CPU, %.2f s (with the liar's own)", (after.TotalAlloc-before.TotalAlloc)>>20, (cpuTime() - cpu).Seconds(), time.Since(start).Seconds())
			require.Error(t, err)
			var fault *mishap.Fault
			require.False(t, errors.As(err, &fault), "%v", err)
			require.Contains(t, err.Error(), x.says)
			require.Less(t, len(err.Error()), 4000)
			require.NotContains(t, err.Error(), "\x1b")
			require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(250<<20), "with what the liar itself makes")
		})
	}

	// Who opens no channel, or says nothing at all, is let go when nobody waits.
	for name, at := range map[string]func(t *testing.T) []office.Speaks{"SSH without a channel": sshHost(func(io.Writer) {}, "mute"), "OVSDB that is silent": ovsdbServer(func(io.Writer) {})} {
		t.Run(name, func(t *testing.T) {
			d := &office.Device{Name: "a", Speaks: at(t)}
			ctx, stop := context.WithCancel(t.Context())
			ended := make(chan error, 1)
			go func() {
				_, _, err := field.Dialer{Secrets: secretsOf(t)}.Talk(ctx, &office.Office{Devices: []*office.Device{d}}, d)
				ended <- err
			}()
			select {
			case err := <-ended:
				t.Fatalf("it ended by itself: %v", err)
			case <-time.After(300 * time.Millisecond): // it waits
			}
			stop()
			select {
			case err := <-ended:
				require.Error(t, err)
			case <-time.After(20 * time.Second):
				t.Fatal("stopped, and it goes on")
			}
		})
	}
}

func cpuTime() time.Duration {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

var hostKey = func() ssh.Signer {
	_, key, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		panic(err)
	}
	s, err := ssh.NewSignerFromKey(key)
	if err != nil {
		panic(err)
	}
	return s
}()

func secretsOf(*testing.T) field.Secrets {
	return func(string) (*field.Credentials, error) {
		return &field.Credentials{User: "root", Password: "hush-hush", HostKey: ssh.FingerprintSHA256(hostKey.PublicKey())}, nil
	}
}

// sshHost is a host that answers its commands with some texts, the last for all that follow;
// after them it says something. Where that is nil it says it on standard error; "mute" opens
// no channel.
func sshHost(says func(io.Writer), texts ...string) func(t *testing.T) []office.Speaks {
	return func(t *testing.T) []office.Speaks {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { l.Close() })
		config := &ssh.ServerConfig{PasswordCallback: func(ssh.ConnMetadata, []byte) (*ssh.Permissions, error) { return nil, nil }}
		config.AddHostKey(hostKey)
		go func() {
			c, err := l.Accept()
			if err != nil {
				return
			}
			defer c.Close()
			_, channels, requests, err := ssh.NewServerConn(c, config)
			if err != nil {
				return
			}
			go ssh.DiscardRequests(requests)
			var sessions atomic.Int32
			for ch := range channels {
				if len(texts) == 1 && texts[0] == "mute" {
					continue
				}
				one, asked, err := ch.Accept()
				if err != nil {
					return
				}
				n := int(sessions.Add(1))
				go func() {
					for r := range asked {
						if r.Type != "exec" {
							_ = r.Reply(true, nil)
							continue
						}
						_ = r.Reply(true, nil)
						go func() {
							defer one.Close()
							if strings.HasSuffix(string(r.Payload), "sh -s") { // it is asked one by one
								sessions.Add(-1)
								_, _ = one.SendRequest("exit-status", false, ssh.Marshal(struct{ N uint32 }{127}))
								return
							}
							switch {
							case n == 1:
								_, _ = io.WriteString(one, "a\n")
							case n-2 < len(texts):
								_, _ = io.WriteString(one, texts[n-2])
							case says == nil:
								for {
									if _, err := one.Stderr().Write(bytes.Repeat([]byte("x"), 32<<10)); err != nil {
										return
									}
								}
							case n-2 > len(texts):
								_, _ = io.WriteString(one, "no JSON")
							default:
								says(one)
							}
							_, _ = one.SendRequest("exit-status", false, ssh.Marshal(struct{ N uint32 }{0}))
						}()
					}
				}()
			}
		}()
		return []office.Speaks{{Protocol: office.SSH, At: l.Addr().String(), With: "hosts"}}
	}
}

func ovsdbServer(says func(io.Writer)) func(t *testing.T) []office.Speaks {
	return func(t *testing.T) []office.Speaks {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { l.Close() })
		go func() {
			c, err := l.Accept()
			if err != nil {
				return
			}
			defer c.Close()
			go says(c)
			_, _ = io.Copy(io.Discard, c)
		}()
		return []office.Speaks{{Protocol: office.OVSDB, At: "tcp:" + l.Addr().String()}}
	}
}

// snmpAgent is one whose tables do not end: each value is of so many bytes.
func snmpAgent(size int) func(t *testing.T) []office.Speaks {
	return func(t *testing.T) []office.Speaks {
		c, err := net.ListenPacket("udp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { c.Close() })
		value := bytes.Repeat([]byte("v"), size)
		codec := &gosnmp.GoSNMP{Version: gosnmp.Version2c, Community: "public"}
		go func() {
			buf := make([]byte, 64<<10)
			n := 0
			for {
				k, from, err := c.ReadFrom(buf)
				if err != nil {
					return
				}
				q, err := codec.SnmpDecodePacket(buf[:k])
				if err != nil {
					continue
				}
				p := &gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: "public", PDUType: gosnmp.GetResponse, RequestID: q.RequestID}
				rows := 1
				if size == 1 {
					rows = 200
				}
				if q.PDUType == gosnmp.GetRequest {
					p.Variables = []gosnmp.SnmpPDU{{Name: q.Variables[0].Name, Type: gosnmp.OctetString, Value: []byte("about")}}
				} else {
					column := "." + strings.Join(strings.Split(strings.TrimPrefix(q.Variables[0].Name, "."), ".")[:10], ".")
					for range rows {
						n++
						p.Variables = append(p.Variables, gosnmp.SnmpPDU{Name: fmt.Sprintf("%s.%d", column, n), Type: gosnmp.OctetString, Value: value})
						for _, v := range q.Variables[1:] {
							p.Variables = append(p.Variables, gosnmp.SnmpPDU{Name: v.Name, Type: gosnmp.EndOfMibView})
						}
						if len(q.Variables) > 1 {
							break
						}
					}
				}
				text, err := p.MarshalMsg()
				if err == nil {
					_, _ = c.WriteTo(text, from)
				}
			}
		}()
		return []office.Speaks{{Protocol: office.SNMP, At: c.LocalAddr().String()}}
	}
}
