// Package core_test guards what core may know.
package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestCoreIsPure fails where anything below core imports a package that does
// I/O, HTTP, SQL, logging or reads the clock, or a package outside core that
// might. Only what is listed here may be imported.
func TestCoreIsPure(t *testing.T) {
	pure := map[string]bool{}
	for _, p := range strings.Fields("bytes cmp container/heap encoding/binary encoding/csv encoding/json errors fmt iter maps math math/bits math/rand/v2 net/netip regexp slices sort strconv strings sync unicode unicode/utf8 unique") {
		pure[p] = true
	}
	files := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, i := range f.Imports {
			name, _ := strconv.Unquote(i.Path.Value)
			require.True(t, pure[name] || strings.HasPrefix(name, "klammer/core/"), "%s imports %s, which core may not know", path, name)
		}
		files++
		return nil
	})
	require.NoError(t, err)
	require.Greater(t, files, 20)
}

// TestRooms: the table of rooms in docs/architecture.md names every room, and of
// each room of core just the rooms of core that it imports.
func TestRooms(t *testing.T) {
	text, err := os.ReadFile("../docs/architecture.md")
	require.NoError(t, err)
	knows := map[string]string{}
	for _, row := range regexp.MustCompile("(?m)^\\| `([a-z0-9/-]+)` \\| .+ \\| ([^|]+) \\|$").FindAllStringSubmatch(string(text), -1) {
		knows[row[1]] = row[2]
	}
	imported := map[string]map[string]bool{}
	err = filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if d != nil && d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git" || d.Name() == "testdata") {
			return filepath.SkipDir
		}
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		room := filepath.ToSlash(strings.TrimPrefix(filepath.Dir(path), "../"))
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		if imported[room] == nil {
			imported[room] = map[string]bool{}
		}
		for _, i := range f.Imports {
			name, _ := strconv.Unquote(i.Path.Value)
			if x, ok := strings.CutPrefix(name, "klammer/core/"); ok {
				imported[room][x] = true
			}
		}
		return nil
	})
	require.NoError(t, err)
	for room, imports := range imported {
		parent, _, _ := strings.Cut(room, "/")
		if !strings.HasPrefix(room, "core/") {
			require.True(t, knows[room] != "" || knows[parent] != "", "docs/architecture.md does not name %s", room)
			continue
		}
		want := strings.Join(slices.Sorted(maps.Keys(imports)), ", ")
		if want == "" {
			want = "nothing"
		}
		require.Equal(t, want, knows[room], "what docs/architecture.md says that %s knows", room)
	}
	for room := range knows {
		_, err := os.Stat("../" + room)
		require.NoError(t, err, "docs/architecture.md names %s, which is not there", room)
	}
}

// TestNamedTests: a test that the docs name as what looks after something is there.
func TestNamedTests(t *testing.T) {
	there := map[string]bool{}
	declared, named := regexp.MustCompile(`(?m)^func ((?:Test|Fuzz)[A-Z]\w*)\(`), regexp.MustCompile(`\b(?:Test|Fuzz)[A-Z]\w*`)
	require.NoError(t, filepath.WalkDir("..", func(path string, e fs.DirEntry, err error) error {
		if err == nil && e.IsDir() && e.Name() == "node_modules" {
			return filepath.SkipDir
		}
		if err != nil || !strings.HasSuffix(path, "_test.go") {
			return err
		}
		text, err := os.ReadFile(path)
		for _, m := range declared.FindAllStringSubmatch(string(text), -1) {
			there[m[1]] = true
		}
		return err
	}))
	docs, err := filepath.Glob("../docs/*.md")
	require.NoError(t, err)
	count := 0
	for _, path := range append(docs, "../README.md") {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		for _, name := range named.FindAllString(string(text), -1) {
			require.True(t, there[name], "%s names %s, which is not there", path, name)
			count++
		}
	}
	require.Greater(t, count, 100)
}
