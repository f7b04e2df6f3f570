package server_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/proof/short"
	"klammer/server"
)

// behind starts a real nginx before a server, with the lines that it is given, and gives its
// address. Its workers run as a user of the system's, as they do where it is installed.
func behind(t *testing.T, base, lines string) string {
	program, err := exec.LookPath("nginx")
	if err != nil || os.Geteuid() != 0 {
		t.Skip("this needs nginx, and root: apt-get install nginx-light (./run test does)")
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	at := l.Addr().String()
	l.Close()
	dir, err := os.MkdirTemp("", "klammer-nginx-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	lines = strings.ReplaceAll(lines, "http://127.0.0.1:8080", base)
	lines = regexp.MustCompile(`(?m)^\s*ssl_.*\n`).ReplaceAllString(strings.Replace(lines, "listen 443 ssl", "listen "+at, 1), "") // what is tried is the rest
	conf := filepath.Join(dir, "nginx.conf")
	require.NoError(t, os.WriteFile(conf, []byte("user www-data;\ndaemon off;\npid "+dir+"/pid;\nerror_log "+dir+"/error.log;\nevents {}\nhttp {\naccess_log off;\nclient_body_temp_path "+dir+"/body;\nproxy_temp_path "+dir+"/proxy;\nfastcgi_temp_path "+dir+"/f;\nuwsgi_temp_path "+dir+"/u;\nscgi_temp_path "+dir+"/s;\n"+lines+"\n}\n"), 0o644))
	cmd := exec.Command(program, "-c", conf, "-p", dir)
	var said strings.Builder
	cmd.Stderr = &said
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Signal(os.Interrupt); _ = cmd.Wait() })
	require.Eventually(t, func() bool {
		c, err := net.Dial("tcp", at)
		if err == nil {
			c.Close()
		}
		return err == nil
	}, 20*time.Second, 10*time.Millisecond, said.String())
	return "http://" + at
}

// nginxLines are those that docs/service.md has.
func nginxLines(t *testing.T) string {
	text, err := os.ReadFile("../docs/service.md")
	require.NoError(t, err)
	m := regexp.MustCompile("(?s)```nginx\n(.*?)```").FindSubmatch(text)
	require.NotNil(t, m)
	return string(m[1])
}

// via asks from an address of this machine.
func via(t *testing.T, from, method, url, body string, header ...string) (int, map[string]any, http.Header) {
	t.Helper()
	client := http.Client{Timeout: 20 * time.Second, Transport: &http.Transport{DialContext: (&net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(from)}}).DialContext, DisableKeepAlives: true}}
	r, err := http.NewRequest(method, url, strings.NewReader(body))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(header); i += 2 {
		if r.Header.Set(header[i], header[i+1]); header[i] == "Host" {
			r.Host = header[i+1]
		}
	}
	resp, err := client.Do(r)
	require.NoError(t, err)
	defer resp.Body.Close()
	v := map[string]any{}
	_ = json.NewDecoder(resp.Body).Decode(&v)
	return resp.StatusCode, v, resp.Header
}

// TestProxyWithoutAccounts: whoever reaches a proxy that stands before a server without
// accounts is told nothing, whatever the proxy passes on; who is at the machine is.
func TestProxyWithoutAccounts(t *testing.T) {
	d := open(t)
	for name, lines := range map[string]string{
		"a plain one": "server { listen 443 ssl; location / { proxy_pass http://127.0.0.1:8080; } }",
		"one that hides itself": `server { listen 443 ssl; location / { proxy_pass http://127.0.0.1:8080; proxy_http_version 1.1;
			proxy_set_header Host 127.0.0.1; proxy_set_header Connection ""; } }`,
		"as the docs have it": nginxLines(t),
	} {
		at := behind(t, d.base, lines)
		for _, path := range []string{"/api/offices", "/api/health", "/", "/assets/x.js"} {
			status, v, _ := via(t, "127.0.0.1", "GET", at+path, "", "Host", "127.0.0.1")
			require.Equal(t, 403, status, "%s %s", name, path)
			require.Contains(t, v["error"], "--accounts and --trusted-proxies", "%s %s", name, path)
		}
		status, v, _ := via(t, "127.0.0.1", "POST", fmt.Sprintf("%s/api/offices/%d/edits", at, d.office), `{"base":1,"commands":[{"lines":["rack 1: 120"]}]}`, "Host", "127.0.0.1", "Cookie", "klammer_name=Mallory")
		require.Equal(t, 403, status, v)
		status, _, _ = via(t, "127.0.0.1", "GET", at+"/livez", "", "Host", "127.0.0.1")
		require.Equal(t, 200, status, "whoever starts it again may look")
	}
	status, v := d.ask("GET", "", "")
	require.Equal(t, 200, status)
	require.EqualValues(t, 1, v["revision"])
	for _, x := range []string{"X-Forwarded-For", "Forwarded", "Via", "X-Real-Ip"} {
		status, _ := d.ask("GET", "", "", x, "192.0.2.1")
		require.Equal(t, 403, status, x)
	}
}

