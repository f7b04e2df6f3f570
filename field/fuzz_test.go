package field

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"net"
	"strings"
	"testing"
	"time"
	"unicode"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/require"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/field/mib"
	"klammer/mishap"
)

// Every reader of devices is given what a device might say that lies, or is broken: whatever
// it is, nothing panics, and of a reading that is taken everything is as [Reading.believe]
// promises, and stays so through all that is made of it.

// taken holds a reading against what is promised of it, and makes of it what the server does.
func taken(t *testing.T, r *Reading, err error) {
	t.Helper()
	var fault *mishap.Fault
	if errors.As(err, &fault) {
		t.Fatalf("%v\n%s", fault.What, fault.Stack)
	}
	if err != nil {
		shows(t, err.Error())
		require.LessOrEqual(t, len([]rune(err.Error())), mostSaid+100)
		return
	}
	require.LessOrEqual(t, len(r.Ports), mostFront)
	vid := func(v office.VID) { _, err := office.VIDOf(int(v)); require.NoError(t, err) }
	for _, p := range r.Ports {
		shows(t, p.Name, p.Alias, p.Descr)
		for _, m := range p.Members {
			require.True(t, m >= 0 && m < len(r.Ports))
		}
		for _, s := range []office.Set{p.Set.Untagged, p.Set.Tagged} {
			for v := range s.All() {
				vid(v)
			}
		}
		if p.Set.PVID != 0 {
			vid(p.Set.PVID)
		}
	}
	for _, v := range r.VLANs {
		vid(v.VID)
	}
	for _, l := range r.Learnt {
		vid(l.VID)
		require.True(t, l.Port >= 0 && l.Port < len(r.Ports))
	}
	for _, n := range r.Neighbours {
		shows(t, n.Device, n.RemotePort)
		require.True(t, n.Port >= 0 && n.Port < len(r.Ports))
	}
	shows(t, r.Name, r.About)
	shows(t, r.Trouble...)
	shows(t, r.Addresses...)
	for _, d := range looked.Devices {
		m := MatchPorts(d, r)
		text, err := json.Marshal(r.Telling(looked, d, m))
		require.NoError(t, err)
		require.Less(t, len(text), 4*MostBytes)
		n := span.Compile(looked)
		base := wording.Planned(n, n.Topo.DeviceIndex(d.Name))
		is := r.Found(looked, d, m, base).State
		for p := range d.Ports {
			if d.Ports[p].Bundle == 0 {
				_ = notation.Shape(is.Ports[p].Shape())
			}
		}
	}
	_ = Propose(looked, []Read{{Reading: r}})
}

// shows says that texts can be shown anywhere.
func shows(t *testing.T, all ...string) {
	t.Helper()
	for _, s := range all {
		for _, c := range s {
			require.False(t, unicode.IsControl(c) || unicode.Is(unicode.Cf, c), "%q", s)
		}
	}
}

// looked is the office that readings are held against.
var looked = func() *office.Office {
	f, err := notation.Read("office", `vlan 10 staff
vlan 20 guests
device a switch
  ports 1-4
  1: 10 [20]
  bundle up lacp 3-4
  up: [10 20]
device b host
  ports eth0 1G, br0, p0
  inner web vm: 10
`)
	if err != nil {
		panic(err)
	}
	return f.Office
}()

// scripted is a connection at whose other end somebody says something, whatever he is told.
type scripted struct {
	net.Conn
	says  io.Reader
	told  func(p []byte)
	close bool
}

func (s *scripted) Read(p []byte) (int, error) {
	if s.close {
		return 0, net.ErrClosed
	}
	return s.says.Read(p)
}

func (s *scripted) Write(p []byte) (int, error) {
	if s.told != nil {
		s.told(bytes.Clone(p))
	}
	return len(p), nil
}
func (s *scripted) Close() error                     { s.close = true; return nil }
func (s *scripted) SetDeadline(time.Time) error      { return nil }
func (s *scripted) SetReadDeadline(time.Time) error  { return nil }
func (s *scripted) SetWriteDeadline(time.Time) error { return nil }

