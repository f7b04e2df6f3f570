// klammer-look is klammer look by itself: one file for laptops with Linux, Windows or macOS,
// where the whole of Klammer does not run.
package main

import (
	"errors"
	"fmt"
	"os"

	"klammer/cmd/asking"
)

func main() {
	cmd := asking.LookCmd()
	cmd.Use = "klammer-look"
	cmd.SilenceUsage, cmd.SilenceErrors = true, true
	err := cmd.Execute()
	var status asking.Status
	switch {
	case err == nil:
	case errors.As(err, &status):
		os.Exit(int(status))
	default:
		fmt.Fprintln(os.Stderr, "klammer-look:", err)
		os.Exit(2)
	}
}
