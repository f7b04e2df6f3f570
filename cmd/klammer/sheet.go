package main

import (
	"fmt"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
)

func sheetCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "sheet FILE DEVICE",
		Short: "The values and the steps to enter on one device, in its own wording",
		Long: `The values to enter on a device, in the layout of its own pages, and the steps
that it accepts on the way there from its factory state. What its wording cannot
say goes to standard error, with what comes nearest, and exits with status 1.`,
		Example: "  klammer sheet demo/clinic.klm ward-east\n  klammer sheet demo/clinic.klm annex --json",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, n, i, err := deviceArg(cmd, args[0], args[1])
			if err != nil {
				return err
			}
			s := api.SheetOf(n, i)
			if s == nil {
				return fmt.Errorf("%s knows no VLANs: there is nothing to enter", args[1])
			}
			if asJSON {
				return asking.PrintJSON(cmd, s)
			}
			printSheet(cmd, s)
			if len(s.Unsayable) > 0 {
				return asking.Status(1)
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

func printSheet(cmd *cobra.Command, s *api.Sheet) {
	out := cmd.OutOrStdout()
	for _, t := range s.Tables {
		fmt.Fprintf(out, "%s\n", t.Title)
		w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
		for _, r := range append([][]string{t.Head}, t.Rows...) {
			fmt.Fprintf(w, "  %s\t\n", strings.Join(r, "\t"))
		}
		_ = w.Flush()
		fmt.Fprintln(out)
	}
	fmt.Fprintln(out, "Steps, from the factory state")
	if s.Caution != "" {
		fmt.Fprintln(out, s.Caution)
	}
	for i, st := range s.Steps {
		fmt.Fprintf(out, "%4d. [%s] %s\n", i+1, st.Where, st.Text)
	}
	for _, u := range s.Unsayable {
		fmt.Fprintf(cmd.ErrOrStderr(), "%s cannot be %s: %s; entered as %s\n", u.Port, u.Shape, u.Why, u.Nearest)
	}
}
