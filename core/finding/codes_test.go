package finding_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// seenIn is what an example says that was seen, as comments.
func seenIn(t *testing.T, text string) *finding.Seen {
	ref := func(s string) office.PortRef {
		d, p, _ := strings.Cut(s, ".")
		return office.PortRef{Device: d, Port: p}
	}
	s := &finding.Seen{}
	for line := range strings.Lines(text) {
		switch w := strings.Fields(line); {
		case len(w) == 4 && w[1] == "heard":
			s.Heard = append(s.Heard, finding.Heard{At: ref(w[2]), By: ref(w[3])})
		case len(w) == 3 && w[1] == "failed":
			s.Failed = &finding.Failed{At: []office.PortRef{ref(w[2])}, Saw: w[2] + " is not as planned"}
		case len(w) == 5 && w[1] == "learnt":
			vid, err := office.ParseVID(w[3])
			require.NoError(t, err)
			s.Learnt = append(s.Learnt, finding.Learnt{At: ref(w[2]), VID: vid, MAC: office.MAC(w[4])})
		}
	}
	return s
}

// TestCodes: each code's example has it, and the documents have each code.
func TestCodes(t *testing.T) {
	file, err := parser.ParseFile(token.NewFileSet(), "codes.go", nil, parser.ParseComments)
	require.NoError(t, err)
	examples := map[finding.Code]string{}
	ast.Inspect(file, func(n ast.Node) bool {
		if v, ok := n.(*ast.ValueSpec); ok && v.Doc != nil {
			code := finding.Code(strings.Trim(v.Values[0].(*ast.BasicLit).Value, `"`))
			for _, line := range v.Doc.List {
				if l, ok := strings.CutPrefix(line.Text, "//\t"); ok {
					examples[code] += l + "\n"
				}
			}
		}
		return true
	})
	require.Len(t, examples, len(finding.Codes()), "a code has no example")
	for _, code := range finding.Codes() {
		f, err := notation.Read(string(code), examples[code])
		require.NoError(t, err, code)
		var found []finding.Code
		n := span.Compile(f.Office)
		for _, x := range finding.Check(n).List() {
			found = append(found, x.Code)
		}
		for _, x := range finding.OfSeen(n, seenIn(t, examples[code])) {
			found = append(found, x.Code)
			for _, mend := range x.Mends { // a mend is what the line takes, and the finding is gone
				next := f.Office
				for _, line := range mend {
					next, _, err = notation.Line(next, line)
					require.NoError(t, err, line)
				}
				require.Empty(t, finding.OfSeen(span.Compile(next), seenIn(t, examples[code])), "%v", mend)
			}
		}
		require.Contains(t, found, code, "the example of %s:\n%s", code, examples[code])
	}
	text, err := os.ReadFile("../../docs/findings.md")
	require.NoError(t, err)
	listed := map[string]bool{}
	for _, row := range regexp.MustCompile(`(?m)^\| (.+?) \| (breaks|risk|tidy) \|`).FindAllStringSubmatch(string(text), -1) {
		for _, c := range regexp.MustCompile("`([a-z-]+)`").FindAllStringSubmatch(row[1], -1) {
			listed[c[1]] = true
			require.Equal(t, finding.Code(c[1]).Severity().String(), row[2], "docs/findings.md on %s", c[1])
		}
	}
	for _, code := range finding.Codes() {
		if code != finding.Unsayable { // it has a paragraph of its own
			require.True(t, listed[string(code)], "docs/findings.md does not list %s", code)
		}
		delete(listed, string(code))
	}
	require.Empty(t, listed, "docs/findings.md lists what is no code")
}
