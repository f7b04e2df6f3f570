package proof

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/api"
	"klammer/core/bridge"
	"klammer/core/command"
	"klammer/core/explain"
	"klammer/core/finding"
	"klammer/core/found"
	"klammer/core/intake"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/round"
	"klammer/core/span"
	"klammer/core/talk"
	"klammer/core/walk"
	"klammer/core/wording"
)

// TestShown: what the examples in core's comments show is what core does. An example is a block
// of a comment with lines that begin with > and what came of them, each on the office of
// testdata/shown.klm:
//
//	> rename vlan guests to visitors      any line of the board, and what the edit is
//	> walk core.1 to gate.lan1            where a frame goes
//	> talk floor.1 to core.1 tcp/80       whether a packet gets there
//	> port core.1                         a port in plain words
//	> vlan 110                            its parts
//	> sheet core by-group 1,7             ports in the words of a device
//	> steps core by-group 4: use desk     and the way there
//	> paste core                          what a device shows, in the lines behind it
//	> | port | staff (110) |              rows of somebody's own sheet
//
// Each line asks for itself, rows and what is pasted aside. In core/finding the line shows what is said of the office then, in core/order the steps there.
// -update writes what came of each.
func TestShown(t *testing.T) {
	text, err := os.ReadFile("testdata/shown.klm")
	require.NoError(t, err)
	file, err := notation.Read("shown.klm", string(text))
	require.NoError(t, err)
	net := span.Compile(file.Office)
	require.Empty(t, finding.Check(net).List(), "the office of the examples has a fault of its own")
	paths, err := filepath.Glob("../core/*/*.go")
	require.NoError(t, err)
	examples := 0
	for _, path := range paths {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		source, err := os.ReadFile(path)
		require.NoError(t, err)
		is := showAll(string(source), func(asked []string) []string {
			examples++
			return wrapped(shown(net, filepath.Base(filepath.Dir(path)), asked))
		})
		if *update && is != string(source) {
			require.NoError(t, os.WriteFile(path, []byte(is), 0o644))
		} else if is != string(source) {
			was, is := strings.Split(string(source), "\n"), strings.Split(is, "\n")
			at := 0
			for was[at] == is[at] {
				at++
			}
			require.Equal(t, strings.Join(was[max(0, at-3):min(len(was), at+5)], "\n"), strings.Join(is[max(0, at-3):min(len(is), at+5)], "\n"), "%s:%d shows what is not so: -update", path, at+1)
		}
		_, err = parser.ParseFile(token.NewFileSet(), path, is, parser.ParseComments)
		require.NoError(t, err)
		requireAttached(t, path, is)
	}
	require.Greater(t, examples, 60)
}

// requireAttached: an example that stands between two declarations belongs to none of them.
func requireAttached(t *testing.T, path, source string) {
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, path, source, parser.ParseComments)
	require.NoError(t, err)
	of := map[*ast.CommentGroup]bool{file.Doc: true}
	ast.Inspect(file, func(node ast.Node) bool {
		switch decl := node.(type) {
		case *ast.FuncDecl:
			of[decl.Doc] = true
		case *ast.GenDecl:
			of[decl.Doc] = true
		case *ast.TypeSpec:
			of[decl.Doc] = true
		case *ast.ValueSpec:
			of[decl.Doc] = true
		case *ast.Field:
			of[decl.Doc] = true
		}
		return true
	})
	for _, group := range file.Comments {
		require.False(t, !of[group] && strings.Contains(group.Text(), "\n> "), "%s: %s", set.Position(group.Pos()), group.Text())
	}
}

// asked is a line of an example that asks.
var asked = regexp.MustCompile(`^//\t(> .*)$`)

// showAll gives back a source with what came of each example in the place of what was said to.
func showAll(source string, show func(asked []string) []string) string {
	lines := strings.Split(source, "\n")
	var out []string
	for i := 0; i < len(lines); {
		if !asked.MatchString(lines[i]) {
			out = append(out, lines[i])
			i++
			continue
		}
		var all []string
		for several := true; several && i < len(lines) && asked.MatchString(lines[i]); i++ {
			all = append(all, strings.TrimPrefix(lines[i], "//\t> "))
			out = append(out, lines[i])
			several = strings.HasPrefix(all[0], "| ") || strings.HasPrefix(all[0], "paste ")
		}
		for i < len(lines) && strings.HasPrefix(lines[i], "//\t") && !asked.MatchString(lines[i]) {
			i++
		}
		for _, line := range show(all) {
			out = append(out, strings.TrimRight("//\t"+line, " \t"))
		}
	}
	return strings.Join(out, "\n")
}