// TestProxy: behind a real nginx with the lines of the docs, people sign in by the name that
// they asked for; guesses are slowed by the address that they come from, and not for all;
// events come as they are told.
func TestProxy(t *testing.T) {
	short.Skip(t)
	h := newHouse(t, server.Access{Proxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")}, Host: func(name string) bool { return name == "klammer.office" }})
	robin := h.first()
	at := behind(t, h.base, nginxLines(t))
	name := []string{"Host", "klammer.office"}
	sign := func(from, who, password string, more ...string) (int, map[string]any, http.Header) {
		return via(t, from, "POST", at+"/api/sign-in", fmt.Sprintf(`{"name":%q,"password":%q}`, who, password), append(more, name...)...)
	}
	for k := range 5 { // each another name, so that the address is what counts
		status, v, _ := sign("127.0.0.66", fmt.Sprint("nobody", k), "a guess that is wrong")
		require.Equal(t, 403, status, v)
	}
	wait, err := h.st.Wait(t.Context(), "address:127.0.0.1")
	require.NoError(t, err)
	require.Zero(t, wait)
	for range 30 { // as many more, so that the wait is longer than this test
		require.NoError(t, h.st.Failed(t.Context(), 20, "address:127.0.0.66"))
	}
	status, v, _ := sign("127.0.0.66", "Robin", good)
	require.Equal(t, 429, status, v)
	status, v, _ = sign("127.0.0.66", "Robin", good, "X-Forwarded-For", "127.0.0.1, 192.0.2.7") // which anybody can write
	require.Equal(t, 429, status, v)
	status, v, got := sign("127.0.0.77", "Robin", good)
	require.Equal(t, 200, status, v)
	require.Contains(t, strings.Join(got["Set-Cookie"], " "), "__Host-klammer")
	_, v, _ = h.ask("GET", "/api/record", nil, robin...)
	require.Contains(t, fmt.Sprint(v["list"]), "127.0.0.77")

	// Another name, and a write of another site's page.
	status, v, _ = via(t, "127.0.0.77", "GET", at+"/api/offices", "", append(robin, "Host", "evil.example")...)
	require.Equal(t, 403, status, v)
	status, v, _ = via(t, "127.0.0.77", "POST", fmt.Sprintf("%s/api/offices/%d/undo", at, h.offices[0]), `{"revision":1}`, append(append(robin, name...), "Origin", "https://evil.example")...)
	require.Equal(t, 403, status, v)

	// Events.
	ctx, stop := context.WithTimeout(t.Context(), 30*time.Second)
	defer stop()
	r, err := http.NewRequestWithContext(ctx, "GET", fmt.Sprintf("%s/api/offices/%d/events", at, h.offices[0]), nil)
	require.NoError(t, err)
	r.Host = "klammer.office"
	r.Header.Set(robin[0], robin[1])
	resp, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Equal(t, "no", resp.Header.Get("X-Accel-Buffering")+map[bool]string{true: "no"}[resp.Header.Get("X-Accel-Buffering") == ""]) // nginx keeps it for itself
	lines := bufio.NewScanner(resp.Body)
	until := func(text string) {
		t.Helper()
		for lines.Scan() {
			if strings.Contains(lines.Text(), text) {
				return
			}
		}
		t.Fatalf("the stream ended before %q: %v", text, lines.Err())
	}
	until("event: at")
	until("event: beat")
	status, v, _ = h.ask("POST", fmt.Sprintf("/api/offices/%d/edits", h.offices[0]), map[string]any{"base": 1, "commands": []any{map[string]any{"lines": []string{"s 2: 20"}}}}, robin...)
	require.Equal(t, 200, status, v)
	until("event: edit")

	// A proxy that nobody named.
	other := newHouse(t)
	at = behind(t, other.base, nginxLines(t))
	status, v, _ = via(t, "127.0.0.77", "GET", at+"/api/me", "", "Host", "127.0.0.1")
	require.Equal(t, 403, status)
	require.Contains(t, v["error"], "--trusted-proxies 127.0.0.1")
}
