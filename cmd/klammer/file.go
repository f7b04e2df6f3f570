package main

import (
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"klammer/cmd/asking"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// readTwo reads what devices are set to, and what is planned.
func readTwo(cmd *cobra.Command, asIs, planned string) (was, plan *notation.File, err error) {
	if asIs == "-" && planned == "-" {
		return nil, nil, errors.New("standard input can be one of the two files, and not both")
	}
	if was, err = asking.Read(cmd, asIs); err == nil {
		plan, err = asking.Read(cmd, planned)
	}
	return was, plan, err
}

// write puts an office back into the file that it came from, in one step, so
// that a full disk leaves the old file.
func write(file string, f *notation.File) error {
	if file == "-" {
		return fmt.Errorf("-w writes to a file, and standard input is none: leave -w out")
	}
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	tmp := file + ".new"
	if err := os.WriteFile(tmp, []byte(f.String()), info.Mode().Perm()); err != nil {
		return err
	}
	return os.Rename(tmp, file)
}

// portArg reads a port as people write it: device.port, "device port", or the
// name of what is plugged in.
func portArg(o *office.Office, s string) (office.PortRef, error) {
	if p, err := notation.PlaceOf(o, s); err == nil && p.Port.Device != "" {
		return p.Port, nil
	}
	return notation.PortRef(o, s)
}

// deviceArg reads an office and finds one of its devices: the file, the office
// worked out, and the device's place.
func deviceArg(cmd *cobra.Command, file, device string) (f *notation.File, n *span.Net, i int, err error) {
	if f, err = asking.Read(cmd, file); err != nil {
		return
	}
	if _, err = office.NewDraft(f.Office).FindDevice(device); err != nil {
		return
	}
	n = span.Compile(f.Office)
	return f, n, n.Topo.DeviceIndex(device), nil
}
