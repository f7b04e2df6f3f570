package proof

import (
	"fmt"
	"strings"
)

// Large is the text of an office of 30 switches of 52 ports and 40 VLANs, in a
// tree of cables that take what is needed.
func Large() string {
	return tree("Thirty devices", 30, func(int) string { return "  49-52: [needed]\n" })
}

// Faulty is the text of an office like [Large], of 31 devices that have a
// wording, in which a bit more than 200 things are wrong: VLANs that stop on the
// way, plugs that are not served, cables whose ends differ.
func Faulty() string {
	text := tree("Thirty-one devices", 31, func(d int) string {
		return fmt.Sprintf("  wording by-port\n  49-51: 135 [101-130]\n  52: %d [101-130]\n", 135+d%3)
	})
	for d := range 31 {
		for p := 1; p <= 6; p++ {
			text += fmt.Sprintf("plug d%d.%d \"desk %d %d\" wants %d\n", d, p, d, p, 200+p)
		}
	}
	return text
}

// tree is devices of 48 ports in 40 VLANs by turns, each cabled by its port 52
// to the device above it, and up to three below it.
func tree(name string, devices int, more func(device int) string) string {
	var text strings.Builder
	fmt.Fprintf(&text, "office %q\n", name)
	for v := range 40 {
		fmt.Fprintf(&text, "vlan %d v%d local\n", 100+v, 100+v)
	}
	for d := range devices {
		fmt.Fprintf(&text, "device d%d switch\n  ports 1-52 1G\n", d)
		for p := 1; p <= 48; p++ {
			fmt.Fprintf(&text, "  %d: %d\n", p, 100+(d+p)%40)
		}
		text.WriteString(more(d))
	}
	below := make([]int, devices)
	for d := 1; d < devices; d++ {
		up := (d - 1) / 3
		below[up]++
		fmt.Fprintf(&text, "cable d%d.%d d%d.52\n", up, 48+below[up], d)
	}
	return text.String()
}
