// Package api is the JSON that the command line prints and the server sends:
// the types, and how they are made from what core computes.
package api

import (
	"fmt"

	"klammer/core/bridge"
	"klammer/core/finding"
	"klammer/core/office"
)

// Wire is what a frame wears: null for untagged, 0 for priority-tagged, or the
// VID.
type Wire bridge.Wire

// MarshalJSON writes null, 0 or the VID.
func (w Wire) MarshalJSON() ([]byte, error) {
	if bridge.Wire(w) == bridge.Untagged {
		return []byte("null"), nil
	}
	return fmt.Appendf(nil, "%d", w), nil
}

// Finding is one thing wrong or unwise.
type Finding struct {
	Code     finding.Code `json:"code" required:"true"`
	Severity string       `json:"severity" required:"true" enum:"breaks,risk,tidy"`
	VLANs    []int        `json:"vlans" required:"true" nullable:"false"`
	Ports    []string     `json:"ports" required:"true" nullable:"false"`
	Text     string       `json:"text" required:"true"`
	Mends    [][]string   `json:"mends" required:"true" nullable:"false"`
	ID       string       `json:"id" required:"true"`
	Cause    string       `json:"cause,omitempty"`
	Label    string       `json:"label,omitempty"`
	Devices  []string     `json:"devices,omitempty"`
	Rule     int          `json:"rule,omitempty" description:"the rule of its device that it is about, counted from 1"`
	Wish     string       `json:"wish,omitempty" description:"the wish that it is about, in notation"`
	After    *string      `json:"after,omitempty" description:"after an edit: the finding that it comes after in the list; empty for the first"`
}

// Findings are a report's findings with the mends that hold when tried. After
// tried findings the rest goes without: a long list is for reading.
func Findings(report *finding.Report, list []*finding.Finding, tried int) []Finding {
	out := make([]Finding, 0, len(list))
	mends := report.Tries()
	for i, one := range list {
		j := findingOf(one)
		if i < tried {
			if m := mends(one); m != nil {
				j.Mends = m
			}
		}
		out = append(out, j)
	}
	return out
}

func findingOf(one *finding.Finding) Finding {
	return Finding{Code: one.Code, Severity: one.Severity.String(), VLANs: VIDs(one.VLANs), Ports: Refs(one.Ports), Text: one.Text,
		Mends: [][]string{}, ID: one.ID, Cause: one.Cause, Label: one.Label, Devices: one.Devices, Rule: one.Rule, Wish: one.Wish}
}

// SeenFindings are findings of what was seen, with their mends as they are.
func SeenFindings(list []*finding.Finding) []Finding {
	out := make([]Finding, 0, len(list))
	for _, one := range list {
		j := findingOf(one)
		j.Mends = append(j.Mends, one.Mends...)
		out = append(out, j)
	}
	return out
}

// VIDs are VLAN numbers as JSON has them; never null.
func VIDs(vs []office.VID) []int {
	out := make([]int, len(vs))
	for i, vid := range vs {
		out[i] = int(vid)
	}
	return out
}

// Refs are ports as device.port; never null.
func Refs(ports []office.PortRef) []string {
	out := make([]string, len(ports))
	for i, ref := range ports {
		out[i] = ref.String()
	}
	return out
}
