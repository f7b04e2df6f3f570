package server_test

import (
	"compress/gzip"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/ui"
)

func (d desk) get(path string, header ...string) *http.Response {
	req, err := http.NewRequest("GET", d.base+path, nil)
	require.NoError(d.t, err)
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	resp, err := http.DefaultTransport.RoundTrip(req) // which asks for nothing packed by itself
	require.NoError(d.t, err)
	d.t.Cleanup(func() { resp.Body.Close() })
	return resp
}

// TestPages: the front end is sent packed where the browser takes it so, assets
// for good, the rest asked after by its tag; any path that is no file is the page.
func TestPages(t *testing.T) {
	d := open(t)
	for _, path := range []string{"/", "/1", "/1/reach", "/offices"} {
		resp := d.get(path)
		require.Equal(t, 200, resp.StatusCode, path)
		require.Equal(t, "text/html; charset=utf-8", resp.Header.Get("Content-Type"), path)
		require.Equal(t, "no-cache", resp.Header.Get("Cache-Control"), path)
	}
	for _, path := range []string{"/nothing.js", "/assets/nothing", "/assets/", "/..%2f..%2fetc%2fpasswd", "/assets/..%2f..%2fgo.mod"} {
		resp := d.get(path)
		require.NotEqual(t, 200, resp.StatusCode, path)
	}
	if _, err := fs.Stat(ui.Dist, "dist/index.html"); err != nil {
		t.Skip("the front end is not built: ./run build")
	}
	first := d.get("/icon.svg")
	tag := first.Header.Get("Etag")
	require.NotEmpty(t, tag)
	again := d.get("/icon.svg", "If-None-Match", tag)
	require.Equal(t, 304, again.StatusCode)
	assets, err := fs.Glob(ui.Dist, "dist/assets/*.js")
	require.NoError(t, err)
	require.NotEmpty(t, assets)
	path := strings.TrimPrefix(assets[0], "dist")
	want, err := fs.ReadFile(ui.Dist, assets[0])
	require.NoError(t, err)
	packed := d.get(path, "Accept-Encoding", "gzip")
	require.Equal(t, "gzip", packed.Header.Get("Content-Encoding"))
	require.Contains(t, packed.Header.Get("Cache-Control"), "immutable")
	require.Contains(t, packed.Header.Get("Vary"), "Accept-Encoding")
	z, err := gzip.NewReader(packed.Body)
	require.NoError(t, err)
	got, err := io.ReadAll(z)
	require.NoError(t, err)
	require.Equal(t, want, got)
	plain := d.get(path, "Accept-Encoding", "identity")
	require.Empty(t, plain.Header.Get("Content-Encoding"))
	got, err = io.ReadAll(plain.Body)
	require.NoError(t, err)
	require.Equal(t, want, got)
}

// TestNameCookie: the name that a browser says is kept where no script reads it
// and no other page sends it.
func TestNameCookie(t *testing.T) {
	d := open(t)
	say := func(name string) *http.Response {
		req, err := http.NewRequest("PUT", d.base+"/api/me", strings.NewReader(`{"name":"`+name+`"}`))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		return resp
	}
	resp := say("  Dr. Müller  ")
	require.Equal(t, 200, resp.StatusCode)
	require.Len(t, resp.Cookies(), 1)
	c := resp.Cookies()[0]
	require.True(t, c.HttpOnly)
	require.Equal(t, http.SameSiteStrictMode, c.SameSite)
	require.Equal(t, "/", c.Path)
	require.Equal(t, "Dr.+M%C3%BCller", c.Value)
	require.Equal(t, 200, say(strings.Repeat("x", 60)).StatusCode)
	for _, name := range []string{"", "   ", strings.Repeat("x", 61), "a\\u0000b", "a\\u202eb"} {
		require.Equal(t, 400, say(name).StatusCode, name)
	}
	// A name that the form would not have set is nobody's.
	d.name = "%20Robin"
	status, _ := d.edit(1, `"lines":["rack 1: 120"]`)
	require.Equal(t, 401, status)
}

// TestDownloads: what is sent as a file has a name that any system takes, and its
// type.
func TestDownloads(t *testing.T) {
	d := open(t)
	status, _ := d.edit(1, `"lines":["office \"../Ümlaut \\\" & Söhne\""]`)
	require.Equal(t, 200, status)
	for _, row := range []struct{ path, file, kind string }{
		{"/notation?file=1", "mlaut-s-hne.klm", "text/plain; charset=utf-8"},
		{"/workbook", "mlaut-s-hne.xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"},
		{"/grid?device=rack", "rack.csv", "text/csv; charset=utf-8"},
	} {
		resp := d.get(fmt.Sprintf("/api/offices/%d%s", d.office, row.path))
		require.Equal(t, 200, resp.StatusCode, row.path)
		require.Equal(t, `attachment; filename="`+row.file+`"`, resp.Header.Get("Content-Disposition"))
		require.Equal(t, row.kind, resp.Header.Get("Content-Type"))
	}
	resp := d.get(fmt.Sprintf("/api/offices/%d/notation", d.office))
	require.Empty(t, resp.Header.Get("Content-Disposition"), "to be read, not to be kept")
}

// TestBodyAtTheLimit: a body of just the most bytes is read, one byte more is not.
func TestBodyAtTheLimit(t *testing.T) {
	d := open(t)
	const most = 4 << 20
	body := `{"base":1,"commands":[{"lines":["rack 1: 120"]}]}`
	status, answer := d.ask("POST", "/edits", body+strings.Repeat(" ", most+1-len(body)))
	require.Equal(t, 413, status, "%v", answer)
	require.Equal(t, "beyond-limit", answer["code"])
	status, answer = d.ask("POST", "/edits", body+strings.Repeat(" ", most-len(body)))
	require.Equal(t, 200, status, "%v", answer)
}
