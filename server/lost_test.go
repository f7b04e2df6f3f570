package server_test

import (
	"context"
	"fmt"
	"log/slog"
	"net"
	neturl "net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/proof/short"
	"klammer/secrets"
	"klammer/server"
	"klammer/store"
	"klammer/store/cluster/clustertest"
)

// cutter passes what goes between a server and its database, until it cuts it off.
type cutter struct {
	net.Listener
	mu    sync.Mutex
	to    string
	left  int  // parts that still pass one way; -1 for all
	back  bool // which way they are counted: what the database answers
	conns map[net.Conn]bool
}

func newCutter(t *testing.T, to string) *cutter {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	c := &cutter{Listener: l, to: to, left: -1, conns: map[net.Conn]bool{}}
	t.Cleanup(func() { l.Close(); c.cut() })
	go func() {
		for {
			in, err := l.Accept()
			if err != nil {
				return
			}
			out, err := net.Dial("tcp", to)
			if err != nil || !c.keeps(in, out) {
				in.Close()
				continue
			}
			go c.pass(in, out, false)
			go c.pass(out, in, true)
		}
	}()
	return c
}

func (c *cutter) keeps(all ...net.Conn) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.left == 0 {
		return false
	}
	for _, x := range all {
		c.conns[x] = true
	}
	return true
}

func (c *cutter) pass(from, to net.Conn, back bool) {
	buf := make([]byte, 64<<10)
	for {
		n, err := from.Read(buf)
		if err != nil {
			to.Close()
			return
		}
		c.mu.Lock()
		if c.left > 0 && c.back == back {
			c.left--
		}
		over := c.left == 0
		c.mu.Unlock()
		if over {
			c.cut()
			return
		}
		if _, err := to.Write(buf[:n]); err != nil {
			from.Close()
			return
		}
	}
}

// after cuts everything off when so many parts have gone one way; the last does not arrive.
func (c *cutter) after(parts int, back bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.left, c.back = parts, back
}

func (c *cutter) cut() {
	c.mu.Lock()
	defer c.mu.Unlock()
	for x := range c.conns {
		x.Close()
	}
	clear(c.conns)
}

// TestNothingWasChanged cuts the server off from its database at each moment of each kind of
// write, on either way: where it says that nothing was changed nothing was, and where a
// request has a name it is done once, when it is asked again.
func TestNothingWasChanged(t *testing.T) {
	short.Skip(t)
	own := clustertest.New(t, url)
	u, err := neturl.Parse(own)
	require.NoError(t, err)
	c := newCutter(t, u.Host)
	u.Host = c.Addr().String()
	st, err := store.Open(t.Context(), u.String())
	require.NoError(t, err)
	f, err := notation.Read("office", strings.Replace(small, "device a switch", "device a switch\n  speaks snmp at 127.0.0.1:1", 1))
	require.NoError(t, err)
	d := desk{t: t, name: "Robin"}
	d.office, err = st.Import(t.Context(), f.Office, store.Note{Author: "klammer", Summary: "first"})
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	srv := server.New(ctx, st, slog.New(slog.DiscardHandler))
	key, err := secrets.New([]byte(strings.Repeat("k", 32)))
	require.NoError(t, err)
	srv.SpeakTo(server.Field{Key: key})
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ended := make(chan struct{})
	go func() { _ = srv.Serve(l); close(ended) }()
	t.Cleanup(func() { stop(); <-ended; st.Close() })
	d.base = "http://" + l.Addr().String()
	conn, err := pgx.Connect(t.Context(), own)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	digest := digests(t, conn)
	revision := func() (n int64) {
		require.NoError(t, conn.QueryRow(t.Context(), "SELECT revision FROM office WHERE id = $1", d.office).Scan(&n))
		return n
	}

	n := 0
	said, unsure := 0, 0
	for _, x := range []struct {
		method, path string
		body         func() string
		named        bool
	}{
		{"POST", "/edits", func() string {
			return fmt.Sprintf(`{"base":%d,"id":"edit %d","commands":[{"lines":["a 4: %d"]}]}`, revision(), n, 100+n)
		}, true},
		{"POST", "/edits", func() string {
			return fmt.Sprintf(`{"base":%d,"id":"idle %d","commands":[{"lines":["a 1: 10"]}]}`, revision(), n)
		}, true},
		{"POST", "/undo", func() string { return fmt.Sprintf(`{"revision":%d,"id":"undo %d"}`, revision(), n) }, true},
		{"POST", "/restore", func() string { return fmt.Sprintf(`{"revision":%d,"id":"restore %d"}`, revision()-1, n) }, true},
		{"POST", "/found", func() string { return fmt.Sprintf(`{"device":"a","text":"1: %d","keep":true}`, 100+n) }, false},
		{"PUT", "/ticks", func() string { return fmt.Sprintf(`{"device":"a","step":"step %d","on":true}`, n) }, false},
		{"PUT", "/readings/every", func() string { return fmt.Sprintf(`{"minutes":%d}`, 1000+n) }, false},
		{"PUT", "/round/results", func() string {
			return fmt.Sprintf(`{"port":"a.1","wire":0,"became":"passed","note":"%d","revision":%d}`, n, revision())
		}, false},
		{"PUT", "/credentials", func() string { return `{"name":"first","community":"hush-hush"}` }, false},
		{"POST", "/tokens", func() string { return fmt.Sprintf(`{"name":"t%d","days":1}`, n) }, false},
		{"POST", "/orders", func() string { return `{"from":"revision","revision":1}` }, false},
	} {
		for _, back := range []bool{false, true} {
			for parts := 1; ; parts++ {
				n++
				_, _ = conn.Exec(t.Context(), "DELETE FROM token")
				body := x.body()
				before, at := digest(), revision()
				c.after(parts, back)
				status, v := d.ask(x.method, x.path, body)
				c.after(-1, false)
				what := fmt.Sprintf("%s %s cut off after %d parts, %v: %d %v", x.method, x.path, parts, back, status, v["error"])
				if status == 200 {
					break // it was done before it was cut off
				}
				require.Contains(t, []int{503, 400}, status, what)
				settled(t, conn)
				if v["unsure"] == true {
					unsure++
				} else {
					said++
					require.Equal(t, before, digest(), "%s: it is said that nothing was changed", what)
				}
				require.Eventually(t, func() bool { status, _ := d.ask("GET", "", ""); return status == 200 }, 10*time.Second, 5*time.Millisecond)
				if x.named { // once, however often it is asked
					for range 2 {
						require.Eventually(t, func() bool { // it may be sent over what was cut off
							status, v = d.ask(x.method, x.path, strings.Replace(body, "{", `{"again":true,`, 1))
							require.True(t, status == 200 || status == 503 && v["unsure"] == true, "%s: %d %v", what, status, v)
							return status == 200
						}, 10*time.Second, 5*time.Millisecond)
					}
					require.LessOrEqual(t, revision(), at+1, what)
				}
				require.Less(t, parts, 200, what)
			}
		}
	}
	t.Logf("%d writes were cut off: of %d it was said that nothing was changed, of %d that nobody knows", said+unsure, said, unsure)
}

// settled waits until the database has no transaction of the server's any more: what was cut
// off is done, or undone.
func settled(t *testing.T, conn *pgx.Conn) {
	require.Eventually(t, func() bool {
		var busy int
		err := conn.QueryRow(t.Context(), "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() AND (state <> 'idle' OR xact_start IS NOT NULL)").Scan(&busy)
		return err == nil && busy == 0
	}, 20*time.Second, 5*time.Millisecond)
}
