// Package handbook writes an office down for the next administrator, as one page of HTML that
// needs nothing else: no script, no picture, no other file. It is read on screen, printed, and
// laid into the safe. It decides nothing: what stands in it was worked out elsewhere.
//
//	handbook.Write(w, &handbook.Book{View: view, At: now, Chapters: handbook.Chapters})
package handbook

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"klammer/api"
	"klammer/core/office"
)

// Chapter is a part of the book that can be left out.
type Chapter struct {
	Name  string // as it is asked for
	Title string
}

// Chapters are all of them, in their order.
var Chapters = []Chapter{
	{"places", "What stands where"},
	{"fronts", "Fronts and sockets"},
	{"vlans", "VLANs"},
	{"addresses", "Addresses"},
	{"rules", "Who may talk to whom, and why"},
	{"sheets", "What is entered on each device"},
	{"evenings", "What was carried out last"},
	{"proved", "What was proved, and when"},
	{"people", "Who may what"},
	{"restore", "How to restore"},
}

// Proof is what was seen at a port.
type Proof struct {
	Port   string // rack.7
	Wire   string // "untagged", "tagged 140"
	Passed bool
	Wrong  string
	How    string // by hand, played, measured
	Who    string
	At     time.Time
	Old    bool // something else is planned since
}

// Person is somebody and what he may.
type Person struct{ Name, Role string }

// Book is what is written down.
type Book struct {
	View     *api.OfficeView
	At       time.Time
	Chapters []string // by name; none: all
	Sheets   []*api.Sheet
	Protocol api.Protocol
	Proofs   []Proof
	People   []Person
	Keeper   bool   // who asks may know who may what
	Accounts bool   // people sign in
	Backups  string // where backups are, in a sentence; "" where none are made
}

//go:embed handbook.html
var page string

var written = template.Must(template.New("handbook").Funcs(template.FuncMap{
	"space": func(port string) string { return strings.Replace(port, ".", " ", 1) },
	"time":  func(at time.Time) string { return at.Format("2 January 2006, 15:04") },
	"join":  func(list []string) string { return strings.Join(list, ", ") },
}).Parse(page))

// Write writes the book.
func Write(w io.Writer, book *Book) error { return written.Execute(w, book) }

// Has says whether a chapter is in the book.
func (b *Book) Has(name string) bool {
	return len(b.Chapters) == 0 || slices.Contains(b.Chapters, name)
}

// Contents are the chapters that are in it.
func (b *Book) Contents() (out []Chapter) {
	for _, chapter := range Chapters {
		if b.Has(chapter.Name) {
			out = append(out, chapter)
		}
	}
	return out
}

// Place is devices that stand together.
type Place struct {
	Name    string
	Devices []api.DeviceView
}

// Places are the devices by where they stand, those of which nobody said it last.
func (b *Book) Places() (out []Place) {
	at := map[string]int{}
	for _, device := range b.View.Devices {
		name := device.Facts["place"]
		if _, ok := at[name]; !ok {
			at[name] = len(out)
			out = append(out, Place{Name: name})
		}
		out[at[name]].Devices = append(out[at[name]].Devices, device)
	}
	slices.SortStableFunc(out, func(x, y Place) int {
		if (x.Name == "") != (y.Name == "") {
			return map[bool]int{true: 1, false: -1}[x.Name == ""]
		}
		return office.NaturalCompare(x.Name, y.Name)
	})
	return out
}

// Row is a port of a front, or several of which nothing else is known.
type Row struct{ Ports, Socket, VLANs, Hangs, Cable, Note string }

// Rows are the ports of a device. Neighbours that are set alike, and of which nothing is
// known, are one row.
func (b *Book) Rows(device api.DeviceView) (out []Row) {
	plain := false // the last row may take neighbours in
	first, last := "", ""
	for _, port := range device.Ports {
		row := Row{Ports: port.Name, Socket: port.Facts["socket"], VLANs: b.shape(&port), Note: port.Facts["note"]}
		switch {
		case port.Kind == "bundle":
			row.Ports += fmt.Sprintf(" (bundle of %s, %s)", strings.Join(port.Members, ", "), port.Mode)
		case port.Kind == "inner":
			row.Ports += fmt.Sprintf(" (inside: %s)", port.Flavour)
		case port.Bundle != "":
			row.VLANs = "in the bundle " + port.Bundle
		}
		if port.Because != "" {
			row.Note = strings.TrimPrefix(row.Note+"; departs from the plan: "+port.Because, "; ")
		}
		var hangs, cables []string
		for _, plug := range port.Plugs {
			text := plug.Name
			for _, more := range []string{plug.At, plug.MAC, plug.Facts["note"]} {
				if more != "" {
					text += ", " + more
				}
			}
			hangs = append(hangs, text)
		}
		for _, other := range port.Cabled {
			cables = append(cables, strings.Replace(other, ".", " ", 1))
		}
		row.Hangs, row.Cable = strings.Join(hangs, "; "), strings.Join(cables, ", ")
		bare := row.Socket+row.Hangs+row.Cable+row.Note == "" && port.Kind == "physical"
		if bare && plain && out[len(out)-1].VLANs == row.VLANs {
			last = port.Name
			out[len(out)-1].Ports = first + " to " + last
			continue
		}
		plain, first = bare, port.Name
		out = append(out, row)
	}
	return out
}

