// Command house measures how the code reads, room by room: names of one letter, branches
// of functions, lines of comment and of tests, parameters. `./run measure-house` prints it.
package main

import (
	"cmp"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// room is what was counted of one.
type room struct {
	name            string
	lines, comments int // without tests
	tests           int
	names, letters  int // declared; of one letter
	funcs           int
	branchy         []branchy // over the aim
	idle            []string  // functions that say why they have many branches, and have few
	params          []string  // functions with more parameters than the aim
}

// branchy is a function with its cyclomatic number (McCabe 1976), and whether its comment says
// why it has so many branches.
type branchy struct {
	at   string
	n    int
	said bool
}

// The aims. A function with more branches than mostBranches says why, and none has more than
// neverMore.
const (
	mostBranches = 20
	neverMore    = 35
	mostParams   = 5
	why          = "Many branches: "
)

// countAll counts all rooms below a folder.
func countAll(root string) (map[string]*room, error) {
	rooms := map[string]*room{}
	return rooms, filepath.WalkDir(root, func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if entry.IsDir() && (entry.Name() == "node_modules" || entry.Name() == "ui" || strings.HasPrefix(entry.Name(), ".") && path != root) {
			return fs.SkipDir
		}
		if entry.IsDir() || !strings.HasSuffix(path, ".go") {
			return nil
		}
		name := filepath.ToSlash(filepath.Dir(path))
		if rooms[name] == nil {
			rooms[name] = &room{name: name}
		}
		return rooms[name].read(path)
	})
}

// main counts the house and prints what it comes to; with "all", every function with many
// branches.
func main() {
	rooms, err := countAll(".")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	var all []*room
	sum, core := &room{name: "all"}, &room{name: "all of core"}
	for _, room := range rooms {
		if room.lines == 0 && room.tests == 0 {
			continue
		}
		all = append(all, room)
		sum.add(room)
		if strings.HasPrefix(room.name, "core/") {
			core.add(room)
		}
	}
	slices.SortFunc(all, func(a, b *room) int { return strings.Compare(a.name, b.name) })
	fmt.Printf("%-20s %6s %9s %7s %12s %9s %10s %8s\n", "room", "lines", "comments", "tests", "of 1 letter", "functions", "over 20", "params>5")
	for _, room := range append(all, core, sum) {
		fmt.Printf("%-20s %6d %8d%% %6d%% %11d%% %9d %10d %8d\n", room.name, room.lines, share(room.comments, room.lines), share(room.tests, room.tests+room.lines), share(room.letters, room.names), room.funcs, len(room.branchy), len(room.params))
	}
	slices.SortFunc(sum.branchy, func(a, b branchy) int { return cmp.Or(cmp.Compare(b.n, a.n), strings.Compare(a.at, b.at)) })
	fmt.Println("\nmost branches:")
	most := 15
	if len(os.Args) > 1 && os.Args[1] == "all" {
		most = len(sum.branchy)
	}
	for _, branchy := range sum.branchy[:min(most, len(sum.branchy))] {
		fmt.Printf("%5d  %s\n", branchy.n, branchy.at)
	}
	if len(sum.params) > 0 {
		fmt.Println("\nmore than five parameters:")
		for _, p := range sum.params {
			fmt.Println("      ", p)
		}
	}
}

func share(part, of int) int {
	if of == 0 {
		return 0
	}
	return (100*part + of/2) / of
}

func (r *room) add(room *room) {
	r.lines, r.comments, r.tests = r.lines+room.lines, r.comments+room.comments, r.tests+room.tests
	r.names, r.letters, r.funcs = r.names+room.names, r.letters+room.letters, r.funcs+room.funcs
	r.branchy, r.params = append(r.branchy, room.branchy...), append(r.params, room.params...)
}

// read counts a file.
func (r *room) read(path string) error {
	text, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	lines := strings.Count(string(text), "\n")
	if strings.HasSuffix(path, "_test.go") {
		r.tests += lines
		return nil
	}
	r.lines += lines
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, path, text, parser.ParseComments)
	if err != nil {
		return err
	}
	commented := map[int]bool{}
	for _, group := range file.Comments {
		for _, comment := range group.List {
			for l := set.Position(comment.Pos()).Line; l <= set.Position(comment.End()).Line; l++ {
				commented[l] = true
			}
		}
	}
	r.comments += len(commented)
	for _, decl := range file.Decls {
		fn, ok := decl.(*ast.FuncDecl)
		if !ok || fn.Body == nil {
			continue
		}
		r.funcs++
		at := fmt.Sprintf("%s:%d %s", path, set.Position(fn.Pos()).Line, fn.Name.Name)
		said := strings.Contains(fn.Doc.Text(), why)
		if n := branches(fn.Body); n > mostBranches {
			r.branchy = append(r.branchy, branchy{at, n, said})
		} else if said {
			r.idle = append(r.idle, at)
		}
		if fn.Type.Params.NumFields() > mostParams {
			r.params = append(r.params, fmt.Sprintf("%s (%d)", at, fn.Type.Params.NumFields()))
		}
	}
	ast.Inspect(file, func(node ast.Node) bool {
		for _, id := range declared(node) {
			if id.Name == "_" {
				continue
			}
			if r.names++; len(id.Name) == 1 {
				r.letters++
			}
		}
		return true
	})
	return nil
}

// declared is the names that a node declares: of variables, parameters and fields; a
// receiver's name is the type's own affair.
func declared(node ast.Node) (out []*ast.Ident) {
	switch n := node.(type) {
	case *ast.AssignStmt:
		if n.Tok == token.DEFINE {
			for _, expr := range n.Lhs {
				if id, ok := expr.(*ast.Ident); ok {
					out = append(out, id)
				}
			}
		}
	case *ast.RangeStmt:
		if n.Tok == token.DEFINE {
			for _, expr := range []ast.Expr{n.Key, n.Value} {
				if id, ok := expr.(*ast.Ident); ok {
					out = append(out, id)
				}
			}
		}
	case *ast.ValueSpec:
		out = append(out, n.Names...)
	case *ast.FuncType:
		for _, list := range []*ast.FieldList{n.Params, n.Results} {
			if list != nil {
				for _, field := range list.List {
					out = append(out, field.Names...)
				}
			}
		}
	case *ast.StructType:
		for _, field := range n.Fields.List {
			out = append(out, field.Names...)
		}
	}
	return out
}

// branches is the cyclomatic number of a body, with the functions inside of it.
func branches(body ast.Node) int {
	n := 1
	ast.Inspect(body, func(node ast.Node) bool {
		switch x := node.(type) {
		case *ast.IfStmt, *ast.ForStmt, *ast.RangeStmt:
			n++
		case *ast.CaseClause:
			if x.List != nil {
				n++
			}
		case *ast.CommClause:
			if x.Comm != nil {
				n++
			}
		case *ast.BinaryExpr:
			if x.Op == token.LAND || x.Op == token.LOR {
				n++
			}
		}
		return true
	})
	return n
}
