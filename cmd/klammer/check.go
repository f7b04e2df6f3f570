package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/finding"
	"klammer/core/span"
)

func checkCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "check FILE",
		Short: "Say what is wrong or unwise in an office",
		Long: `Say what is wrong or unwise in an office, what breaks first.

Exit status 1 if anything breaks, 2 if the file cannot be read.`,
		Example: "  klammer check demo/clinic.klm\n  klammer check --json - < demo/clinic.klm",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			report := finding.Check(span.Compile(file.Office))
			list := report.List()
			if asJSON {
				err = asking.PrintJSON(cmd, map[string]any{"findings": api.Findings(report, list, tried(report, list))})
			} else {
				printFindings(cmd, report, list)
			}
			if err == nil && report.Breaks() {
				return asking.Status(1)
			}
			return err
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	return cmd
}

// tried is for how many of the findings mends are tried: trying one costs as the
// office is large, and a long list of a huge office is for reading.
func tried(report *finding.Report, list []*finding.Finding) int {
	const most, least = 2_000_000, 100 // ports and findings gone through; findings
	ports := 0
	for _, device := range report.Net.Office.Devices {
		ports += len(device.Ports)
	}
	return min(len(list), max(least, most/(ports+len(list)+1)))
}

func printFindings(cmd *cobra.Command, report *finding.Report, list []*finding.Finding) {
	writer := cmd.OutOrStdout()
	count := map[finding.Severity]int{}
	mends := report.Tries()
	most := tried(report, list)
	for n, one := range list {
		count[one.Severity]++
		fmt.Fprintf(writer, "%-6s %s: %s\n", one.Severity, one.Code, one.Text)
		if n >= most {
			continue
		}
		for i, m := range mends(one) {
			word := "mend: "
			if i > 0 {
				word = "or:   "
			}
			for _, line := range m {
				fmt.Fprintf(writer, "         %s%s\n", word, line)
				word = "      "
			}
		}
	}
	if len(list) == 0 {
		fmt.Fprintln(writer, "nothing to say: every VLAN reaches what it should")
		return
	}
	if most < len(list) {
		fmt.Fprintf(writer, "mends were tried for the first %d findings: the office is too large to try all\n", most)
	}
	fmt.Fprintf(writer, "%d break, %d risk, %d tidy\n", count[finding.Breaks], count[finding.Risk], count[finding.Tidy])
}

func fmtCmd() *cobra.Command {
	var inPlace bool
	cmd := &cobra.Command{
		Use:     "fmt FILE",
		Short:   "Print an office in its one canonical form, comments kept",
		Example: "  klammer fmt office.klm\n  klammer fmt -w office.klm",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			if inPlace {
				return write(args[0], file)
			}
			_, err = fmt.Fprint(cmd.OutOrStdout(), file)
			return err
		},
	}
	cmd.Flags().BoolVarP(&inPlace, "write", "w", false, "write it back to the file")
	return cmd
}
