package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"klammer/api"
	"klammer/cmd/asking"
	"klammer/core/found"
	"klammer/core/wording"
	"klammer/field"
	"klammer/spreadsheet"
)

func foundCmd() *cobra.Command {
	var asJSON bool
	var sheet, bridge string
	cmd := &cobra.Command{
		Use:   "found FILE DEVICE INPUT",
		Short: "Read what a device is really set to, beside what it should be",
		Long: `Read what a device is set to from INPUT (- is standard input): lines in bracket
notation, a table as CSV or XLSX (by VLAN, by port, or a grid of T and U), or
what bridge vlan show prints on a Linux host, or with -json, and ip -json -details link.
ovsdb:unix:PATH or ovsdb:tcp:HOST:PORT reads a running Open vSwitch (RFC 7047).
Prints each port that differs from the plan, with which side has what, and the
steps from the one to the other. What cannot be understood goes to standard
error. Exit status 1 where anything differs.`,
		Example: "  klammer found demo/clinic.klm ward-east ports.csv\n  bridge -json vlan show | klammer found office.klm host -",
		Args:    cobra.ExactArgs(3),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, net, i, err := deviceArg(cmd, args[0], args[1])
			if err != nil {
				return err
			}
			if !net.Aware(i) {
				return fmt.Errorf("%s knows no VLANs: there is nothing to find", args[1])
			}
			base := wording.Planned(net, i)
			device := file.Office.Devices[i]
			var result *found.Result
			var data []byte
			address, live := strings.CutPrefix(args[2], "ovsdb:")
			if !live {
				if data, err = input(cmd, args[2]); err != nil {
					return err
				}
			}
			if live {
				var told *field.Reading
				if told, err = field.ReadOVSDB(cmd.Context(), address, bridge); err == nil {
					result = told.Found(file.Office, device, field.MatchPorts(device, told), base)
				}
			} else if strings.EqualFold(filepath.Ext(args[2]), ".xlsx") {
				var rows [][]string
				if rows, err = spreadsheet.Rows(data, sheet); err == nil {
					result, err = found.Rows(device, base, rows)
				}
			} else {
				result, err = found.OfDevice(net, i, base, string(data))
			}
			if err != nil {
				return fmt.Errorf("%s: %w", args[2], err)
			}
			one := api.FoundOf(net, i, result.State)
			meaning, err := found.Meaning(net, i, result.State)
			if err != nil {
				return err
			}
			one.Meaning = api.PortChanges(meaning)
			for _, trouble := range result.Trouble {
				fmt.Fprintf(cmd.ErrOrStderr(), "%s: %s\n", args[2], trouble)
			}
			if asJSON {
				return asking.PrintJSON(cmd, one)
			}
			printFound(cmd, result, one)
			if len(one.Differences) > 0 {
				return asking.Status(1)
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "one JSON document")
	cmd.Flags().StringVar(&sheet, "sheet", "", "the sheet of a workbook; the first where none is said")
	cmd.Flags().StringVar(&bridge, "bridge", "", "the bridge of an Open vSwitch; the only one where none is said")
	return cmd
}

// input reads a file, or standard input for -.
func input(cmd *cobra.Command, name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(cmd.InOrStdin())
	}
	data, err := os.ReadFile(name)
	if os.IsNotExist(err) {
		return nil, fmt.Errorf("%s: no such file", name)
	}
	return data, err
}

func printFound(cmd *cobra.Command, result *found.Result, one *api.Found) {
	out := cmd.OutOrStdout()
	fmt.Fprintf(out, "read %d ports (%s)\n", len(result.Said), result.Form)
	if len(one.Differences) == 0 {
		fmt.Fprintln(out, "as planned")
		return
	}
	for _, difference := range one.Differences {
		fmt.Fprintf(out, "%s: planned %s, found %s\n", difference.Port, difference.Planned, difference.Found)
	}
	for _, m := range one.Meaning {
		if len(m.Gains) > 0 {
			fmt.Fprintf(out, "%s gains %s by the plan\n", m.Port, strings.Join(m.Gains, ", "))
		}
		if len(m.Loses) > 0 {
			fmt.Fprintf(out, "%s loses %s by the plan\n", m.Port, strings.Join(m.Loses, ", "))
		}
		if len(m.Otherwise) > 0 {
			fmt.Fprintf(out, "%s reaches %s in another form by the plan\n", m.Port, strings.Join(m.Otherwise, ", "))
		}
	}
	if len(one.Steps) > 0 {
		fmt.Fprintln(out, "Steps to the plan")
		for i, step := range one.Steps {
			fmt.Fprintf(out, "%4d. [%s] %s\n", i+1, step.Where, step.Text)
		}
	}
	if one.Problem != "" {
		fmt.Fprintln(cmd.ErrOrStderr(), one.Problem)
	}
}
