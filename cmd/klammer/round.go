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
			file, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			made := round.Make(file.Office)
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
			one := api.RoundOf(made, tests)
			if since != "" {
				one.Lengths = append(one.Lengths, api.OrderLengthOf(made, tests))
			}
			if asJSON {
				return asking.PrintJSON(cmd, one)
			}
			printRound(cmd.OutOrStdout(), file.Office, one)
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
func printRound(out io.Writer, o *office.Office, one *api.Round) {
	if len(one.Tests) == 0 {
		fmt.Fprintln(out, "There is no place where a laptop would see a mistake: no port is free, or nothing answers. Addresses of the gateway and of devices make it see more.")
	}
	device := ""
	for i, test := range one.Tests {
		at, _, _ := strings.Cut(test.Port, ".")
		if at != device {
			if i > 0 {
				fmt.Fprintln(out)
			}
			device = at
			fmt.Fprintln(out, at)
		}
		where := asking.Spaced(test.Port)
		if test.Socket != "" {
			where += " (socket " + test.Socket + ")"
		}
		fmt.Fprintf(out, "%4d. %s, %s: %s\n", i+1, where, asking.Tagging(test.Wire), expected(o, test))
		for _, sees := range test.Reach {
			not := "answers"
			if !sees.OK {
				not = "does not answer"
			}
			fmt.Fprintf(out, "      %s %s %s\n", sees.To, not, sees.Service)
		}
		shows := strings.Join(test.Shows[:min(len(test.Shows), mostShown)], "; ")
		if more := len(test.Shows) - mostShown; more > 0 {
			shows += fmt.Sprintf("; and %d more", more)
		}
		fmt.Fprintf(out, "      shows: %s\n", shows)
	}
	for _, length := range one.Lengths {
		if len(one.Tests) == 0 {
			break
		}
		fmt.Fprintf(out, "\n%s: %d places, %d looks, %d mistakes", length.Name, length.Places, length.Tests, length.Shows)
	}
	if len(one.Tests) > 0 {
		fmt.Fprintln(out)
	}
	if len(one.Unshown) > 0 {
		fmt.Fprintf(out, "\nNo laptop sees these, look at the devices' pages: %s\n", strings.Join(one.Unshown, "; "))
	}
}

// expected is what a laptop is given at a test, in words.
func expected(o *office.Office, test api.PlugTest) string {
	if test.Expect.VLAN == nil {
		return "nothing is to be heard there"
	}
	in := fmt.Sprintf("in VLAN %d", *test.Expect.VLAN)
	if vlan := o.VLAN(*test.Expect.VLAN); vlan != nil && vlan.Name != "" {
		in += " " + vlan.Name
	}
	if test.Expect.Server == nil {
		return in + ", nobody hands out an address"
	}
	return fmt.Sprintf("%s, an address from %s to %s by %s", in, *test.Expect.From, *test.Expect.To, *test.Expect.Server)
}
