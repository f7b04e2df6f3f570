package server

import (
	"crypto/tls"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// TestCertificate: one's own is read again when it changes; the one that is made is made
// again where it lacks a name; what is wrong with a pair is said.
func TestCertificate(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	log := slog.New(slog.DiscardHandler)
	c, err := SelfMade(at("a.crt"), at("a.key"), []string{"localhost", "192.0.2.7"}, log)
	require.NoError(t, err)
	require.True(t, c.Host("localhost"))
	require.True(t, c.Host("192.0.2.7"))
	require.False(t, c.Host("klammer.office"))
	info, err := os.Stat(at("a.key"))
	require.NoError(t, err)
	require.EqualValues(t, 0o600, info.Mode().Perm())
	again, err := SelfMade(at("a.crt"), at("a.key"), []string{"localhost"}, log)
	require.NoError(t, err)
	require.Equal(t, c.Fingerprint(), again.Fingerprint(), "it is kept")
	more, err := SelfMade(at("a.crt"), at("a.key"), []string{"localhost", "klammer.office"}, log)
	require.NoError(t, err)
	require.NotEqual(t, c.Fingerprint(), more.Fingerprint())
	require.True(t, more.Host("klammer.office"))

	// A client sees it, by TLS 1.2 or newer.
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	go func() {
		for {
			x, err := l.Accept()
			if err != nil {
				return
			}
			_ = tls.Server(x, more.Config()).Handshake()
			x.Close()
		}
	}()
	dial := func(most uint16) (*tls.Conn, error) {
		return tls.Dial("tcp", l.Addr().String(), &tls.Config{InsecureSkipVerify: true, MinVersion: tls.VersionTLS10, MaxVersion: most}) //nolint:gosec // of its own
	}
	conn, err := dial(tls.VersionTLS13)
	require.NoError(t, err)
	before := conn.ConnectionState().PeerCertificates[0].SerialNumber
	conn.Close()
	_, err = dial(tls.VersionTLS11)
	require.Error(t, err)

	// Its files change: the next one sees the other. Where they are broken, the one before goes on.
	require.NoError(t, makeCertificate(at("a.crt"), at("a.key"), []string{"localhost"}, time.Now(), time.Hour))
	later := time.Now().Add(time.Minute)
	require.NoError(t, os.Chtimes(at("a.crt"), later, later))
	more.looked = time.Time{}
	conn, err = dial(tls.VersionTLS13)
	require.NoError(t, err)
	require.NotEqual(t, before, conn.ConnectionState().PeerCertificates[0].SerialNumber)
	conn.Close()
	require.NoError(t, os.WriteFile(at("a.crt"), []byte("broken"), 0o644))
	more.looked = time.Time{}
	conn, err = dial(tls.VersionTLS13)
	require.NoError(t, err)
	conn.Close()

	require.NoError(t, makeCertificate(at("b.crt"), at("b.key"), []string{"localhost"}, time.Now(), time.Hour))
	require.NoError(t, makeCertificate(at("c.crt"), at("c.key"), []string{"localhost"}, time.Now(), time.Hour))
	require.NoError(t, makeCertificate(at("old.crt"), at("old.key"), []string{"localhost"}, time.Now().Add(-48*time.Hour), time.Hour))
	require.NoError(t, makeCertificate(at("soon.crt"), at("soon.key"), []string{"localhost"}, time.Now().Add(48*time.Hour), time.Hour))
	for _, x := range []struct {
		file, key, says string
		change          func()
	}{
		{"none.crt", "b.key", "no such file", nil},
		{"b.crt", "none.key", "no such file", nil},
		{"old.crt", "old.key", "ended on", nil},
		{"soon.crt", "soon.key", "is the clock right?", nil},
		{"b.crt", "c.key", "no certificate and its key", nil},
		{"b.crt", "b.key", "can be read by others (mode 644): chmod 600", func() { require.NoError(t, os.Chmod(at("b.key"), 0o644)) }},
	} {
		if x.change != nil {
			x.change()
		}
		_, err := LoadCertificate(at(x.file), at(x.key), log)
		require.ErrorContains(t, err, x.says)
	}
}

// TestMeters: what is measured is told, and nothing of what was asked.
func TestMeters(t *testing.T) {
	s := &Server{}
	s.measure()
	s.meters.requests.WithLabelValues("GET /api/me", "200").Observe(0.004)
	s.meters.reads.WithLabelValues("failed").Inc()
	w := httptest.NewRecorder()
	s.Metrics().ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/metrics", nil))
	for _, says := range []string{`klammer_request_seconds_count{route="GET /api/me",status="200"} 1`, `klammer_device_reads_total{result="failed"} 1`, "klammer_streams 0", "go_goroutines"} {
		require.Contains(t, w.Body.String(), says)
	}
}
