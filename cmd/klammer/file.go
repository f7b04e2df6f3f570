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
func write(file string, one *notation.File) error {
	if file == "-" {
		return fmt.Errorf("-w writes to a file, and standard input is none: leave -w out")
	}
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	tmp := file + ".new"
	if err := os.WriteFile(tmp, []byte(one.String()), info.Mode().Perm()); err != nil {
		return err
	}
	return os.Rename(tmp, file)
}

// portArg reads a port as people write it: device.port, "device port", or the
// name of what is plugged in.
func portArg(o *office.Office, text string) (office.PortRef, error) {
	if place, err := notation.PlaceOf(o, text); err == nil && place.Port.Device != "" {
		return place.Port, nil
	}
	return notation.PortRef(o, text)
}

// deviceArg reads an office and finds one of its devices: the file, the office
// worked out, and the device's place.
func deviceArg(cmd *cobra.Command, file, device string) (one *notation.File, net *span.Net, i int, err error) {
	if one, err = asking.Read(cmd, file); err != nil {
		return
	}
	if _, err = office.NewDraft(one.Office).FindDevice(device); err != nil {
		return
	}
	net = span.Compile(one.Office)
	return one, net, net.Topo.DeviceIndex(device), nil
}
