package main

import (
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
)

func probeCmd() *cobra.Command {
	var into, asIs, port, vlans string
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "probe",
		Short: "What a laptop sees at a port, beside the plan",
		Long: `A laptop that plugs in and looks: who hands out an address, who answers. It is
played into an office as devices are set to (--as-is), and what it sees is put
beside what the plan (--into) says; then come the mistakes that explain it, the
likeliest first, what sets each as planned, and where to plug in next to tell them
apart. Without a port it walks the whole round.

Exit status 0 says that all is as planned, 1 that it is not.`,
		Example: "  klammer probe --into planned.klm --as-is found.klm --port rack.1\n  klammer probe --into planned.klm --as-is found.klm --port rack.1 --vlans 110,140\n  klammer probe --into planned.klm --as-is found.klm --json",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			switch {
			case into == "" || asIs == "":
				return errors.New("a probe needs the plan (--into OFFICE.klm) and what devices are set to (--as-is OTHER.klm)")
			case port == "" && vlans != "":
				return errors.New("--vlans needs the port that is plugged into: --port rack.1")
			}
			was, plan, err := readTwo(cmd, asIs, into)
			if err != nil {
				return err
			}
			r := round.Make(plan.Office)
			tests := r.Tests
			if port != "" {
				if tests, err = testsAt(plan.Office, r, port, vlans); err != nil {
					return err
				}
			}
			p := api.ProbedOf(plan.Office, r, r.Play(was.Office, tests))
			if asJSON {
				err = printJSON(cmd, p)
			} else {
				printProbed(cmd.OutOrStdout(), p)
			}
			for _, t := range p.Tests {
				if err == nil && !t.Passed {
					err = status(1)
				}
			}
			return err
		},
	}
	cmd.Flags().StringVar(&into, "into", "", "the office as planned")
	cmd.Flags().StringVar(&asIs, "as-is", "", "the office as its devices are set to")
	cmd.Flags().StringVar(&port, "port", "", "where the laptop is plugged in; the whole round without it")
	cmd.Flags().StringVar(&vlans, "vlans", "", "VLAN IDs to tag with besides those of the plan: 110,120")
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

// testsAt is what is tried at a port.
func testsAt(o *office.Office, r *round.Round, port, vlans string) ([]round.Test, error) {
	ref, err := notation.PortRef(o, port)
	if err != nil {
		return nil, err
	}
	tests, err := r.At(ref)
	if err != nil || vlans == "" {
		return tests, err
	}
	for _, text := range strings.Split(vlans, ",") {
		n, err := strconv.Atoi(strings.TrimSpace(text))
		if err != nil {
			return nil, fmt.Errorf("--vlans is VLAN IDs with commas between, as 110,120: found %q", text)
		}
		v, err := office.VIDOf(n)
		if err != nil {
			return nil, fmt.Errorf("--vlans: %w", err)
		}
		t, more, err := r.Tagged(ref, v)
		if err != nil {
			return nil, err
		}
		if more {
			tests = append(tests, t)
		}
	}
	return tests, nil
}

// printProbed prints what was seen as somebody would tell it.
func printProbed(out io.Writer, p *api.Probed) {
	for _, t := range p.Tests {
		how := "as planned"
		if !t.Passed {
			how = "not as planned"
		}
		fmt.Fprintf(out, "%s, %s: %s\n", spaced(t.Port), tagging(t.Wire), how)
		for _, g := range t.Given {
			fmt.Fprintf(out, "      %s (%s) hands out %s to %s\n", g.Server, g.By, g.From, g.To)
		}
		for _, w := range t.Wrong {
			fmt.Fprintf(out, "      %s\n", w)
		}
	}
	if len(p.Suspects) > 0 {
		fmt.Fprintln(out, "One of these would explain it:")
	} else if !passed(p) {
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
		}
	}
	if n := p.Next; n != nil {
		fmt.Fprintf(out, "To tell them apart, plug in next at %s, %s.\n", spaced(n.Port), tagging(n.Wire))
	}
}

func passed(p *api.Probed) bool {
	for _, t := range p.Tests {
		if !t.Passed {
			return false
		}
	}
	return true
}

// tagging is what a laptop's frames wear.
func tagging(wire *int) string {
	if wire == nil {
		return "untagged"
	}
	return fmt.Sprintf("tagged %d", *wire)
}
