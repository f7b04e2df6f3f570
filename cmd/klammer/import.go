package main

import (
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"klammer/cmd/asking"
	"klammer/core/intake"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/spreadsheet"
)

func importCmd() *cobra.Command {
	var into string
	cmd := &cobra.Command{
		Use:   "import TABLES",
		Short: "Read an office from a workbook or a table as people keep them",
		Long: `Read a whole office from TABLES, a workbook (XLSX) or a table (CSV; - is standard
input): grids of ports against VLANs either way round, a device each, with titles
above and U, T, P or words in the cells; lists of VLANs, cables and plugs. Prints
the office in notation; with --into, the office that it leads to from another.
What is not understood goes to standard error, with its row and column.`,
		Example: "  klammer import plan.xlsx > office.klm\n  klammer import ward.csv --into office.klm",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			data, err := input(cmd, args[0])
			if err != nil {
				return err
			}
			var tables []intake.Table
			if strings.EqualFold(filepath.Ext(args[0]), ".xlsx") {
				tables, err = spreadsheet.Tables(data)
			} else {
				var table intake.Table
				table, err = spreadsheet.CSV(filepath.Base(args[0]), data)
				tables = []intake.Table{table}
			}
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			start := &office.Office{}
			if into != "" {
				file, err := asking.Read(cmd, into)
				if err != nil {
					return err
				}
				start = file.Office
			}
			understood := spreadsheet.Understand(tables, nil)
			o, _ := understood.Take(start)
			for _, trouble := range understood.Trouble {
				fmt.Fprintf(cmd.ErrOrStderr(), "%s, row %d, column %d: %s\n", trouble.Sheet, trouble.Row, trouble.Column, trouble.Text)
			}
			fmt.Fprint(cmd.OutOrStdout(), notation.Print(o))
			if len(understood.Trouble) > 0 {
				return asking.Status(1)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&into, "into", "", "an office that it goes into")
	return cmd
}