// shape is what a port is in, by number and name.
func (b *Book) shape(port *api.PortView) string {
	if port.Off {
		return "shut"
	}
	var parts []string
	for _, vid := range port.Untagged {
		parts = append(parts, b.VLAN(vid)+" untagged")
	}
	var tagged []string
	for _, vid := range port.Tagged {
		tagged = append(tagged, strconv.Itoa(vid))
	}
	if port.Ranges != "" {
		tagged = []string{port.Ranges}
	}
	if len(tagged) > 0 {
		parts = append(parts, strings.Join(tagged, ", ")+" tagged")
	}
	if port.PVID != 0 && !slices.Contains(port.Untagged, port.PVID) {
		parts = append(parts, "PVID "+strconv.Itoa(port.PVID))
	}
	text := strings.Join(parts, "; ")
	if text == "" {
		text = "no VLAN"
	}
	if port.Use != "" {
		text += " (" + port.Use + ")"
	}
	return text
}

// VLAN is a VLAN by number and name.
func (b *Book) VLAN(vid int) string {
	for _, vlan := range b.View.VLANs {
		if vlan.VID == vid && vlan.Name != "" {
			return strconv.Itoa(vid) + " " + vlan.Name
		}
	}
	return strconv.Itoa(vid)
}

// Cell is a port as it is seen on a front.
type Cell struct{ Name, VLAN string }

// Front is the ports of a device as they are built: the odd ones above the even ones, where they
// are numbered; all in one row else.
func (b *Book) Front(device api.DeviceView) (rows [][]Cell) {
	var all []Cell
	numbered := true
	for _, port := range device.Ports {
		if port.Kind != "physical" {
			continue
		}
		cell := Cell{Name: port.Name}
		shown := &port
		if port.Bundle != "" {
			for k := range device.Ports {
				if device.Ports[k].Name == port.Bundle {
					shown = &device.Ports[k]
				}
			}
		}
		if len(shown.Untagged) > 0 {
			cell.VLAN = strconv.Itoa(shown.Untagged[0])
		}
		if n := len(shown.Tagged); n > 0 {
			cell.VLAN += fmt.Sprintf("+%d", n)
		}
		if port.Off {
			cell.VLAN = "×"
		}
		_, err := strconv.Atoi(port.Name)
		numbered = numbered && err == nil
		all = append(all, cell)
	}
	if !numbered || len(all) < 6 {
		return [][]Cell{all}
	}
	rows = make([][]Cell, 2)
	for i, cell := range all {
		rows[i%2] = append(rows[i%2], cell)
	}
	return rows
}

// Used is an address that somebody has.
type Used struct{ Address, Who, VLAN string }

// Addresses are those of gateways, devices and plugs, in their order in each VLAN.
func (b *Book) Addresses() (out []Used) {
	for _, vlan := range b.View.VLANs {
		for _, address := range vlan.Addresses {
			who := address.Device
			if address.From != "" {
				who += fmt.Sprintf(", hands out %s to %s", address.From, address.To)
			}
			if address.Gateway {
				who += ", the gateway"
			}
			out = append(out, Used{address.Address, who, b.VLAN(vlan.VID)})
		}
		for _, device := range b.View.Devices {
			if device.ManageVID == vlan.VID && device.Manage != "" {
				if words := strings.Fields(device.ManageText); len(words) > 1 {
					out = append(out, Used{words[1], device.Name + ", managed there", b.VLAN(vlan.VID)})
				}
			}
			for _, port := range device.Ports {
				for _, plug := range port.Plugs {
					if plug.At != "" && plug.Wants == vlan.VID {
						out = append(out, Used{plug.At, fmt.Sprintf("%s at %s %s", plug.Name, device.Name, port.Name), b.VLAN(vlan.VID)})
					}
				}
			}
		}
	}
	return out
}

// Routers are the devices that have rules, or that decide what passes where none fits.
func (b *Book) Routers() (out []api.DeviceView) {
	for _, device := range b.View.Devices {
		if device.Routing || len(device.Rules) > 0 {
			out = append(out, device)
		}
	}
	return out
}

// Wrong are the findings that break or are a risk, without those that another one causes.
func (b *Book) Wrong() (out []api.Finding) {
	for _, finding := range b.View.Findings {
		if finding.Cause == "" && finding.Severity != "tidy" {
			out = append(out, finding)
		}
	}
	return out
}

// Said is what was said of one order's steps, by its number.
func (b *Book) Said(order int64) (out []api.OrderSaid) {
	for _, said := range b.Protocol.Said {
		if said.Order == order && said.Said != "done" {
			out = append(out, said)
		}
	}
	return out
}

// Done is how many steps of an order are done.
func (b *Book) Done(order int64) (n int) {
	for _, said := range b.Protocol.Said {
		switch {
		case said.Order != order:
		case said.Said == "done":
			n++
		case said.Said == "undone":
			n--
		}
	}
	return n
}

// Evenings are the newest orders, the last of them first.
func (b *Book) Evenings() []api.ProtocolOrder {
	const most = 5
	all := slices.Clone(b.Protocol.Orders)
	slices.Reverse(all)
	return all[:min(len(all), most)]
}
