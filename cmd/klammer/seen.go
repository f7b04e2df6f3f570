package main

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"klammer/cmd/asking"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/field"
)

// notSeen begins a line of an office as it is that says what nobody saw there: a device, or a
// port of one, of which the file says what is planned. It is a remark for readers of the
// notation, and a mark for those who rely on what is.
const notSeen = "# not seen: "

// unseen is what was not seen when devices were read, a line each: "rack: nothing answers at …",
// "rack 7: it tells of no such port".
func unseen(o *office.Office, all []field.Result) (lines []string) {
	note := func(what, why string) {
		lines = append(lines, fmt.Sprintf("%s%s: %s\n", notSeen, what, strings.ReplaceAll(why, "\n", "; ")))
	}
	asked := map[string]bool{}
	for _, result := range all {
		asked[result.Device] = true
		device := o.Device(result.Device)
		switch {
		case result.Err != nil:
			note(device.Name, result.Err.Error())
			continue
		case device.Unaware():
			continue
		case !result.Reading.Tells(field.TellsVLANs):
			note(device.Name, result.Reading.Source+" does not tell of VLANs")
			continue
		}
		match := field.MatchPorts(device, result.Reading)
		for p := range device.Ports {
			switch port := &device.Ports[p]; {
			case port.Kind == office.Bundle && match[p] < 0 && !result.Reading.Tells(field.TellsBundles):
				note(device.Name+" "+port.Name, "it does not tell of bundles")
			case port.Kind == office.Bundle || port.Bundle > 0:
			case match[p] < 0:
				note(device.Name+" "+port.Name, "it tells of no such port")
			case result.Reading.Ports[match[p]].Unsaid != "":
				note(device.Name+" "+port.Name, result.Reading.Ports[match[p]].Unsaid)
			case !result.Reading.Ports[match[p]].Bridged:
				note(device.Name+" "+port.Name, "what it is in is not told")
			}
		}
	}
	for _, device := range o.Devices {
		if !asked[device.Name] && !device.Unaware() {
			note(device.Name, "it was not asked")
		}
	}
	return lines
}

// seenAll refuses an office as it is of which something was not seen, unless that is said to
// be as the file has it, or the order leaves the device as it is.
func seenAll(cmd *cobra.Command, was *notation.File, only []string, although bool) error {
	var some []string
	for line := range strings.Lines(was.String()) {
		what, ok := strings.CutPrefix(line, notSeen)
		if !ok {
			continue
		}
		device, _, _ := strings.Cut(strings.SplitN(what, ":", 2)[0], " ")
		if len(only) == 0 || slices.Contains(only, device) {
			some = append(some, strings.TrimSpace(what))
		}
	}
	if len(some) == 0 || although {
		return nil
	}
	out := cmd.ErrOrStderr()
	fmt.Fprintln(out, "Not all of this office was seen when it was read:")
	for _, text := range some {
		fmt.Fprintln(out, "  "+text)
	}
	fmt.Fprintln(out, "The file says of that what is planned. Read it again, leave it alone (--only names the devices that are set), or say --unseen where you know that it is so.")
	return asking.Status(2)
}
