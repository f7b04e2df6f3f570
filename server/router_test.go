package server_test

import (
	"crypto/ed25519"
	"crypto/rand"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"klammer/mishap"
)

// shellHost is a host that runs what it is asked in a real shell, in which some programs are
// others: those of a folder. It gives where it is and its key.
func shellHost(t *testing.T, programs string) (at, key string) {
	_, private, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	signer, err := ssh.NewSignerFromKey(private)
	require.NoError(t, err)
	config := &ssh.ServerConfig{PasswordCallback: func(ssh.ConnMetadata, []byte) (*ssh.Permissions, error) { return nil, nil }}
	config.AddHostKey(signer)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	var all mishap.Group
	session := func(ch ssh.NewChannel) {
		one, asked, err := ch.Accept()
		if err != nil {
			return
		}
		defer one.Close()
		for r := range asked {
			_ = r.Reply(true, nil)
			if r.Type != "exec" {
				continue
			}
			cmd := exec.Command("sh", "-c", string(r.Payload[4:]))
			cmd.Env = []string{"PATH=" + programs + ":/usr/bin:/bin"}
			cmd.Stdin, cmd.Stdout, cmd.Stderr = one, one, one.Stderr()
			status := struct{ N uint32 }{}
			if cmd.Run() != nil {
				status.N = 1
			}
			_, _ = one.SendRequest("exit-status", false, ssh.Marshal(status))
			return
		}
	}
	mishap.Go(slog.Default(), "a host", func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			all.Go(func() {
				_, channels, requests, err := ssh.NewServerConn(c, config)
				if err != nil {
					return
				}
				mishap.Go(slog.Default(), "a host's requests", func() { ssh.DiscardRequests(requests) })
				for ch := range channels {
					all.Go(func() { session(ch) })
				}
			})
		}
	})
	return l.Addr().String(), ssh.FingerprintSHA256(signer.PublicKey())
}

// TestRouterRead: a router is read by itself. What it lets pass is known then, what is
// otherwise than it was is drift, once; and ports that are read over another protocol
// afterwards say nothing new of it.
func TestRouterRead(t *testing.T) {
	dir := t.TempDir()
	put := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o755))
	}
	print := func(name, text string) { put(name+".json", text) }
	put("hostname", "#!/bin/sh\necho gate\n")
	put("id", "#!/bin/sh\necho 0\n")
	put("bridge", "#!/bin/sh\necho '[]'\n")
	put("nft", "#!/bin/sh\ncat "+dir+"/nft.json\n")
	put("cat", "#!/bin/sh\ncase $1 in /proc/sys/*) echo 1;; *) exec /bin/cat \"$@\";; esac\n")
	put("ip", `#!/bin/sh
case "$*" in
*link*) cat `+dir+`/link.json;;
*address*) cat `+dir+`/address.json;;
*-6*|*rule*) echo '[]';;
*route*) cat `+dir+`/route.json;;
esac
`)
	print("link", `[{"ifindex":2,"ifname":"lan","flags":["UP"],"operstate":"UP"},{"ifindex":3,"ifname":"lan.10","link":"lan","flags":["UP"],"linkinfo":{"info_kind":"vlan","info_data":{"id":10}}},{"ifindex":4,"ifname":"lan.20","link":"lan","flags":["UP"],"linkinfo":{"info_kind":"vlan","info_data":{"id":20}}}]`)
	print("address", `[{"ifname":"lan.10","addr_info":[{"local":"10.0.10.1","prefixlen":24,"scope":"global"}]},{"ifname":"lan.20","addr_info":[{"local":"10.0.20.1","prefixlen":24,"scope":"global"}]}]`)
	print("route", `[]`)
	rules := func(more string) string {
		return `{"nftables":[{"chain":{"family":"inet","table":"f","name":"fw","type":"filter","hook":"forward","prio":0,"policy":"drop"}},` + more +
			`{"rule":{"family":"inet","table":"f","chain":"fw","expr":[{"match":{"op":"in","left":{"ct":{"key":"state"}},"right":["established","related"]}},{"accept":null}]}}]}`
	}
	const open = `{"rule":{"family":"inet","table":"f","chain":"fw","expr":[{"match":{"op":"==","left":{"meta":{"key":"iifname"}},"right":"lan.20"}},{"match":{"op":"==","left":{"payload":{"protocol":"tcp","field":"dport"}},"right":22}},{"accept":null}]}},`
	print("nft", rules(""))
	at, key := shellHost(t, dir)
	d, _ := played(t, small, small)
	d.lines("device gate firewall", "gate forwarding routed", "gate ports wan, lan", "gate wording linux", "gate lan: [10 20]", "gate speaks ssh at "+at+" with hosts", "gate address 10 10.0.10.1/24 on lan", "gate address 20 10.0.20.1/24 on lan")
	status, v := d.ask("PUT", "/credentials", fmt.Sprintf(`{"name":"hosts","user":"root","password":"hush-hush-3","hostKey":%q}`, key))
	require.Equal(t, 200, status, v)
	read := func() map[string]any {
		status, v := d.ask("POST", "/readings", `{"devices":["gate"]}`)
		require.Equal(t, 200, status, v)
		return d.until("/readings", idle)
	}
	router := func() map[string]any {
		_, v := d.ask("GET", "/talk", "")
		return v["routers"].([]any)[0].(map[string]any)
	}
	v = read()
	told := v["devices"].([]any)[2].(map[string]any)["told"]
	require.NotNil(t, told, v["devices"])
	routing := told.(map[string]any)["routing"].(map[string]any)
	require.Contains(t, fmt.Sprint(routing["lines"]), "address 10 10.0.10.1/24 on lan")
	require.Empty(t, routing["differs"], routing)
	require.Equal(t, "read", router()["known"])
	require.Contains(t, router()["text"], "as planned, read by ssh at "+at)
	require.Empty(t, v["drift"], v)

	print("nft", rules(open))
	print("route", `[{"dst":"10.0.77.0/24","gateway":"10.0.20.9","dev":"lan.20"}]`)
	v = read()
	drift := fmt.Sprint(v["drift"])
	require.Contains(t, drift, "gate lets tcp/22 pass from guests to staff, and did not before")
	require.Contains(t, drift, "gate has the route 10.0.77.0/24 via 10.0.20.9, and did not before")
	require.Contains(t, fmt.Sprint(router()["differs"]), "gate lets tcp/22 pass from guests to staff, and should not")
	n := len(v["drift"].([]any))
	v = read()
	require.Len(t, v["drift"], n, "that is known")
	status, v = d.found(map[string]any{"device": "gate", "text": "wan: -", "keep": true})
	require.Equal(t, 200, status, v)
	require.Equal(t, "read", router()["known"])

	print("nft", "no JSON")
	v = read()
	require.Contains(t, fmt.Sprint(v["devices"]), "nft -j list ruleset cannot be read")
	require.Contains(t, router()["text"], "but for its rules: they are as planned; nobody has looked")
}
