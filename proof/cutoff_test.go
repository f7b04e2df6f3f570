package proof

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/span"
)

// TestCutOffFromAnother: nobody is said to be cut off from himself.
func TestCutOffFromAnother(t *testing.T) {
	parts := regexp.MustCompile(`parts: (.*) (?:is|are) cut off from ([^.]*)\.`)
	seen := 0
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 4)
		for _, one := range finding.Check(span.Compile(o)).List() {
			if found := parts.FindStringSubmatch(one.Text); found != nil {
				seen++
				for name := range strings.SplitSeq(strings.ReplaceAll(found[1], " and ", ", "), ", ") {
					require.NotEqual(t, found[2], name, "%s\n%s", one.Text, notation.Print(o))
				}
			}
		}
	})
	require.Positive(t, seen)
}
