package notation_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
)

// TestWordsAreTold: the documents have every word of the model and of the
// notation, in code.
func TestWordsAreTold(t *testing.T) {
	texts := map[string]string{}
	for _, file := range []string{"notation.md", "wordings.md"} {
		text, err := os.ReadFile("../../docs/" + file)
		require.NoError(t, err)
		texts[file] = string(text)
	}
	for file, words := range map[string][]string{
		"notation.md": slices.Concat(notation.TopLevel, notation.InDevice, notation.InShape, office.Forwardings(), text(office.Kinds), text(office.Flavours), text(office.BundleModes), text(office.LimitNames)),
		"wordings.md": slices.Concat(text(office.Wordings), text(office.Habits)),
	} {
		for _, w := range words {
			require.Contains(t, texts[file], w, "docs/%s does not tell of %s", file, w)
		}
	}
}

func text[T ~string](all []T) (out []string) {
	for _, x := range all {
		out = append(out, string(x))
	}
	return out
}

// TestWordsAsNames: a port may be named like any word, and what is printed of it
// is read again.
func TestWordsAsNames(t *testing.T) {
	words := slices.Concat(notation.Keywords(), notation.InShape, []string{"off", "pvid", "1-2", "last-1"})
	slices.Sort(words)
	words = slices.Compact(words)
	var quoted []string
	for _, w := range words {
		quoted = append(quoted, fmt.Sprintf("%q", w))
	}
	f, err := notation.Read("t", "device d switch\n  ports "+strings.Join(quoted, ", ")+"\n")
	require.NoError(t, err)
	o := f.Office
	for i, w := range words {
		s := office.Shape{Untagged: []office.VID{office.VID(10 + i)}}
		line := notation.Thing(office.Setting{Port: office.PortRef{Device: "d", Port: w}, Shape: &s})
		o, _, err = notation.Line(o, line)
		require.NoError(t, err, line)
		require.Equal(t, office.VID(10+i), o.Devices[0].Ports[i].Shape.PortVID(), line)
		again, err := notation.PortRef(o, notation.Ref(office.PortRef{Device: "d", Port: w}))
		require.NoError(t, err)
		require.Equal(t, w, again.Port)
	}
	again, err := notation.Read("t", notation.Print(o))
	require.NoError(t, err)
	require.Equal(t, notation.Print(o), notation.Print(again.Office))
}
