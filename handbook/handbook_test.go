package handbook_test

import (
	"bytes"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"klammer/api"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/span"
	"klammer/handbook"
)

// bookOf is the handbook of an office, as its text and as HTML.
func bookOf(t *testing.T, notationText string, chapters ...string) (text, page string) {
	t.Helper()
	f, err := notation.Read("x", notationText)
	require.NoError(t, err)
	net := span.Compile(f.Office)
	book := &handbook.Book{At: time.Now(), Chapters: chapters, View: api.View(1, 7, finding.Check(net), nil)}
	for i := range net.Office.Devices {
		if sheet := api.TablesOf(net, i); sheet != nil {
			book.Sheets = append(book.Sheets, sheet)
		}
	}
	var out bytes.Buffer
	require.NoError(t, handbook.Write(&out, book))
	root, err := html.Parse(bytes.NewReader(out.Bytes()))
	require.NoError(t, err)
	var words strings.Builder
	var walk func(*html.Node)
	walk = func(n *html.Node) {
		require.NotContains(t, []string{"script", "img", "link", "iframe", "object"}, n.Data, "it needs nothing else")
		for _, a := range n.Attr {
			require.False(t, strings.HasPrefix(a.Key, "on"), a.Key)
			require.True(t, a.Key != "href" || strings.HasPrefix(a.Val, "#"), a.Val)
		}
		if n.Type == html.TextNode && n.Parent.Data != "style" {
			words.WriteString(n.Data + "\n")
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
	}
	walk(root)
	return words.String(), out.String()
}

// TestEverythingStandsInIt: each quoted text of the clinic's notation (names, notes, reasons, what
// hangs there, sockets), each address and each subnet is in its handbook.
func TestEverythingStandsInIt(t *testing.T) {
	raw, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	text, _ := bookOf(t, string(raw))
	statements := regexp.MustCompile(`(?m)#.*$`).ReplaceAllString(string(raw), "")
	n := 0
	for _, quoted := range regexp.MustCompile(`"([^"]+)"`).FindAllStringSubmatch(statements, -1) {
		if m := regexp.MustCompile(`^([\d.]*\.)(\d+)-[\d.]*\.(\d+)$`).FindStringSubmatch(quoted[1]); m != nil { // sockets in order
			require.Contains(t, text, m[1]+m[2])
			require.Contains(t, text, m[1]+m[3])
			continue
		}
		require.Contains(t, text, quoted[1])
		n++
	}
	for _, address := range regexp.MustCompile(`\b\d+\.\d+\.\d+\.\d+(/\d+)?\b`).FindAllString(statements, -1) {
		require.Contains(t, text, address)
		n++
	}
	require.Greater(t, n, 80)
}

// TestChapters: each can be left out, and what only it says is gone then.
func TestChapters(t *testing.T) {
	raw, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	for _, chapter := range handbook.Chapters {
		var others []string
		for _, other := range handbook.Chapters {
			if other.Name != chapter.Name {
				others = append(others, other.Name)
			}
		}
		_, page := bookOf(t, string(raw), others...)
		require.NotContains(t, page, `id="`+chapter.Name+`"`)
		require.NotContains(t, page, ">"+chapter.Title+"</h2>")
		_, page = bookOf(t, string(raw), chapter.Name)
		require.Equal(t, 1, strings.Count(page, `<section class="chapter"`), chapter.Name)
	}
}

// TestHostileNames: what people name things is text, wherever it stands.
func TestHostileNames(t *testing.T) {
	evil := `</td><script>alert(1)</script><img src=x onerror=y>`
	text, _ := bookOf(t, `office "`+evil+`"
vlan 10 desks "`+evil+`" net 10.0.10.0/24
device a switch
  ports 1-4
  place "`+evil+`"
  note "`+evil+`"
  1: 10 because "`+evil+`"
  socket 1 "`+evil+`"
plug a.1 "`+evil+`" wants 10
`)
	require.GreaterOrEqual(t, strings.Count(text, evil), 6)
}
