package asking

import (
	"fmt"
	"io"
	"strings"

	"klammer/api"
)

// PrintProbed prints what was seen as somebody would tell it.
func PrintProbed(out io.Writer, probed *api.Probed) {
	for _, test := range probed.Tests {
		how := "as planned"
		if !test.Passed {
			how = "not as planned"
		}
		fmt.Fprintf(out, "%s, %s: %s\n", Spaced(test.Port), Tagging(test.Wire), how)
		for _, given := range test.Given {
			fmt.Fprintf(out, "      %s (%s) hands out %s to %s\n", given.Server, given.By, given.From, given.To)
		}
		for _, word := range test.Wrong {
			fmt.Fprintf(out, "      %s\n", word)
		}
	}
	if len(probed.Suspects) > 0 {
		if probed.Suspects[0].Near {
			fmt.Fprintln(out, "Nothing simple gives all of it; this comes nearest:")
		} else if len(probed.Suspects) == 1 && len(probed.Suspects[0].Ways) == 1 {
			fmt.Fprintln(out, "This would explain it:")
		} else {
			fmt.Fprintln(out, "One of these would explain it:")
		}
	} else if !Passed(probed) {
		fmt.Fprintln(out, "No mistakes of the kinds that Klammer knows, one or several, explain it: read the devices (klammer read).")
	}
	const most = 8
	for i, suspect := range probed.Suspects {
		if i == most {
			fmt.Fprintf(out, "  and %d more, less likely\n", len(probed.Suspects)-most)
			break
		}
		for _, way := range suspect.Ways {
			fmt.Fprintf(out, "  %s\n", strings.Join(way.Mistakes, ", and "))
			if len(way.Mend) > 0 {
				fmt.Fprintf(out, "      set as planned: %s\n", strings.Join(way.Mend, "; "))
			}
			for _, step := range way.Steps {
				if i > 0 {
					break // of the likeliest alone
				}
				at := step.Device
				if !strings.HasPrefix(step.Text, step.Where) { // it says its page itself
					at += ", " + step.Where
				}
				fmt.Fprintf(out, "      on %s: %s\n", at, step.Text)
			}
		}
		if len(suspect.Or) > 0 {
			fmt.Fprintf(out, "      instead of one of these it may be one that no laptop tells from it: %s\n", strings.Join(suspect.Or, "; "))
		}
	}
	if test := probed.Next; test != nil {
		fmt.Fprintf(out, "To tell them apart, plug in next at %s, %s.\n", Spaced(test.Port), Tagging(test.Wire))
	}
}

// Passed says whether all is as planned.
func Passed(probed *api.Probed) bool {
	for _, test := range probed.Tests {
		if !test.Passed {
			return false
		}
	}
	return true
}

// Tagging is what a laptop's frames wear.
func Tagging(wire *int) string {
	if wire == nil {
		return "untagged"
	}
	return fmt.Sprintf("tagged %d", *wire)
}

// Spaced is a port as people say it.
func Spaced(port string) string { return strings.Replace(port, ".", " ", 1) }
