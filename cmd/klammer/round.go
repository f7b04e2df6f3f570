package main

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/core/office"
	"klammer/core/round"
)

func roundCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "round OFFICE",
		Short: "Where to plug a laptop in to prove the plan, and what it must see there",
		Long: `The fewest places to plug a laptop in, untagged or with a tag, that together show
any single mistake in carrying the plan out: a VLAN that an end of a cable lacks, a
port left in VLAN 1, a PVID, an inner port in another VLAN, a rule that was not
entered. Device by device, from the gateway outwards; with each place what the
laptop is given there, what answers it and what does not, and the mistakes that it
would show. Mistakes that no laptop sees anywhere are listed at the end.`,
		Example: "  klammer round office.klm\n  klammer round office.klm --json",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			f, err := read(cmd, args[0])
			if err != nil {
				return err
			}
			r := api.RoundOf(round.Make(f.Office))
			if asJSON {
				return printJSON(cmd, r)
			}
			printRound(cmd.OutOrStdout(), f.Office, r)
			return nil
		},
	}
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
		fmt.Fprintf(out, "%4d. %s, %s: %s\n", i+1, spaced(t.Port), tagging(t.Wire), expected(o, t))
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
