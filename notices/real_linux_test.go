package notices

import (
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// running starts a server of Debian's with a file of its own, waits until it listens, and ends it
// with the test.
func running(t *testing.T, program, conf, at string, args func(file, dir string) []string) (dir string) {
	t.Helper()
	path, err := exec.LookPath(program)
	if err != nil || os.Geteuid() != 0 {
		t.Skip("this needs " + program + ", and root: ./run test installs it")
	}
	dir, err = os.MkdirTemp("", "klammer-notices-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o777)) // who delivers there is another user
	t.Cleanup(func() { os.RemoveAll(dir) })
	file := filepath.Join(dir, "conf")
	require.NoError(t, os.WriteFile(file, []byte(strings.ReplaceAll(conf, "DIR", dir)), 0o600))
	ctx, stop := context.WithCancel(context.Background())
	cmd := exec.CommandContext(ctx, path, args(file, dir)...)
	cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
	cmd.WaitDelay = 10 * time.Second
	var out strings.Builder
	cmd.Stdout, cmd.Stderr = &out, &out
	require.NoError(t, cmd.Start())
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		_ = cmd.Wait()
	}()
	t.Cleanup(func() {
		stop()
		<-ended
	})
	for end := time.After(20 * time.Second); ; {
		select {
		case <-ended:
			if strings.Contains(out.String(), "already running") {
				t.Skip("this machine runs one already: " + program)
			}
			require.Fail(t, program+" ended", out.String())
		case <-end:
			require.Fail(t, program+" does not listen")
		case <-time.After(50 * time.Millisecond):
		}
		if conn, err := net.Dial("tcp", at); err == nil {
			conn.Close()
			return dir
		}
	}
}

// free is a port of this machine that nobody has.
func free(t *testing.T) int {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// TestRealMail: a real SMTP server takes the message, and what a device is called makes neither a
// header nor another letter of it.
func TestRealMail(t *testing.T) {
	at := fmt.Sprintf("127.0.0.1:%d", free(t))
	_, port, _ := net.SplitHostPort(at)
	dir := running(t, "smtpd", `table users { "@" = nobody }
listen on 127.0.0.1 port `+port+`
action "keep" maildir "DIR/mail" virtual <users>
match from any for domain "clinic.example" action "keep"
`, at, func(file, dir string) []string { return []string{"-d", "-f", file} })
	s := &Senders{Mail: SMTP{Server: at, From: "klammer@clinic.example", Plain: true}}
	require.NoError(t, s.Send(t.Context(), Target{Way: Mail, To: "ida@clinic.example"}, news("m1", harmful, "rack does not answer")))
	var letter string
	require.Eventually(t, func() bool {
		all, _ := filepath.Glob(filepath.Join(dir, "mail", "new", "*"))
		if len(all) == 1 {
			text, err := os.ReadFile(all[0])
			letter = string(text)
			return err == nil && letter != ""
		}
		return false
	}, 20*time.Second, 50*time.Millisecond)
	head, body, _ := strings.Cut(strings.ReplaceAll(letter, "\r\n", "\n"), "\n\n")
	require.Contains(t, head, "Subject: Harbour Lane Subject: x: 2 things")
	require.Contains(t, head, "Auto-Submitted: auto-generated")
	require.NotContains(t, head, "\nBcc:")
	require.Equal(t, 1, strings.Count(head, "\nSubject:")+strings.Count("\n"+head, "\nSubject:")/2)
	require.Contains(t, body, "2026-11-30 18:00  rack Bcc: all@example.com")
	require.Contains(t, body, "rack does not answer")
	// It does not relay: what it refuses is told.
	require.Error(t, s.Send(t.Context(), Target{Way: Mail, To: "x@elsewhere.example"}, news("m2", "x")))
	// A server without TLS is not given anything where TLS is asked for.
	s.Mail.Plain = false
	require.ErrorContains(t, s.Send(t.Context(), Target{Way: Mail, To: "ida@clinic.example"}, news("m3", "x")), "TLS")
	require.ErrorIs(t, (&Senders{}).Send(t.Context(), Target{Way: Mail, To: "ida@clinic.example"}, news("m4", "x")), ErrNoMail)
}

// TestRealSyslog: a real syslog server reads each part of each line, by UDP and by TCP.
func TestRealSyslog(t *testing.T) {
	at := fmt.Sprintf("127.0.0.1:%d", free(t))
	_, port, _ := net.SplitHostPort(at)
	dir := running(t, "rsyslogd", `module(load="imudp")
module(load="imtcp")
input(type="imudp" address="127.0.0.1" port="`+port+`")
input(type="imtcp" address="127.0.0.1" port="`+port+`")
template(name="parts" type="string" string="%pri%|%hostname%|%programname%|%msgid%|%msg%\n")
*.* action(type="omfile" file="DIR/out" template="parts")
`, at, func(file, dir string) []string { return []string{"-n", "-f", file, "-i", filepath.Join(dir, "pid")} })
	s := &Senders{Host: "cellar"}
	for _, way := range []string{"udp", "tcp"} {
		require.NoError(t, s.Send(t.Context(), Target{Way: Syslog, To: way + "://" + at}, news("s", harmful, way+" does not answer")))
	}
	require.Eventually(t, func() bool {
		text, _ := os.ReadFile(filepath.Join(dir, "out"))
		n := 0
		for line := range strings.Lines(string(text)) {
			if strings.HasPrefix(line, "132|cellar|klammer|") {
				n++
			}
		}
		return n == 4 && strings.Contains(string(text), "|silent|\ufeffHarbour Lane Subject: x: tcp does not answer") && strings.Contains(string(text), "udp does not answer")
	}, 20*time.Second, 50*time.Millisecond)
}
