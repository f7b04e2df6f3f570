package asking

import (
	"crypto/sha256"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/api"
)

// TestKnownServer: a token goes to a server that somebody vouches for, or to the one whose
// certificate one knows, and to no other, not even to where that sends it.
func TestKnownServer(t *testing.T) {
	var heard atomic.Int64
	srv := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") == "Bearer klammer_x" {
			heard.Add(1)
		}
		if r.URL.Path != "/api/probe/looks" {
			http.Redirect(w, r, "/api/probe/looks", http.StatusTemporaryRedirect)
			return
		}
		fmt.Fprint(w, "{}")
	}))
	defer srv.Close()
	srv.Config.ErrorLog = nil
	sum := sha256.Sum256(srv.Certificate().Raw)
	right := strings.ReplaceAll(fmt.Sprintf("% X", sum), " ", ":")
	sum[0]++
	for _, x := range []struct{ known, says string }{
		{"", "nobody vouches for the certificate of 127.0.0.1"},
		{fmt.Sprintf("%x", sum), "somebody may stand between"},
		{right, ""},
		{strings.ToLower(strings.ReplaceAll(right, ":", "")), ""},
	} {
		before := heard.Load()
		s, err := ServerAt(srv.URL, "klammer_x", x.known)
		require.NoError(t, err)
		_, err = s.Ask(t.Context(), api.ProbeAsk{})
		if x.says == "" {
			require.NoError(t, err)
			require.Equal(t, before+1, heard.Load())
		} else {
			require.ErrorContains(t, err, x.says)
			require.Equal(t, before, heard.Load(), "the token was told")
		}
	}
	s, err := ServerAt(srv.URL, "klammer_x", right)
	require.NoError(t, err)
	_, err = s.Judge(t.Context(), api.ProbeReport{})
	require.ErrorContains(t, err, "is it a Klammer server?")
	_, err = ServerAt(srv.URL, "klammer_x", "AB:CD")
	require.ErrorContains(t, err, "of 32 bytes")
}
