package core_test

import (
	"fmt"
	"go/ast"
	"go/constant"
	"go/parser"
	"go/token"
	"go/types"
	"io/fs"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// constants are those of a package, by their names, worked out from its source alone.
func constants(t *testing.T, dir string) map[string]constant.Value {
	set := token.NewFileSet()
	packages, err := parser.ParseDir(set, "../"+dir, func(f fs.FileInfo) bool { return !strings.HasSuffix(f.Name(), "_test.go") }, 0)
	require.NoError(t, err)
	out := map[string]constant.Value{}
	for _, p := range packages {
		var files []*ast.File
		for _, f := range p.Files {
			files = append(files, f)
		}
		info := &types.Info{Defs: map[*ast.Ident]types.Object{}}
		config := types.Config{Error: func(error) {}, Importer: clock{}}
		_, _ = config.Check(dir, set, files, info)
		for id, object := range info.Defs {
			if c, ok := object.(*types.Const); ok && c.Parent() == c.Pkg().Scope() {
				out[id.Name] = c.Val()
			}
		}
	}
	return out
}

// clock is the one package that the figures need: durations.
type clock struct{}

func (clock) Import(path string) (*types.Package, error) {
	if path != "time" {
		return nil, fmt.Errorf("%s is not looked at", path)
	}
	p := types.NewPackage("time", "time")
	duration := types.NewTypeName(token.NoPos, p, "Duration", nil)
	types.NewNamed(duration, types.Typ[types.Int64], nil)
	p.Scope().Insert(duration)
	for name, n := range map[string]int64{"Millisecond": 1e6, "Second": 1e9, "Minute": 60e9, "Hour": 3600e9} {
		p.Scope().Insert(types.NewConst(token.NoPos, p, name, duration.Type(), constant.MakeInt64(n)))
	}
	p.MarkComplete()
	return p, nil
}

// TestLimits: docs/limits.md says the figures that the constants have which it names.
func TestLimits(t *testing.T) {
	text, err := os.ReadFile("../docs/limits.md")
	require.NoError(t, err)
	known := map[string]map[string]constant.Value{}
	held := 0
	for line := range strings.SplitSeq(string(text), "\n") {
		cells := strings.Split(line, "|")
		if len(cells) != 5 {
			continue
		}
		for _, m := range regexp.MustCompile("`([a-z/]+)\\.([A-Za-z]+)`").FindAllStringSubmatch(cells[3], -1) {
			if known[m[1]] == nil {
				known[m[1]] = constants(t, m[1])
			}
			v, ok := known[m[1]][m[2]]
			require.True(t, ok, "%s has no constant %s", m[1], m[2])
			n, exact := constant.Int64Val(constant.ToInt(v))
			require.True(t, exact, m[0])
			plain := regexp.MustCompile(`(\d)(\d{3})\b`)
			figure := fmt.Sprint(n)
			for plain.MatchString(figure) && plain.ReplaceAllString(figure, "$1,$2") != figure {
				figure = plain.ReplaceAllString(figure, "$1,$2")
			}
			forms := []string{figure}
			if n%(1<<20) == 0 {
				forms = append(forms, fmt.Sprintf("%d MB", n>>20))
			}
			if n%1e9 == 0 {
				forms = append(forms, fmt.Sprintf("%d s", n/1e9))
			}
			said := false
			for _, f := range forms {
				said = said || regexp.MustCompile(`(^|[^\d,])`+regexp.QuoteMeta(f)+`($|[^\d,]|,($|\D))`).MatchString(cells[2])
			}
			require.True(t, said, "%s is %v, and the row says: %s", m[0], forms, cells[2])
			held++
		}
	}
	require.Greater(t, held, 40)
}