func FuzzOVSDB(f *testing.F) {
	const head = `{"id":1,"error":null,"result":[{"rows":[{"name":"a","ports":["set",[["uuid","p1"],["uuid","p2"]]]}]},{"rows":[`
	const tail = `]},{"rows":[{"_uuid":["uuid","i1"],"name":"1","link_state":"up","link_speed":1000000000},{"_uuid":["uuid","i2"],"name":"2","type":"internal"}]}]}`
	for _, ports := range []string{
		`{"_uuid":["uuid","p1"],"name":"1","tag":10,"trunks":["set",[]],"vlan_mode":"access","interfaces":["uuid","i1"]}`,
		`{"_uuid":["uuid","p1"],"name":"1","tag":5000,"trunks":["set",[10,4096,-5]],"vlan_mode":["set",[]],"interfaces":["set",[["uuid","i1"],["uuid","i2"]]]}`,
		`{"_uuid":["uuid","p1"],"name":"1","tag":-5,"trunks":9999,"vlan_mode":"native-tagged","interfaces":["uuid","i1"]}`,
		`{"_uuid":["uuid","p1"],"name":"1","tag":4095,"trunks":["set",[0,4095]],"vlan_mode":"trunk","interfaces":["uuid","i1"]}`,
		`{"_uuid":["uuid","p1"],"name":"\u001b[31m","tag":18446744073709551615,"trunks":["set",[1,2]]}`,
	} {
		f.Add([]byte(head + ports + tail))
	}
	f.Add([]byte(`{"id":1,"error":"` + strings.Repeat("\\u001b[2J", 50) + `","result":null}`))
	f.Add([]byte(`{"method":"echo","params":[],"id":"echo"}{"id":1,"error":null,"result":[{"error":"x","details":"y"}]}`))
	f.Fuzz(func(t *testing.T, said []byte) {
		db := overOVSDB(&scripted{says: bytes.NewReader(said)}, "tcp:192.0.2.1:6640", "a")
		r, err := (&bounded{Device: db, line: db.line}).Read(t.Context())
		taken(t, r, err)
	})
}

func FuzzHost(f *testing.F) {
	newMark = func() string { return "=" }
	file, err := notation.Read("fuzz", "vlan 5 staff net 192.0.2.0/24\ndevice b firewall\n  forwarding routed\n  ports eth0, eth1\n  eth0: [5]\n  wording linux\n  address 5 192.0.2.1/24 on eth0\n  outside line on eth1 203.0.113.2/29 via 203.0.113.1\n")
	require.NoError(f, err)
	o := file.Office
	f.Add([]byte("=dnsmasq 7\ndnsmasq\n-C\n/etc/d.conf\n=/etc/d.conf\ndhcp-range=set:a,192.0.2.10,192.0.2.99,1h\ndhcp-option=tag:a,3,192.0.2.3\nconf-dir=/etc/d"), []byte(`[{"ifindex":2,"ifname":"eth0.5","link":"eth0","flags":["UP"],"linkinfo":{"info_kind":"vlan","info_data":{"id":5}}}]`), []byte(`[{"table":"77"}]`),
		[]byte(`[{"dst":"default","gateway":"192.0.2.1","dev":"eth0.5"}]`), []byte(`[{"ifname":"eth0.5","addr_info":[{"local":"192.0.2.1","prefixlen":24,"scope":"global"},{"local":"192.0.2.9","prefixlen":24,"scope":"global"}]}]`))
	f.Add([]byte("b\n"), []byte(`[{"ifindex":2,"ifname":"eth0","flags":["UP"],"operstate":"UP","master":"br0","linkinfo":{"info_slave_kind":"bridge"}},{"ifindex":3,"ifname":"br0","linkinfo":{"info_kind":"bridge","info_data":{"vlan_filtering":0}}}]`),
		[]byte(`[{"ifname":"eth0","vlans":[{"vlan":1,"flags":["PVID","Egress Untagged"]},{"vlan":10,"vlanEnd":20},{"vlan":5000},{"vlan":-5,"vlanEnd":4096}]}]`),
		[]byte(`[{"mac":"02:00:00:00:00:01","ifname":"eth0","vlan":10,"flags":[],"state":""}]`),
		[]byte(`[{"ifname":"eth0","addr_info":[{"local":"192.0.2.1","prefixlen":24,"scope":"global"},{"local":"::1","prefixlen":-1,"scope":"global"}]}]`))
	f.Add([]byte("\x1b[31m"), []byte(`[{"ifname":"eth0","linkinfo":{"info_slave_kind":"bond"},"master":"eth0"}]`), []byte(`[{"ifname":"eth0","vlans":[{"vlan":1,"vlanEnd":4094},{"vlan":1,"vlanEnd":4094}]}]`), []byte(`{}`), []byte(``))
	f.Fuzz(func(t *testing.T, name, links, vlans, fdb, addresses []byte) {
		prints := map[string][]byte{"cat /proc/sys/net/ipv4/ip_forward": []byte("1"), "ip -json route show": fdb, "ip -json rule show": vlans, "nft -j list ruleset": fdb, askServers("="): name, "hostname": name, "ip -json -details link show": links, "bridge -json vlan show": vlans, "bridge -json fdb show": fdb, "ip -json address show": addresses}
		var r *Reading
		var x *found.Routing // looked at outside, as a check that fails ends its goroutine
		err := newLine(&scripted{}).during(t.Context(), func(context.Context) (err error) {
			said := func(command string) ([]byte, error) {
				if strings.HasPrefix(command, "sh -c 'for f in") {
					return name, nil
				}
				return prints[command], nil
			}
			if r, err = hostReading("192.0.2.1:22", "b", said, said, nil); err == nil {
				r.believe()
				x = r.RoutingOn(o, o.Devices[0], MatchPorts(o.Devices[0], r))
			}
			return err
		})
		if x != nil {
			shows(t, append(x.Differs(o, o.Devices[0]), x.Unsaid...)...)
		}
		taken(t, r, err)
	})
}

