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
			if file, ok := cmd.ErrOrStderr().(*os.File); ok && terminal(file) {
				opt.Progress = progress(file)
			}
			told, err := order.Make(was.Office, plan.Office, opt)
			if opt.Progress != nil {
				fmt.Fprint(cmd.ErrOrStderr(), "\r\033[K")
			}
			var no *order.Impossible
			if errors.As(err, &no) {
				for _, reason := range no.Reasons {
					fmt.Fprintln(cmd.ErrOrStderr(), reason.Text)
				}
				return asking.Status(2)
			}
			if err != nil {
				return err
			}
			if asJSON {
				err = asking.PrintJSON(cmd, api.OrderOf(told))
			} else {
				printOrder(cmd.OutOrStdout(), api.OrderOf(told))
			}
			if err == nil && !told.Safe() {
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
func terminal(file *os.File) bool {
	info, err := file.Stat()
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
func printOrder(out io.Writer, told *api.Order) {
	for _, text := range told.Leaves {
		fmt.Fprintln(out, text)
	}
	fmt.Fprintln(out, told.Told)
	switch n := len(told.Breaks); {
	case n == 1:
		fmt.Fprintln(out, "The plan has a finding that breaks: "+told.Breaks[0].Text)
	case n > 1:
		fmt.Fprintf(out, "The plan has %d findings that break, the first: %s\n", n, told.Breaks[0].Text)
	}
	for _, text := range slices.Concat(told.Far, told.Left) {
		fmt.Fprintln(out, text)
	}
	for _, line := range told.Paper {
		fmt.Fprintln(out, "  "+line)
	}
	visit := -1
	for i, step := range told.Steps {
		if step.Visit != visit {
			visit = step.Visit
			one := told.Visits[visit]
			how := map[order.By]string{order.OverNetwork: "over the network, laptop in " + asking.Spaced(one.At), order.AtPort: "laptop in " + cmp.Or(asking.Spaced(one.At), "no port yet"), order.AtConsole: "at its console"}[one.By]
			if one.By == order.AtPort && !strings.HasPrefix(one.At, one.Device+".") {
				how = "by hand"
				if where, console := strings.CutSuffix(one.At, " console"); console {
					how += ", laptop at the console of " + where
				} else if one.At != "" {
					how += ", laptop in " + asking.Spaced(one.At)
				}
			}
			fmt.Fprintf(out, "\nVisit %d: %s (%s)\n", visit+1, one.Device, how)
		}
		text := step.Text
		if step.Kind == order.Set && !strings.HasPrefix(text, step.Page) && step.Page != "" {
			text = "[" + step.Page + "] " + text
		}
		fmt.Fprintf(out, "%4d. %s\n", i+1, text)
		if len(step.Changes) > 0 {
			fmt.Fprintf(out, "      What changes: %s.\n", strings.Join(step.Changes, "; "))
		}
		for _, t := range step.Told {
			fmt.Fprintf(out, "      %s\n", t)
		}
	}
}
