// Package core_test guards what core may know.
package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
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
	for _, p := range strings.Fields("bytes cmp encoding/csv encoding/json errors fmt iter maps math math/bits math/rand/v2 net/netip regexp slices sort strconv strings sync unicode unicode/utf8 unique") {
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
