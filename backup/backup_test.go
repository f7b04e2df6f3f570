package backup

import (
	"archive/tar"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/people"
	"klammer/proof/short"
	"klammer/store"
	"klammer/store/cluster/clustertest"
)

var url string

func TestMain(m *testing.M) { os.Exit(clustertest.Main(m, &url)) }

// contents is what is in every table.
func contents(t *testing.T) (out map[string]string) {
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	require.NoError(t, pgx.BeginFunc(t.Context(), conn, func(tx pgx.Tx) (err error) {
		out, err = digests(t.Context(), tx)
		return err
	}))
	return out
}

// fill puts something into every table that the store writes.
func fill(t *testing.T, title string) {
	st, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer st.Close()
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	id, err := st.Import(t.Context(), f.Office, store.Note{Author: "klammer", Summary: title})
	require.NoError(t, err)
	if some, err := st.Anybody(t.Context()); err == nil && !some {
		link, err := st.Invite(t.Context(), 0, people.Keeper, "klammer", 0)
		require.NoError(t, err)
		person, err := st.Join(t.Context(), link, "Robin", "hash")
		require.NoError(t, err)
		_, err = st.Begin(t.Context(), person, "a browser")
		require.NoError(t, err)
		_, err = st.Know(t.Context(), person)
		require.NoError(t, err)
		_, err = st.Invite(t.Context(), 0, people.Reader, "Robin", person)
		require.NoError(t, err)
	}
	_, err = st.MakeToken(t.Context(), store.Token{Office: id, Name: title, Author: "Robin"}, time.Hour)
	require.NoError(t, err)
	require.NoError(t, st.Record(t.Context(), store.Entry{Who: "Robin", What: title, Office: &id, Address: "127.0.0.1"}))
	require.NoError(t, st.KeepPlugTests(t.Context(), id, []store.PlugTest{{Port: "rack.1", Became: "failed", How: "hand", Wrong: []string{"ü \\ \" \t"}, Author: "Robin", Planned: "x"}}))
}

// TestThereAndBack: what was there comes back, table by table, and what came meanwhile is
// gone; while a server is on the database, nothing is restored.
func TestThereAndBack(t *testing.T) {
	fill(t, "first")
	before := contents(t)
	require.Greater(t, len(before), 30)
	file := filepath.Join(t.TempDir(), "one.backup")
	about, err := Write(t.Context(), url, file)
	require.NoError(t, err)
	require.Equal(t, before, about.Rows)
	require.Equal(t, before, contents(t), "a backup changes nothing")
	info, err := os.Stat(file)
	require.NoError(t, err)
	require.EqualValues(t, 0o600, info.Mode().Perm())

	fill(t, "second")
	after := contents(t)
	require.NotEqual(t, before, after)
	st, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	_, err = Restore(t.Context(), url, file)
	require.ErrorContains(t, err, "stop it first")
	require.Equal(t, after, contents(t))
	st.Close()
	_, err = Restore(t.Context(), url, file)
	require.NoError(t, err)
	require.NotEqual(t, "0 ", before["session"])
	require.NotEqual(t, "0 ", before["token"])
	require.NotEqual(t, "0 ", before["invitation"])
	require.NotEqual(t, "0 ", before["known_browser"])
	for _, t := range openers { // what let somebody in then lets nobody in any more
		before[t] = "0 "
	}
	require.Equal(t, before, contents(t))

	// It is a database to work with: what is made next is numbered on from there.
	fill(t, "third")
	_, err = Restore(t.Context(), url, file)
	require.NoError(t, err)
	require.Equal(t, before, contents(t))
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	var left int
	require.NoError(t, conn.QueryRow(t.Context(), "SELECT count(*) FROM pg_database WHERE datname LIKE 'klammer_check_%'").Scan(&left))
	require.Zero(t, left, "scratch databases go")
}