// FuzzSNMP has an agent that answers each question with what the bytes say: which index, of
// which type, with which value; through the library that reads packets.
func FuzzSNMP(f *testing.F) {
	f.Add([]byte("\x01\x00\x01\x02\x05\x03\x04\x10\x06\x01\xff"), []byte(nil))
	f.Add(bytes.Repeat([]byte{1, 4, 2, 0xff, 0xff, 8}, 200), []byte(nil))
	f.Add(bytes.Repeat([]byte{2, 9, 1, 3, 7}, 500), []byte(nil))
	f.Add([]byte{1}, []byte("\x30\x82\xff\xff\x02\x01\x01\x04\x06public"))
	columns := []string{mib.PVID, mib.StaticEgress, mib.StaticUntagged, mib.CurrentEgress, mib.FdbPort, mib.RemPortID, mib.AttachedAggID, mib.BasePortIfIndex, mib.IfName, mib.LocPortID}
	f.Fuzz(func(t *testing.T, plan, raw []byte) {
		g := &gosnmp.GoSNMP{Target: "192.0.2.1", Port: 161, Transport: "udp", Timeout: time.Second, MaxOids: 128, MaxRepetitions: bulkRows, Version: gosnmp.Version2c, Community: "public", Context: t.Context()}
		agent := &scripted{says: bytes.NewReader(nil)}
		at := 0
		next := func() int {
			if at == len(plan) {
				return 0
			}
			at++
			return int(plan[at-1])
		}
		index := map[string]int{}
		agent.told = func(request []byte) {
			q, err := g.SnmpDecodePacket(request)
			if err != nil || len(q.Variables) == 0 {
				return
			}
			if len(raw) > 0 && next()%7 == 6 {
				agent.says = bytes.NewReader(raw)
				return
			}
			answer := &gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: "public", PDUType: gosnmp.GetResponse, RequestID: q.RequestID}
			for range max(1, min(int(q.MaxRepetitions), 40)) {
				for _, v := range q.Variables {
					base := strings.TrimPrefix(v.Name, ".")
					for _, c := range columns { // what goes on below a column
						if strings.HasPrefix(base, c+".") {
							base = c
						}
					}
					index[base] += next() % 3
					x := gosnmp.SnmpPDU{Name: "." + base}
					for range next() % 9 {
						x.Name += "." + string("0123456789"[next()%10]) + string("0123456789"[index[base]%10])
					}
					if at == len(plan) {
						x.Type = gosnmp.EndOfMibView
					} else {
						switch next() % 8 {
						case 0, 1:
							x.Type, x.Value = gosnmp.Integer, (next()-100)*(1+next()*next()*next())
						case 2, 3, 4:
							n := min(next(), len(plan)-at)
							x.Type, x.Value = gosnmp.OctetString, bytes.Clone(plan[at:at+n])
							at += n
						case 5:
							x.Type, x.Value = gosnmp.Gauge32, uint32(next()<<24|next())
						case 6:
							x.Type, x.Value = gosnmp.ObjectIdentifier, "."+base
						case 7:
							x.Type, x.Value = gosnmp.Counter64, ^uint64(next())
						}
					}
					answer.Variables = append(answer.Variables, x)
				}
			}
			if text, err := answer.MarshalMsg(); err == nil {
				agent.says = bytes.NewReader(text)
			} else {
				agent.says = bytes.NewReader(nil)
			}
		}
		l := newLine(agent)
		g.Conn = l
		s := &snmp{client: g, line: l, at: "192.0.2.1:161"}
		r, err := (&bounded{Device: s, line: l}).Read(t.Context())
		taken(t, r, err)
	})
}
