// Klammer plans, checks and explains the VLAN memberships of a small office's
// network. This is its command line; `klammer help` lists what it does.
package main

import (
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"klammer/cmd/asking"
	"klammer/mishap"
)

// run is the whole program but for leaving it, so that tests can call it.
func run() int {
	cmd := root()
	mishap.Told = func(fault *mishap.Fault) { // what is typed has no log
		fmt.Fprintf(cmd.ErrOrStderr(), "klammer: a fault of its own, number %s: %v\n%s", fault.Number, fault.What, fault.Stack)
	}
	err := cmd.Execute()
	var status asking.Status
	switch {
	case err == nil:
		return 0
	case errors.As(err, &status):
		return int(status)
	}
	fmt.Fprintln(cmd.ErrOrStderr(), "klammer:", err)
	return 2
}

func main() { os.Exit(run()) }

func root() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "klammer",
		Short: "Plan, check and explain the VLANs of a small office",
		Long: `Klammer plans, checks and explains the VLAN memberships of a small office.

An office is written in bracket notation (docs/notation.md): 190 [110 160] is a
port with VLAN 190 untagged, and 110 and 160 tagged. FILE may be - for standard
input. Exit status 2 says that something could not be read.`,
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	cmd.CompletionOptions.HiddenDefaultCmd = true
	cmd.AddCommand(checkCmd(), fmtCmd(), walkCmd(), talkCmd(), flowsCmd(), spansCmd(), bringCmd(), withdrawCmd(), diffCmd(), sheetCmd(), orderCmd(), roundCmd(), probeCmd(), asking.LookCmd(), backupCmd(), restoreCmd(), rekeyCmd(), readCmd(), neighboursCmd(), carryOutCmd(), standinCmd(), foundCmd(), importCmd(), serveCmd(), madeCmd(cmd))
	return cmd
}