// wrapped breaks long lines between words; what goes on is set in.
func wrapped(lines []string) (out []string) {
	const most = 92
	for _, line := range lines {
		lead := line[:len(line)-len(strings.TrimLeft(line, " "))]
		for len(line) > most {
			at := strings.LastIndexByte(line[:most], ' ')
			if at <= len(lead)+4 {
				break
			}
			out = append(out, line[:at])
			line = lead + "    " + strings.TrimLeft(line[at:], " ")
		}
		out = append(out, line)
	}
	return out
}

// shown is what comes of an example's lines in a room.
func shown(net *span.Net, room string, lines []string) []string {
	words := strings.Fields(lines[0])
	failed := func(err error) []string { return strings.Split("! "+err.Error(), "\n") }
	switch {
	case strings.HasPrefix(lines[0], "|"):
		return taken(lines)
	case words[0] == "walk":
		out, err := walked(net, words[1:])
		if err != nil {
			return failed(err)
		}
		return out
	case words[0] == "talk":
		service := ""
		if len(words) > 4 {
			service = words[4]
		}
		answer, err := api.TalkOf(talk.New(net), words[1], words[3], service)
		if err != nil {
			return failed(err)
		}
		return []string{fmt.Sprintf("%s: %s", answer.Verdict, answer.Why)}
	case words[0] == "port":
		ref, err := notation.PortRef(net.Office, words[1])
		if err != nil {
			return failed(err)
		}
		return explain.Port(net, ref)
	case words[0] == "sheet":
		device, _, state, err := worded(net, words[1], words[2], "")
		if err != nil {
			return failed(err)
		}
		return tables(wording.Write(device, state))
	case words[0] == "steps":
		device, was, state, err := worded(net, words[1], words[2], strings.Join(words[3:], " "))
		if err != nil {
			return failed(err)
		}
		steps, err := wording.Steps(device, was, state)
		if err != nil {
			return failed(err)
		}
		var out []string
		for _, step := range steps {
			out = append(out, "["+step.Where+"] "+step.Text)
		}
		return out
	case words[0] == "paste":
		i := net.Topo.DeviceIndex(words[1])
		result, err := found.OfDevice(net, i, wording.Planned(net, i), strings.Join(lines[1:], "\n"))
		if err != nil {
			return failed(err)
		}
		out := []string{result.Form}
		for _, differs := range found.Differences(net, i, result.State) {
			planned, is := differs.Planned, differs.Found
			out = append(out, fmt.Sprintf("%s: planned %s, found %s", net.Office.Devices[i].Ports[differs.Port].Name, notation.Shape(planned), notation.Shape(is)))
		}
		for _, trouble := range result.Trouble {
			out = append(out, trouble.String())
		}
		return out
	}
	result, err := command.Do(net, command.Line{Text: strings.Join(lines, "\n")})
	if err != nil {
		return failed(err)
	}
	after := span.Compile(result.Office)
	switch room {
	case "finding":
		report := finding.Check(after)
		var out []string
		for _, one := range report.List() {
			out = append(out, string(one.Code)+": "+one.Text)
			for _, mend := range report.Mends(one) {
				out = append(out, "  mend: "+strings.Join(mend, "; "))
			}
		}
		return out
	case "order":
		told, err := order.Make(net.Office, result.Office, order.Options{})
		if err != nil {
			return failed(err)
		}
		var out []string
		for i, step := range told.Steps {
			out = append(out, fmt.Sprintf("%d. %s, %s: %s", i+1, step.Device, step.Kind, step.Text))
			for _, text := range step.Told {
				out = append(out, "   "+text)
			}
		}
		return out
	case "round":
		one := round.Make(net.Office)
		var seen []round.Seen
		var out []string
		for i, played := range one.Play(result.Office, one.Tests) {
			if len(played.Wrong) > 0 {
				test := one.Tests[i]
				out = append(out, fmt.Sprintf("at %s %s: %s", test.Port, test.Wire, strings.Join(played.Wrong, "; ")))
			}
			seen = append(seen, played.Seen)
		}
		for _, suspect := range one.Suspects(seen) {
			var all []string
			for _, mistakes := range suspect.Mistakes {
				var texts []string
				for _, k := range mistakes {
					texts = append(texts, one.Mistakes[k].Text)
				}
				all = append(all, strings.Join(texts, " and "))
			}
			out = append(out, "so: "+strings.Join(all, ", or "))
		}
		return out
	case "talk":
		return talk.NewTable(net).Told(talk.NewTable(after))
	case "walk":
		var out []string
		for _, change := range walk.Compare(net, after) {
			for _, side := range []struct {
				does  string
				ports []office.PortRef
			}{{"gains", change.Gains}, {"loses", change.Loses}} {
				if len(side.ports) > 0 {
					out = append(out, fmt.Sprintf("%s %s %s", change.Port, side.does, strings.Join(api.Refs(side.ports), ", ")))
				}
			}
		}
		return out
	case "span", "graph", "bridge":
		var out []string
		for vid := range after.Used().All() {
			if was, is := parts(net, vid), parts(after, vid); was != is {
				out = append(out, is)
			}
		}
		return out
	}
	statements, _ := notation.Statements(result.Office, result.Edit)
	var out []string
	for _, statement := range statements {
		out = append(out, strings.Split(statement, "\n")...)
	}
	for _, note := range result.Notes {
		out = append(out, "# "+note)
	}
	return out
}

