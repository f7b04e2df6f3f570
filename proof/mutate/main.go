// Command mutate changes the program in small ways, one at a time, and runs the
// tests that could notice: a change that no test notices is a rule that nothing
// holds. It prints those. No file is touched: the change is an overlay.
//
//	./run mutate [-n 30] [-seed 1] [-kinds small|gross] [directory...]
package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// change is one replacement of a stretch of a file.
type change struct {
	file     string
	line     int
	from, to int // bytes
	text     string
	kind     string
	was      string
}

// small are slips that a reader does not see at once; gross ones turn a decision
// round.
var small = []string{"border", "term dropped", "one off", "entry dropped", "statement dropped", "case dropped"}

func main() {
	count := flag.Int("n", 30, "how many changes to try")
	seed := flag.Uint64("seed", 1, "which ones")
	kinds := flag.String("kinds", "small", "small, gross or all")
	limit := flag.Duration("limit", 5*time.Minute, "how long the tests may take for one change")
	list := flag.Bool("list", false, "print the changes and do not run anything")
	flag.Parse()
	dirs := flag.Args()
	if len(dirs) == 0 {
		dirs = []string{"core", "api", "server", "store", "spreadsheet", "field", "cmd"}
	}
	if err := run(asked{dirs, *count, *seed, *kinds, *limit, *list}); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// asked is what the command line asks for.
type asked struct {
	dirs  []string
	count int
	seed  uint64
	kinds string
	limit time.Duration
	list  bool
}

// run tries mutants of some rooms, and prints which are not noticed.
//
// Many branches: files are chosen, mutants drawn, tried and counted.
func run(asked asked) error {
	dirs, count, seed, kinds, limit, list := asked.dirs, asked.count, asked.seed, asked.kinds, asked.limit, asked.list
	byKind := map[string][]change{}
	for _, dir := range dirs {
		err := filepath.WalkDir(dir, func(path string, entry fs.DirEntry, err error) error {
			if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			all, err := changesIn(path)
			for _, change := range all {
				if kinds == "all" || slices.Contains(small, change.kind) == (kinds == "small") {
					byKind[change.kind] = append(byKind[change.kind], change)
				}
			}
			return err
		})
		if err != nil {
			return err
		}
	}
	var names []string
	for name := range byKind {
		names = append(names, name)
	}
	slices.Sort(names)
	if len(names) == 0 {
		return errors.New("there is nothing to change: -kinds is small, gross or all")
	}
	users, err := usersOf()
	if err != nil {
		return err
	}
	random := rand.New(rand.NewPCG(seed, seed))
	noticed, tried := 0, 0
	for tried < count {
		of := byKind[names[random.IntN(len(names))]]
		change := of[random.IntN(len(of))]
		where := fmt.Sprintf("%s:%d: %s: %s", change.file, change.line, change.kind, oneLine(change.was))
		if change.text != "" {
			where += " -> " + oneLine(change.text)
		}
		if list {
			tried++
			fmt.Println(where)
			continue
		}
		result, by, err := try(change, users, limit)
		if err != nil {
			return err
		}
		switch result {
		case broken:
			continue // it does not compile: another one
		case seen:
			noticed++
			fmt.Printf("noticed   %s (%s)\n", where, by)
		case survives:
			fmt.Printf("SURVIVES  %s\n", where)
		}
		tried++
	}
	if !list {
		fmt.Printf("%d of %d noticed (seed %d, %s)\n", noticed, tried, seed, kinds)
	}
	return nil
}

func oneLine(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if r := []rune(text); len(r) > 110 {
		text = string(r[:109]) + "…"
	}
	return text
}

// changesIn lists what can be changed in a file.
//
// Many branches: one a kind of change.
func changesIn(path string) (out []change, err error) {
	source, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	files := token.NewFileSet()
	file, err := parser.ParseFile(files, path, source, 0)
	if err != nil {
		return nil, err
	}
	at := func(pos token.Pos) int { return files.Position(pos).Offset }
	text := func(node ast.Node) string { return string(source[at(node.Pos()):at(node.End())]) }
	put := func(kind string, node ast.Node, with string) {
		out = append(out, change{path, files.Position(node.Pos()).Line, at(node.Pos()), at(node.End()), with, kind, text(node)})
	}
	operator := func(kind string, expr *ast.BinaryExpr, with string) {
		put(kind, expr, text(expr.X)+" "+with+" "+text(expr.Y))
	}
	statement := func(stmt ast.Stmt) {
		switch x := stmt.(type) {
		case *ast.ExprStmt, *ast.IncDecStmt:
			put("statement dropped", stmt, "")
		case *ast.AssignStmt:
			if x.Tok != token.DEFINE {
				put("statement dropped", stmt, "")
			}
		}
	}
	ast.Inspect(file, func(node ast.Node) bool {
		switch x := node.(type) {
		case *ast.BinaryExpr:
			switch x.Op {
			case token.LSS:
				operator("border", x, "<=")
			case token.LEQ:
				operator("border", x, "<")
			case token.GTR:
				operator("border", x, ">=")
			case token.GEQ:
				operator("border", x, ">")
			case token.LAND, token.LOR:
				put("term dropped", x, text(x.X))
				put("term dropped", x, text(x.Y))
				operator("and for or", x, map[token.Token]string{token.LAND: "||", token.LOR: "&&"}[x.Op])
			case token.EQL:
				operator("equality turned", x, "!=")
			case token.NEQ:
				operator("equality turned", x, "==")
			case token.ADD, token.SUB:
				if lit, ok := x.Y.(*ast.BasicLit); ok && lit.Kind == token.INT {
					put("one off", x, text(x.X))
				}
			}
		case *ast.CompositeLit:
			for i, expr := range x.Elts {
				if _, ok := expr.(*ast.KeyValueExpr); !ok {
					continue
				}
				end := expr.End()
				if i+1 < len(x.Elts) {
					end = x.Elts[i+1].Pos()
				}
				out = append(out, change{path, files.Position(expr.Pos()).Line, at(expr.Pos()), at(end), "", "entry dropped", text(expr)})
			}
		case *ast.BlockStmt:
			for _, stmt := range x.List {
				statement(stmt)
			}
		case *ast.CaseClause:
			for _, stmt := range x.Body {
				statement(stmt)
			}
			if x.List != nil {
				put("case dropped", x, "")
			}
		case *ast.IfStmt:
			put("condition turned", x.Cond, "!("+text(x.Cond)+")")
			if x.Else == nil && len(x.Body.List) > 0 {
				put("branch emptied", x.Body, "{}")
			}
		}
		return true
	})
	return out, nil
}

type outcome int

const (
	survives outcome = iota
	seen
	broken
)

// try runs the tests of a changed package, then of all that use it, and stops at
// the first that fails. Packages that the change does not reach are not run: the
// build cache has their results.
func try(change change, users map[string][]string, limit time.Duration) (outcome, string, error) {
	source, err := os.ReadFile(change.file)
	if err != nil {
		return 0, "", err
	}
	dir, err := os.MkdirTemp("", "mutate")
	if err != nil {
		return 0, "", err
	}
	defer os.RemoveAll(dir)
	changed := filepath.Join(dir, "changed.go")
	text := string(source[:change.from]) + change.text + string(source[change.to:])
	if err := os.WriteFile(changed, []byte(text), 0o600); err != nil {
		return 0, "", err
	}
	path, err := filepath.Abs(change.file)
	if err != nil {
		return 0, "", err
	}
	overlay, _ := json.Marshal(map[string]any{"Replace": map[string]string{path: changed}})
	described := filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(described, overlay, 0o600); err != nil {
		return 0, "", err
	}
	own := "./" + filepath.Dir(change.file)
	if exec.Command("go", "build", "-overlay", described, "-o", os.DevNull, own).Run() != nil {
		return broken, "", nil
	}
	for _, packages := range [][]string{{own}, users["klammer/"+filepath.Dir(change.file)]} {
		if len(packages) == 0 {
			continue
		}
		ctx, stop := context.WithTimeout(context.Background(), limit)
		cmd := exec.CommandContext(ctx, "go", append([]string{"test", "-failfast", "-overlay", described}, packages...)...)
		cmd.WaitDelay = 5 * time.Second
		said, err := cmd.CombinedOutput()
		stop()
		if err != nil {
			return seen, firstFailure(said), nil
		}
	}
	return survives, "", nil
}

func firstFailure(said []byte) string {
	for line := range bytes.Lines(said) {
		if name, ok := strings.CutPrefix(strings.TrimSpace(string(line)), "--- FAIL: "); ok {
			name, _, _ = strings.Cut(name, " ")
			return name
		}
	}
	return "it did not end well"
}

// usersOf maps each package to those whose tests it reaches, near ones first;
// the browser's are left out, as they drive a program that is built before.
func usersOf() (map[string][]string, error) {
	said, err := exec.Command("go", "list", "-json=ImportPath,Deps,TestImports,XTestImports", "./...").Output()
	if err != nil {
		return nil, err
	}
	type pkg struct {
		ImportPath                      string
		Deps, TestImports, XTestImports []string
	}
	all := map[string]*pkg{}
	for decoder := json.NewDecoder(bytes.NewReader(said)); decoder.More(); {
		var one pkg
		if err := decoder.Decode(&one); err != nil {
			return nil, err
		}
		all[one.ImportPath] = &one
	}
	users := map[string][]string{}
	for _, other := range all {
		if strings.HasPrefix(other.ImportPath, "klammer/e2e") {
			continue
		}
		reached := map[string]bool{}
		for _, d := range other.Deps {
			reached[d] = true
		}
		for _, text := range append(other.TestImports, other.XTestImports...) {
			reached[text] = true
			if one := all[text]; one != nil {
				for _, d := range one.Deps {
					reached[d] = true
				}
			}
		}
		for d := range reached {
			if all[d] != nil && d != other.ImportPath {
				users[d] = append(users[d], other.ImportPath)
			}
		}
	}
	for _, list := range users {
		slices.SortFunc(list, func(a, b string) int {
			return cmp.Or(cmp.Compare(len(all[a].Deps), len(all[b].Deps)), cmp.Compare(a, b))
		})
	}
	return users, nil
}
