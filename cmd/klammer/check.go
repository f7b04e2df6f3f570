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
			f, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			r := finding.Check(span.Compile(f.Office))
			list := r.List()
			if asJSON {
				err = asking.PrintJSON(cmd, map[string]any{"findings": api.Findings(r, list, tried(r, list))})
			} else {
				printFindings(cmd, r, list)
			}
			if err == nil && r.Breaks() {
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
func tried(r *finding.Report, list []*finding.Finding) int {
	const most, least = 2_000_000, 100 // ports and findings gone through; findings
	ports := 0
	for _, d := range r.Net.Office.Devices {
		ports += len(d.Ports)
	}
	return min(len(list), max(least, most/(ports+len(list)+1)))
}

func printFindings(cmd *cobra.Command, r *finding.Report, list []*finding.Finding) {
	w := cmd.OutOrStdout()
	count := map[finding.Severity]int{}
	mends := r.Tries()
	most := tried(r, list)
	for n, f := range list {
		count[f.Severity]++
		fmt.Fprintf(w, "%-6s %s: %s\n", f.Severity, f.Code, f.Text)
		if n >= most {
			continue
		}
		for i, m := range mends(f) {
			word := "mend: "
			if i > 0 {
				word = "or:   "
			}
			for _, l := range m {
				fmt.Fprintf(w, "         %s%s\n", word, l)
				word = "      "
			}
		}
	}
	if len(list) == 0 {
		fmt.Fprintln(w, "nothing to say: every VLAN reaches what it should")
		return
	}
	if most < len(list) {
		fmt.Fprintf(w, "mends were tried for the first %d findings: the office is too large to try all\n", most)
	}
	fmt.Fprintf(w, "%d break, %d risk, %d tidy\n", count[finding.Breaks], count[finding.Risk], count[finding.Tidy])
}

func fmtCmd() *cobra.Command {
	var inPlace bool
	cmd := &cobra.Command{
		Use:     "fmt FILE",
		Short:   "Print an office in its one canonical form, comments kept",
		Example: "  klammer fmt office.klm\n  klammer fmt -w office.klm",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			f, err := asking.Read(cmd, args[0])
			if err != nil {
				return err
			}
			if inPlace {
				return write(args[0], f)
			}
			_, err = fmt.Fprint(cmd.OutOrStdout(), f)
			return err
		},
	}
	cmd.Flags().BoolVarP(&inPlace, "write", "w", false, "write it back to the file")
	return cmd
}