// parts is where a VLAN is, part by part.
func parts(net *span.Net, vid office.VID) string {
	vlan := net.VLAN(vid)
	var all []string
	for i := range vlan.Spans {
		var refs []string
		for _, ref := range net.Terminals(vlan.Spans[i], vid) {
			refs = append(refs, ref.String())
		}
		all = append(all, "("+strings.Join(refs, " ")+")")
	}
	return fmt.Sprintf("%s, %s: %s", net.Name(vid), vlan.State, strings.Join(all, " "))
}

// walked is the way of a frame: FROM [TAG] to TO, or FROM [TAG] for all who hear it.
func walked(net *span.Net, words []string) ([]string, error) {
	from, err := notation.PortRef(net.Office, words[0])
	if err != nil {
		return nil, err
	}
	wire := bridge.Untagged
	if len(words) > 1 && words[1] != "to" {
		vid, err := office.ParseVID(strings.Trim(words[1], "[]"))
		if err != nil {
			return nil, err
		}
		wire = bridge.Wire(vid)
	}
	if at := slices.Index(words, "to"); at > 0 {
		to, err := notation.PortRef(net.Office, words[at+1])
		if err != nil {
			return nil, err
		}
		journey, err := walk.To(net, from, wire, to)
		if err != nil {
			return nil, err
		}
		var out []string
		for _, step := range journey.Steps {
			out = append(out, step.Text)
		}
		if !journey.Arrives {
			return append(out, "not there: "+journey.Why), nil
		}
		return append(out, "there, "+journey.Wire.String()), nil
	}
	way, err := walk.Broadcast(net, from, wire)
	if err != nil {
		return nil, err
	}
	var out []string
	for _, hop := range way.Hops {
		out = append(out, fmt.Sprintf("%s %s: %s", hop.In, hop.Wire, hop.Text))
	}
	for _, drop := range way.Drops {
		out = append(out, fmt.Sprintf("%s %s: dropped, %s", drop.Port, drop.Wire, drop.Reason))
	}
	return out, nil
}

// worded is a device that asks in some words, with what it is set to and, where a line of ports is
// given, with what it would be set to then.
func worded(net *span.Net, name, words, line string) (device *wording.Device, was, is wording.State, err error) {
	text := "-" + name + " wording"
	if words != "plain" {
		text = name + " wording " + strings.ReplaceAll(words, "+", " ")
	}
	result, err := command.Do(net, command.Line{Text: text})
	if err != nil {
		return nil, was, is, err
	}
	net = net.Update(result.Office)
	i := net.Topo.DeviceIndex(name)
	was = wording.Planned(net, i)
	if line != "" {
		if result, err = command.Do(net, command.Line{Text: name + " " + line}); err != nil {
			return nil, was, is, err
		}
		net = net.Update(result.Office)
	}
	return wording.For(net, i), was, wording.Planned(net, i), nil
}

// tables is tables as lines, cells parted by bars.
func tables(all []wording.Table) (out []string) {
	for _, table := range all {
		out = append(out, table.Title+": "+strings.Join(table.Head, " | "))
		for _, row := range table.Rows {
			out = append(out, "  "+strings.Join(row, " | "))
		}
	}
	return out
}

// taken is what rows of somebody's own sheet come to, and what of them is not understood.
func taken(lines []string) (out []string) {
	table := intake.Table{Name: "plan"}
	for _, line := range lines {
		var row []string
		for cell := range strings.SplitSeq(strings.Trim(strings.TrimSpace(line), "|"), "|") {
			row = append(row, strings.TrimSpace(cell))
		}
		table.Rows = append(table.Rows, row)
	}
	understood := intake.Read([]intake.Table{table}, nil)
	o, _ := understood.Take(&office.Office{})
	for line := range strings.Lines(notation.Print(o)) {
		if line = strings.TrimRight(line, "\n"); line != "" {
			out = append(out, line)
		}
	}
	for _, trouble := range understood.Trouble {
		out = append(out, fmt.Sprintf("# row %d, column %d: %s", trouble.Row, trouble.Column, trouble.Text))
	}
	return out
}
