package mishap_test

import (
	"bytes"
	"context"
	"errors"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"log/slog"
	"path/filepath"
	"strings"
	"testing"
	"testing/synctest"

	"github.com/stretchr/testify/require"

	"klammer/mishap"
)

// TestKept: a panic ends what it is in, is known by one number to who waits and to the log,
// and what goes on by itself goes on.
func TestKept(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var text bytes.Buffer
		log := slog.New(slog.NewTextHandler(&text, nil))
		broken := func() error {
			var none *struct{ field int }
			none.field++
			return nil
		}
		err := mishap.Try(broken)
		var f *mishap.Fault
		require.ErrorAs(t, err, &f)
		require.Contains(t, err.Error(), f.Number)
		require.NotContains(t, err.Error(), "nil pointer", "what it was is for the log")
		mishap.Log(log, "a job", err)
		require.Contains(t, text.String(), f.Number)
		require.Contains(t, text.String(), "mishap_test.go")
		require.NoError(t, mishap.Try(func() error { return nil }))
		own := errors.New("an error is no fault")
		require.Equal(t, own, mishap.Try(func() error { return own }))

		text.Reset()
		mishap.Go(log, "in the background", func() { _ = broken() })
		synctest.Wait()
		require.Contains(t, text.String(), "in the background")

		ctx, stop := context.WithCancel(t.Context())
		rounds := make(chan int, 3)
		n := 0
		mishap.Always(ctx, log, "again and again", func() {
			n++
			rounds <- n
			if n < 3 {
				_ = broken()
			}
			<-ctx.Done()
		})
		for want := range 3 {
			require.Equal(t, want+1, <-rounds)
		}
		stop()

		var g mishap.Group
		done := false
		g.Go(func() { _ = broken() })
		g.Go(func() { done = true })
		require.ErrorAs(t, mishap.Try(func() error { g.Wait(); return nil }), &f)
		require.True(t, done)
		require.Contains(t, f.What, "mishap_test.go", "it says where the goroutine was")
	})
}

// TestNoOtherGoroutines: nothing that the server is made of starts a goroutine whose panic
// would end the process; who does it all the same is named here with the reason.
func TestNoOtherGoroutines(t *testing.T) {
	reasons := map[string]string{
		"mishap/mishap.go":      "this is it",
		"core/talk/table.go":    "core knows nothing outside of it: it passes a panic on to whoever asked",
		"probe/probe.go":        "the laptop's own program, and no server",
		"cmd/klammer/field.go":  "a command of its own, and no server",
		"cmd/klammer/serve.go":  "net/http recovers in each request",
		"proof/mutate/main.go":  "a tool",
		"e2e/stage/stage.go":    "a tool of tests",
		"e2e/stage/program.go":  "a tool of tests",
		"e2e/stage/browser.go":  "a tool of tests",
		"proof/mutate/tests.go": "a tool",
	}
	files := 0
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.IsDir() && (d.Name() == "node_modules" || d.Name() == "testdata") {
			return filepath.SkipDir
		}
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		name := strings.TrimPrefix(filepath.ToSlash(path), "../")
		if reasons[name] != "" {
			return nil
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, nil, 0)
		require.NoError(t, err)
		files++
		ast.Inspect(f, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.GoStmt:
				t.Errorf("%s: a goroutine whose panic ends the process: mishap.Go", set.Position(n.Pos()))
			case *ast.SelectorExpr:
				if x, ok := n.X.(*ast.Ident); ok && x.Name == "sync" && n.Sel.Name == "WaitGroup" || ok && x.Name == "errgroup" {
					t.Errorf("%s: mishap.Group instead: a panic in it is one of whoever waits", set.Position(n.Pos()))
				}
			}
			return true
		})
		return nil
	}))
	require.Greater(t, files, 150)
}
