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
	for _, r := range all {
		asked[r.Device] = true
		d := o.Device(r.Device)
		switch {
		case r.Err != nil:
			note(d.Name, r.Err.Error())
			continue
		case d.Unaware():
			continue
		case !r.Reading.Tells(field.TellsVLANs):
			note(d.Name, r.Reading.Source+" does not tell of VLANs")
			continue
		}
		m := field.MatchPorts(d, r.Reading)
		for p := range d.Ports {
			switch x := &d.Ports[p]; {
			case x.Kind == office.Bundle && m[p] < 0 && !r.Reading.Tells(field.TellsBundles):
				note(d.Name+" "+x.Name, "it does not tell of bundles")
			case x.Kind == office.Bundle || x.Bundle > 0:
			case m[p] < 0:
				note(d.Name+" "+x.Name, "it tells of no such port")
			case r.Reading.Ports[m[p]].Unsaid != "":
				note(d.Name+" "+x.Name, r.Reading.Ports[m[p]].Unsaid)
			case !r.Reading.Ports[m[p]].Bridged:
				note(d.Name+" "+x.Name, "what it is in is not told")
			}
		}
	}
	for _, d := range o.Devices {
		if !asked[d.Name] && !d.Unaware() {
			note(d.Name, "it was not asked")
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
	for _, s := range some {
		fmt.Fprintln(out, "  "+s)
	}
	fmt.Fprintln(out, "The file says of that what is planned. Read it again, leave it alone (--only names the devices that are set), or say --unseen where you know that it is so.")
	return asking.Status(2)
}
