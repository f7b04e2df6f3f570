package main

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/office"
	"klammer/core/round"
)

func roundCmd() *cobra.Command {
	var asJSON bool
	var length, since string
	cmd := &cobra.Command{
		Use:   "round OFFICE",
		Short: "Where to plug a laptop in to prove the plan, and what it must see there",
		Long: `The fewest places to plug a laptop in, untagged or with a tag, that together show
any single mistake in carrying the plan out: a VLAN that an end of a cable lacks, a
port left in VLAN 1, a PVID, an inner port in another VLAN, a rule that was not
entered. Device by device, from the gateway outwards; with each place what the
laptop is given there, what answers it and what does not, and the mistakes that it
would show. Mistakes that no laptop sees anywhere are listed at the end.

--length quick goes to each device once in each of its VLANs, and tries each rule
once: short enough to be walked on any evening. --since WAS.klm is the round of an
order: what is to be proved where the office was set as in that file before.`,
		Example: "  klammer round office.klm\n  klammer round office.klm --length quick\n  klammer round planned.klm --since as-is.klm --json",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			f, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			made := round.Make(f.Office)
			tests := made.Tests
			switch {
			case length != "quick" && length != "full":
				return fmt.Errorf("--length is quick or full: found %q", length)
			case since != "" && cmd.Flags().Changed("length"):
				return errors.New("the round of an order (--since) has a length of its own: leave --length out")
			case since != "":
				was, err := asking.Read(cmd, since)
				if err != nil {
					return err
				}
				tests = made.Touched(was.Office)
			case length == "quick":
				tests = made.Quick()
			}
			r := api.RoundOf(made, tests)
			if since != "" {
				r.Lengths = append(r.Lengths, api.OrderLengthOf(made, tests))
			}
			if asJSON {
				return asking.PrintJSON(cmd, r)
			}
			printRound(cmd.OutOrStdout(), f.Office, r)
			return nil
		},
	}
	cmd.Flags().StringVar(&length, "length", "full", "quick: each VLAN on each device once, each rule once; full: any single mistake")
	cmd.Flags().StringVar(&since, "since", "", "the office as it was before an order: only what the order touched")
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

// mostShown is how many mistakes of a place are printed; --json has all.
const mostShown = 12

// printRound prints a round as it is walked.
func printRound(out io.Writer, o *office.Office, r *api.Round) {
	if len(r.Tests) == 0 {
		fmt.Fprintln(out, "There is no place where a laptop would see a mistake: no port is free, or nothing answers. Addresses of the gateway and of devices make it see more.")
	}
	device := ""
	for i, t := range r.Tests {
		at, _, _ := strings.Cut(t.Port, ".")
		if at != device {
			if i > 0 {
				fmt.Fprintln(out)
			}
			device = at
			fmt.Fprintln(out, at)
		}
		where := asking.Spaced(t.Port)
		if t.Socket != "" {
			where += " (socket " + t.Socket + ")"
		}
		fmt.Fprintf(out, "%4d. %s, %s: %s\n", i+1, where, asking.Tagging(t.Wire), expected(o, t))
		for _, s := range t.Reach {
			not := "answers"
			if !s.OK {
				not = "does not answer"
			}
			fmt.Fprintf(out, "      %s %s %s\n", s.To, not, s.Service)
		}
		shows := strings.Join(t.Shows[:min(len(t.Shows), mostShown)], "; ")
		if more := len(t.Shows) - mostShown; more > 0 {
			shows += fmt.Sprintf("; and %d more", more)
		}
		fmt.Fprintf(out, "      shows: %s\n", shows)
	}
	for _, l := range r.Lengths {
		if len(r.Tests) == 0 {
			break
		}
		fmt.Fprintf(out, "\n%s: %d places, %d looks, %d mistakes", l.Name, l.Places, l.Tests, l.Shows)
	}
	if len(r.Tests) > 0 {
		fmt.Fprintln(out)
	}
	if len(r.Unshown) > 0 {
		fmt.Fprintf(out, "\nNo laptop sees these, look at the devices' pages: %s\n", strings.Join(r.Unshown, "; "))
	}
}

// expected is what a laptop is given at a test, in words.
func expected(o *office.Office, t api.PlugTest) string {
	if t.Expect.VLAN == nil {
		return "nothing is to be heard there"
	}
	in := fmt.Sprintf("in VLAN %d", *t.Expect.VLAN)
	if v := o.VLAN(*t.Expect.VLAN); v != nil && v.Name != "" {
		in += " " + v.Name
	}
	if t.Expect.Server == nil {
		return in + ", nobody hands out an address"
	}
	return fmt.Sprintf("%s, an address from %s to %s by %s", in, *t.Expect.From, *t.Expect.To, *t.Expect.Server)
}
