package main

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/order"
)

func orderCmd() *cobra.Command {
	var asJSON, unseenToo bool
	var opt order.Options
	cmd := &cobra.Command{
		Use:   "order AS-IS PLANNED",
		Short: "The steps from one office to the other that lock nobody out",
		Long: `The work order from an office as it is to the one that is planned: single acts
over all devices, cables and the administrator's laptop, visit by visit, in an
order in which nobody is locked out and, where any order allows it, nobody is cut
off. The laptop stands at the plug that both files call the operator's.

A device that is said to be new comes out of its box, and the old one of that name
stands beside it until it is taken away. Devices that nobody reaches stay as they
are, and the order says so; with --only all but those that are named do.

Exit status 0 says that nobody suffers on the way, 1 that somebody is interrupted,
out of reach or joined for a while, 2 that there is no order, with what stands
against it.`,
		Example: "  klammer order found.klm planned.klm\n  klammer order found.klm planned.klm --json",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			was, plan, err := readTwo(cmd, args[0], args[1])
			if err != nil {
				return err
			}
			if err := seenAll(cmd, was, opt.Only, unseenToo); err != nil {
				return err
			}
			if f, ok := cmd.ErrOrStderr().(*os.File); ok && terminal(f) {
				opt.Progress = progress(f)
			}
			o, err := order.Make(was.Office, plan.Office, opt)
			if opt.Progress != nil {
				fmt.Fprint(cmd.ErrOrStderr(), "\r\033[K")
			}
			var no *order.Impossible
			if errors.As(err, &no) {
				for _, r := range no.Reasons {
					fmt.Fprintln(cmd.ErrOrStderr(), r.Text)
				}
				return asking.Status(2)
			}
			if err != nil {
				return err
			}
			if asJSON {
				err = asking.PrintJSON(cmd, api.OrderOf(o))
			} else {
				printOrder(cmd.OutOrStdout(), api.OrderOf(o))
			}
			if err == nil && !o.Safe() {
				return asking.Status(1)
			}
			return err
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	cmd.Flags().BoolVar(&unseenToo, "unseen", false, "also where AS-IS says of something that nobody saw it (klammer read -o)")
	cmd.Flags().StringArrayVar(&opt.New, "new", nil, "a device that a new one of the same name takes the place of; again for others")
	cmd.Flags().StringArrayVar(&opt.Only, "only", nil, "a device that is set, all others staying as they are; again for others")
	return cmd
}

// terminal says whether somebody looks at a file as it is written.
func terminal(f *os.File) bool {
	info, err := f.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
}

// progress tells how far the search is, by hundredths.
func progress(out io.Writer) func(done, of int) {
	last := -1
	return func(done, of int) {
		if now := 100 * done / of; now != last {
			last = now
			fmt.Fprintf(out, "\r%d %% of what differs is in order", now)
		}
	}
}

// printOrder prints an order as a colleague would write it down.
func printOrder(out io.Writer, o *api.Order) {
	for _, text := range o.Leaves {
		fmt.Fprintln(out, text)
	}
	fmt.Fprintln(out, o.Told)
	switch n := len(o.Breaks); {
	case n == 1:
		fmt.Fprintln(out, "The plan has a finding that breaks: "+o.Breaks[0].Text)
	case n > 1:
		fmt.Fprintf(out, "The plan has %d findings that break, the first: %s\n", n, o.Breaks[0].Text)
	}
	for _, text := range slices.Concat(o.Far, o.Left) {
		fmt.Fprintln(out, text)
	}
	for _, line := range o.Paper {
		fmt.Fprintln(out, "  "+line)
	}
	visit := -1
	for i, s := range o.Steps {
		if s.Visit != visit {
			visit = s.Visit
			v := o.Visits[visit]
			how := map[order.By]string{order.OverNetwork: "over the network, laptop in " + asking.Spaced(v.At), order.AtPort: "laptop in " + cmp.Or(asking.Spaced(v.At), "no port yet"), order.AtConsole: "at its console"}[v.By]
			if v.By == order.AtPort && !strings.HasPrefix(v.At, v.Device+".") {
				how = "by hand"
				if where, console := strings.CutSuffix(v.At, " console"); console {
					how += ", laptop at the console of " + where
				} else if v.At != "" {
					how += ", laptop in " + asking.Spaced(v.At)
				}
			}
			fmt.Fprintf(out, "\nVisit %d: %s (%s)\n", visit+1, v.Device, how)
		}
		text := s.Text
		if s.Kind == order.Set && !strings.HasPrefix(text, s.Page) && s.Page != "" {
			text = "[" + s.Page + "] " + text
		}
		fmt.Fprintf(out, "%4d. %s\n", i+1, text)
		if len(s.Changes) > 0 {
			fmt.Fprintf(out, "      What changes: %s.\n", strings.Join(s.Changes, "; "))
		}
		for _, t := range s.Told {
			fmt.Fprintf(out, "      %s\n", t)
		}
	}
}
