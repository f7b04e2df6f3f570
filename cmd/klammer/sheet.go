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
			_, net, i, err := deviceArg(cmd, args[0], args[1])
			if err != nil {
				return err
			}
			sheet := api.SheetOf(net, i)
			if sheet == nil {
				return fmt.Errorf("%s knows no VLANs: there is nothing to enter", args[1])
			}
			if asJSON {
				return asking.PrintJSON(cmd, sheet)
			}
			printSheet(cmd, sheet)
			if len(sheet.Unsayable) > 0 {
				return asking.Status(1)
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

func printSheet(cmd *cobra.Command, sheet *api.Sheet) {
	out := cmd.OutOrStdout()
	for _, table := range sheet.Tables {
		fmt.Fprintf(out, "%s\n", table.Title)
		writer := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
		for _, r := range append([][]string{table.Head}, table.Rows...) {
			fmt.Fprintf(writer, "  %s\t\n", strings.Join(r, "\t"))
		}
		_ = writer.Flush()
		fmt.Fprintln(out)
	}
	fmt.Fprintln(out, "Steps, from the factory state")
	if sheet.Caution != "" {
		fmt.Fprintln(out, sheet.Caution)
	}
	for i, st := range sheet.Steps {
		fmt.Fprintf(out, "%4d. [%s] %s\n", i+1, st.Where, st.Text)
	}
	for _, unsayable := range sheet.Unsayable {
		fmt.Fprintf(cmd.ErrOrStderr(), "%s cannot be %s: %s; entered as %s\n", unsayable.Port, unsayable.Shape, unsayable.Why, unsayable.Nearest)
	}
}
