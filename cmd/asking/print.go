package asking

import (
	"fmt"
	"io"
	"strings"

	"klammer/api"
)

// PrintProbed prints what was seen as somebody would tell it.
func PrintProbed(out io.Writer, p *api.Probed) {
	for _, t := range p.Tests {
		how := "as planned"
		if !t.Passed {
			how = "not as planned"
		}
		fmt.Fprintf(out, "%s, %s: %s\n", Spaced(t.Port), Tagging(t.Wire), how)
		for _, g := range t.Given {
			fmt.Fprintf(out, "      %s (%s) hands out %s to %s\n", g.Server, g.By, g.From, g.To)
		}
		for _, w := range t.Wrong {
			fmt.Fprintf(out, "      %s\n", w)
		}
	}
	if len(p.Suspects) > 0 {
		if p.Suspects[0].Near {
			fmt.Fprintln(out, "Nothing simple gives all of it; this comes nearest:")
		} else if len(p.Suspects) == 1 && len(p.Suspects[0].Ways) == 1 {
			fmt.Fprintln(out, "This would explain it:")
		} else {
			fmt.Fprintln(out, "One of these would explain it:")
		}
	} else if !Passed(p) {
		fmt.Fprintln(out, "No mistakes of the kinds that Klammer knows, one or several, explain it: read the devices (klammer read).")
	}
	const most = 8
	for i, s := range p.Suspects {
		if i == most {
			fmt.Fprintf(out, "  and %d more, less likely\n", len(p.Suspects)-most)
			break
		}
		for _, w := range s.Ways {
			fmt.Fprintf(out, "  %s\n", strings.Join(w.Mistakes, ", and "))
			if len(w.Mend) > 0 {
				fmt.Fprintf(out, "      set as planned: %s\n", strings.Join(w.Mend, "; "))
			}
			for _, s := range w.Steps {
				if i > 0 {
					break // of the likeliest alone
				}
				at := s.Device
				if !strings.HasPrefix(s.Text, s.Where) { // it says its page itself
					at += ", " + s.Where
				}
				fmt.Fprintf(out, "      on %s: %s\n", at, s.Text)
			}
		}
		if len(s.Or) > 0 {
			fmt.Fprintf(out, "      instead of one of these it may be one that no laptop tells from it: %s\n", strings.Join(s.Or, "; "))
		}
	}
	if n := p.Next; n != nil {
		fmt.Fprintf(out, "To tell them apart, plug in next at %s, %s.\n", Spaced(n.Port), Tagging(n.Wire))
	}
}

// Passed says whether all is as planned.
func Passed(p *api.Probed) bool {
	for _, t := range p.Tests {
		if !t.Passed {
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