// TestBroken: a backup that is cut, changed, of another kind, of a newer Klammer, or that
// says what is not in it, is refused, and nothing is changed.
func TestBroken(t *testing.T) {
	short.Skip(t)
	fill(t, "broken")
	dir := t.TempDir()
	file := filepath.Join(dir, "good.backup")
	about, err := Write(t.Context(), url, file)
	require.NoError(t, err)
	good, err := os.ReadFile(file)
	require.NoError(t, err)
	before := contents(t)
	again := func(change func(a *About)) []byte {
		text, err := json.Marshal(about)
		require.NoError(t, err)
		a := &About{}
		require.NoError(t, json.Unmarshal(text, a))
		change(a)
		work := t.TempDir()
		_, err = unpacked(file, work)
		require.NoError(t, err)
		out := filepath.Join(work, "out")
		require.NoError(t, packed(a, filepath.Join(work, dumpIn), out))
		b, err := os.ReadFile(out)
		require.NoError(t, err)
		return b
	}
	for n := 0; n < len(good); n += min(97, max(1, len(good)-n-1)) { // the last byte, too
		bad := filepath.Join(t.TempDir(), "cut.backup")
		require.NoError(t, os.WriteFile(bad, good[:n], 0o600))
		_, err := unpacked(bad, filepath.Dir(bad))
		require.ErrorContains(t, err, "is no whole backup", "cut after %d of %d", n, len(good))
	}
	flipped := bytes.Clone(good)
	flipped[len(good)*2/3] ^= 1
	for name, x := range map[string]struct {
		data []byte
		says string
	}{
		"empty":              {nil, "does not begin as one"},
		"something else":     {[]byte("PK\x03\x04 a workbook"), "is no whole backup"},
		"cut in the middle":  {good[:len(good)/2], "is no whole backup"},
		"cut at the end":     {good[:len(good)-2000], "is no whole backup"},
		"one bit":            {flipped, "was changed"},
		"a byte behind it":   {append(bytes.Clone(good), 0), "something is behind it"},
		"a block behind it":  {append(bytes.Clone(good), make([]byte, 512)...), "something is behind it"},
		"twice itself":       {append(bytes.Clone(good), good...), "something is behind it"},
		"another's end":      {append(bytes.Clone(good[:len(good)-1024]), bytes.Repeat([]byte{1}, 1024)...), "something is behind it"},
		"of a newer Klammer": {again(func(a *About) { a.Tables += 7 }), "newer Klammer"},
		"of another format":  {again(func(a *About) { a.Klammer = "backup 9" }), `"backup 9"`},
		"says other rows":    {again(func(a *About) { a.Rows["office"] = "7 abc" }), "these tables are not as the backup says: office"},
	} {
		bad := filepath.Join(dir, "bad.backup")
		require.NoError(t, os.WriteFile(bad, x.data, 0o600))
		_, err := Restore(t.Context(), url, bad)
		require.ErrorContains(t, err, x.says, name)
		_, err = Check(t.Context(), url, bad)
		require.ErrorContains(t, err, x.says, name)
	}
	_, err = Restore(t.Context(), url, filepath.Join(dir, "none"))
	require.True(t, errors.Is(err, os.ErrNotExist))
	require.Equal(t, before, contents(t))
	_, err = Check(t.Context(), url, file)
	require.NoError(t, err)

	// What one that was killed left behind goes with the next; what another is at does not.
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), "CREATE DATABASE klammer_check_left")
	require.NoError(t, err)
	_, err = conn.Exec(t.Context(), "CREATE DATABASE klammer_check_busy")
	require.NoError(t, err)
	_, err = conn.Exec(t.Context(), "SELECT pg_advisory_lock(hashtext('klammer_check_busy'))")
	require.NoError(t, err)
	require.NoError(t, Sweep(t.Context(), url))
	left := func() (n int) {
		require.NoError(t, conn.QueryRow(t.Context(), "SELECT count(*) FROM pg_database WHERE starts_with(datname, 'klammer_check_')").Scan(&n))
		return n
	}
	require.Equal(t, 1, left())
	_, err = conn.Exec(t.Context(), "SELECT pg_advisory_unlock(hashtext('klammer_check_busy'))")
	require.NoError(t, err)
	_, err = Check(t.Context(), url, file)
	require.NoError(t, err)
	require.Zero(t, left())

	// A database of a newer Klammer is not touched.
	_, err = conn.Exec(t.Context(), "INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, true)")
	require.NoError(t, err)
	_, err = store.Open(t.Context(), url)
	require.ErrorContains(t, err, "of a newer Klammer (form 9999")
	_, err = conn.Exec(t.Context(), "DELETE FROM goose_db_version WHERE version_id = 9999")
	require.NoError(t, err)
}

// FuzzUnpacked: whatever a file holds, it is taken apart into no more than it is long, or
// refused.
func FuzzUnpacked(f *testing.F) {
	entry := func(h tar.Header, data string) string {
		var b bytes.Buffer
		w := tar.NewWriter(&b)
		h.Size = int64(len(data))
		require.NoError(f, w.WriteHeader(&h))
		_, err := w.Write([]byte(data))
		require.NoError(f, err)
		require.NoError(f, w.Flush())
		return b.String()
	}
	about := `{"klammer":"` + format + `","tables":1,"sha256":"2c26b46b68ffc68ff99b453c1d30413413422d706483bfa0f98a5e886266e7ae"}`
	whole := entry(tar.Header{Name: aboutIn}, about) + entry(tar.Header{Name: dumpIn}, "foo")
	f.Add([]byte(whole))
	f.Add([]byte(strings.Replace(whole, dumpIn, "../../"+dumpIn, 1)))
	record := func(key, value string) string { // of a PAX header (POSIX.1-2001): its own length, first
		r := " " + key + "=" + value + "\n"
		for n := len(r) + 1; ; n++ {
			if text := fmt.Sprint(n, r); len(text) == n {
				return text
			}
		}
	}
	extended := []byte(entry(tar.Header{Name: "x"}, record("GNU.sparse.major", "1")+record("GNU.sparse.minor", "0")+record("GNU.sparse.name", dumpIn)+record("GNU.sparse.realsize", "67108864")))
	extended[156] = tar.TypeXHeader
	copy(extended[148:], "        ")
	total := 0
	for _, b := range extended[:512] {
		total += int(b)
	}
	copy(extended[148:], fmt.Sprintf("%06o\x00 ", total))
	f.Add([]byte(entry(tar.Header{Name: aboutIn}, about) + string(extended) + entry(tar.Header{Name: dumpIn}, "1\n67108864\n0\n"+strings.Repeat("\x00", 499))))
	f.Fuzz(func(t *testing.T, data []byte) {
		dir := t.TempDir()
		file := filepath.Join(dir, "some.backup")
		require.NoError(t, os.WriteFile(file, data, 0o600))
		about, err := unpacked(file, dir)
		if err == nil {
			require.Equal(t, format, about.Klammer)
		}
		list, err := os.ReadDir(dir)
		require.NoError(t, err)
		require.LessOrEqual(t, len(list), 2)
		for _, x := range list {
			info, err := x.Info()
			require.NoError(t, err)
			require.LessOrEqual(t, info.Size(), int64(len(data)))
		}
	})
}
