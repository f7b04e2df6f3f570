package intake_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/intake"
	"klammer/core/office"
)

// truth is what somebody's file says, before it is written down in his way.
type truth struct {
	vids    []int
	names   map[int]string
	devices []string
	ports   map[string][]port
}

type port struct {
	name, plug, note, socket, speed string
	untagged                        int // 0 for none
	tagged                          []int
}

func drawTruth(t *rapid.T) truth {
	out := truth{names: map[int]string{}, ports: map[string][]port{}}
	out.vids = rapid.SliceOfNDistinct(rapid.SampledFrom([]int{10, 20, 30, 99, 110, 120, 200}), 2, 4, rapid.ID[int]).Draw(t, "vids")
	for i, v := range out.vids {
		out.names[v] = []string{"desks", "phones", "guests", "cameras"}[i]
	}
	out.devices = []string{"Rack", "Annex", "Attic"}[:rapid.IntRange(1, 3).Draw(t, "devices")]
	for _, d := range out.devices {
		n := rapid.IntRange(2, 6).Draw(t, "ports")
		for i := range n {
			p := port{name: fmt.Sprint(i + 1)}
			if rapid.IntRange(0, 5).Draw(t, "silent") > 0 || i == n-1 {
				p.untagged = rapid.SampledFrom(append([]int{0}, out.vids...)).Draw(t, "untagged")
				for _, v := range out.vids {
					if v != p.untagged && rapid.IntRange(0, 3).Draw(t, "tagged") == 0 {
						p.tagged = append(p.tagged, v)
					}
				}
			}
			if p.untagged == 0 && len(p.tagged) == 0 && i == n-1 {
				p.untagged = out.vids[0]
			}
			if rapid.Bool().Draw(t, "plugged") {
				p.plug = fmt.Sprintf("pc of %s %d", strings.ToLower(d), i+1)
			}
			if rapid.IntRange(0, 2).Draw(t, "noted") == 0 {
				p.note = fmt.Sprintf("loose clip at %d", i+1)
			}
			if rapid.IntRange(0, 2).Draw(t, "socket") == 0 {
				p.socket = fmt.Sprintf("0.%02d", i+1)
			}
			p.speed = rapid.SampledFrom([]string{"", "1G", "1000", "10 Gbit/s", "fast"}).Draw(t, "speed")
			out.ports[d] = append(out.ports[d], p)
		}
	}
	return out
}

// habit is how somebody writes.
type habit struct {
	words  map[string]string // heads
	u, t   string            // marks
	titles string            // of a device above its block
	vlan   func(v int, name string) string
	extras bool
	legend bool
	blank  bool // a blank row between blocks, and below a title
	names  int  // of VLANs: 0 with their numbers, 1 in the row above, 2 in that below
}

func drawHabit(t *rapid.T) habit {
	words := rapid.SampledFrom([]map[string]string{
		{"device": "Switch", "port": "Port", "u": "Untagged", "t": "Tagged", "pvid": "PVID", "plug": "What hangs on it", "note": "Remark", "socket": "Socket", "speed": "Speed", "name": "Name", "vlan": "VLAN"},
		{"device": "Gerät", "port": "Anschluss", "u": "ungetaggt", "t": "getaggt", "pvid": "pvid", "plug": "Angeschlossen", "note": "Bemerkung", "socket": "Dose", "speed": "Geschwindigkeit", "name": "Bezeichnung", "vlan": "VLAN-ID"},
		{"device": "Device", "port": "PORT", "u": "Access VLAN", "t": "Trunk VLANs", "pvid": "Port VLAN ID", "plug": "Connected to", "note": "Comment", "socket": "Outlet", "speed": "Rate", "name": "VLAN name", "vlan": "VID"},
	}).Draw(t, "language")
	marks := rapid.SampledFrom([][2]string{{"U", "T"}, {"u", "t"}, {"untagged", "tagged"}, {"U P", "T"}, {"U,P", "t"}, {"UP", "Tagged"}, {"u/p", "T"}, {"access", "trunk"}}).Draw(t, "marks")
	vlan := rapid.SampledFrom([]func(int, string) string{
		func(v int, _ string) string { return fmt.Sprint(v) },
		func(v int, name string) string { return fmt.Sprintf("%d %s", v, name) },
		func(v int, name string) string { return fmt.Sprintf("VLAN %d (%s)", v, name) },
	}).Draw(t, "vlan")
	return habit{words: words, u: marks[0], t: marks[1], titles: rapid.SampledFrom([]string{"%s", "Switch: %s", "%s (24 ports, ground floor)", "%s - 19 inch"}).Draw(t, "titles"), vlan: vlan,
		extras: rapid.IntRange(0, 2).Draw(t, "extras") > 0, legend: rapid.Bool().Draw(t, "legend"), blank: rapid.Bool().Draw(t, "blank"), names: rapid.IntRange(0, 2).Draw(t, "names")}
}

func list(vids []int, sep string) string {
	var out []string
	for _, v := range vids {
		out = append(out, fmt.Sprint(v))
	}
	return strings.Join(out, sep)
}

// layouts write a truth down: each gives tables, and whether what hangs there and notes stand in.
var layouts = map[string]func(truth, habit) (tables []intake.Table, more bool){
	"a grid a device, ports down, free columns": func(x truth, h habit) ([]intake.Table, bool) {
		var out []intake.Table
		for _, d := range x.devices {
			out = append(out, intake.Table{Name: d, Rows: block(x, h, d)})
		}
		return out, h.extras
	},
	"a block a device, one sheet": func(x truth, h habit) ([]intake.Table, bool) {
		one := intake.Table{Name: "Sheet1"}
		for _, d := range x.devices {
			one.Rows = append(one.Rows, []string{fmt.Sprintf(h.titles, d)})
			if h.blank {
				one.Rows = append(one.Rows, []string{""})
			}
			one.Rows = append(append(one.Rows, block(x, h, d)...), []string{})
		}
		if h.legend {
			one.Rows = append(one.Rows, []string{"U = untagged"}, []string{"T = tagged"})
		}
		return []intake.Table{one}, h.extras
	},
	"a block a device, titled in its corner": func(x truth, h habit) ([]intake.Table, bool) {
		one := intake.Table{Name: "Sheet1"}
		for _, d := range x.devices {
			rows := block(x, h, d)
			for i := range rows {
				if k := slices.Index(rows[i], h.words["port"]); k >= 0 {
					rows[i][k] = fmt.Sprintf(h.titles, d)
				}
			}
			one.Rows = append(append(one.Rows, rows...), []string{})
		}
		return []intake.Table{one}, h.extras
	},
	"a grid a device, VLANs down": func(x truth, h habit) ([]intake.Table, bool) {
		var out []intake.Table
		for _, d := range x.devices {
			head := []string{h.words["vlan"], h.words["name"]}
			for _, p := range x.ports[d] {
				head = append(head, p.name)
			}
			rows := [][]string{head}
			for _, v := range x.vids {
				row := []string{fmt.Sprint(v), x.names[v]}
				for _, p := range x.ports[d] {
					row = append(row, h.mark(p, v))
				}
				rows = append(rows, row)
			}
			out = append(out, intake.Table{Name: d, Rows: rows})
		}
		return out, false
	},
	"a flat list": func(x truth, h habit) ([]intake.Table, bool) {
		head := []string{h.words["device"], h.words["port"], h.words["u"], h.words["t"]}
		if h.extras {
			head = append(head, h.words["plug"], h.words["note"], h.words["socket"], h.words["speed"])
		}
		rows := [][]string{head}
		for _, d := range x.devices {
			for i, p := range x.ports[d] {
				name := d
				if h.blank && i > 0 {
					name = "" // merged
				}
				row := []string{name, p.name, list(p.untaggeds(), ","), list(p.tagged, ",")}
				if h.extras {
					row = append(row, p.plug, p.note, p.socket, p.speed)
				}
				rows = append(rows, row)
			}
		}
		return []intake.Table{{Name: "plan.csv", Rows: rows}}, h.extras
	},
	"a flat list of one device with the PVID": func(x truth, h habit) ([]intake.Table, bool) {
		var out []intake.Table
		for _, d := range x.devices {
			rows := [][]string{{h.words["port"], h.words["pvid"], h.words["t"]}}
			for _, p := range x.ports[d] {
				rows = append(rows, []string{"Port " + p.name, list(p.untaggeds(), ""), list(p.tagged, " ")})
			}
			out = append(out, intake.Table{Name: d, Rows: rows})
		}
		return out, false
	},
	"VLANs in rows with lists of ports": func(x truth, h habit) ([]intake.Table, bool) {
		var out []intake.Table
		for _, d := range x.devices {
			rows := [][]string{{h.words["vlan"], h.words["name"], h.words["u"], h.words["t"]}}
			for _, v := range x.vids {
				var un, tag []string
				for _, p := range x.ports[d] {
					if p.untagged == v {
						un = append(un, p.name)
					}
					if slices.Contains(p.tagged, v) {
						tag = append(tag, p.name)
					}
				}
				rows = append(rows, []string{fmt.Sprint(v), x.names[v], strings.Join(un, ","), strings.Join(tag, ", ")})
			}
			out = append(out, intake.Table{Name: d, Rows: rows})
		}
		return out, false
	},
}

func (p port) untaggeds() []int {
	if p.untagged == 0 {
		return nil
	}
	return []int{p.untagged}
}

func (h habit) mark(p port, v int) string {
	switch {
	case p.untagged == v:
		return h.u
	case slices.Contains(p.tagged, v):
		return h.t
	}
	return ""
}

// block is a device's grid with a port a row, and what else is known of each beside it.
func block(x truth, h habit, d string) [][]string {
	head := []string{h.words["port"]}
	row := []string{""}
	for _, v := range x.vids {
		row = append(row, x.names[v])
		if h.names > 0 {
			head = append(head, fmt.Sprint(v))
		} else {
			head = append(head, h.vlan(v, x.names[v]))
		}
	}
	if h.extras {
		head = append(head, h.words["plug"], h.words["note"], h.words["socket"], h.words["speed"])
	}
	rows := [][]string{head}
	switch h.names {
	case 1:
		rows = [][]string{row, head}
	case 2:
		rows = [][]string{head, row}
	}
	for _, p := range x.ports[d] {
		row := []string{p.name}
		for _, v := range x.vids {
			row = append(row, h.mark(p, v))
		}
		if h.extras {
			row = append(row, p.plug, p.note, p.socket, p.speed)
		}
		rows = append(rows, row)
	}
	return rows
}

// TestHabits: whatever way people write the same down, the same comes in, and each cell ends in
// the office, in a note, or on the list.
func TestHabits(t *testing.T) {
	var names []string
	for name := range layouts {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		t.Run(name, func(t *testing.T) {
			rapid.Check(t, func(t *rapid.T) {
				x, h := drawTruth(t), drawHabit(t)
				tables, more := layouts[name](x, h)
				shown := fmt.Sprintf("%+v", tables)
				u := intake.Read(tables, nil)
				o, _ := u.Take(&office.Office{})
				for _, kind := range intake.Kinds {
					if kind.Frames {
						require.Zero(t, u.Counts[kind.Kind], "%v\n%s", u.Trouble, shown)
					}
				}
				require.Len(t, o.Devices, len(x.devices), shown)
				if h.names > 0 && strings.Contains(name, "ports down") {
					for _, v := range x.vids {
						require.Equal(t, x.names[v], o.VLAN(office.VID(v)).Name, shown)
					}
				}
				for i, d := range x.devices {
					device := o.Devices[i]
					require.Equal(t, intake.DeviceName(d), device.Name, shown)
					for _, p := range x.ports[d] {
						at := device.Port(p.name)
						if at < 0 { // a list of VLANs does not name ports that are in none
							require.Zero(t, p.untagged+len(p.tagged), shown)
							continue
						}
						shape, _ := o.Effective(device, at)
						var tagged []int
						for _, v := range shape.Tagged {
							tagged = append(tagged, int(v))
						}
						want := slices.Clone(p.tagged)
						slices.Sort(want)
						require.Equal(t, want, tagged, "%s %s tagged\n%s", d, p.name, shown)
						require.Equal(t, p.untagged, int(shape.PortVID()), "%s %s untagged\n%s", d, p.name, shown)
						if more {
							said := fmt.Sprint(o.Plugs, device.Ports[at].Speed)
							if facts := device.Ports[at].Facts; facts != nil {
								said += facts.Note + facts.Socket
							}
							for _, text := range []string{p.plug, p.note, p.socket} {
								require.Contains(t, said, text, shown)
							}
							if p.speed == "fast" {
								require.Contains(t, said, "fast", shown)
							} else if p.speed != "" {
								require.NotZero(t, device.Ports[at].Speed, shown)
							}
						}
					}
				}
				require.Empty(t, u.Trouble, shown)
			})
		})
	}
}

// TestNothingIsLost: in a sheet of anything at all, each cell that is not blank is in the office,
// or is told of with its place.
func TestNothingIsLost(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		x, h := drawTruth(t), drawHabit(t)
		var all []string
		for name := range layouts {
			all = append(all, name)
		}
		slices.Sort(all)
		tables, _ := layouts[rapid.SampledFrom(all).Draw(t, "layout")](x, h)
		rows := tables[0].Rows
		// Something that belongs nowhere.
		r := rapid.IntRange(0, len(rows)).Draw(t, "row")
		mark := rapid.SampledFrom([]string{"zebra crossing", "see plan B?", "=?", "ask Kim (who?) about it"}).Draw(t, "text")
		row := make([]string, rapid.IntRange(1, 9).Draw(t, "column"))
		row[len(row)-1] = mark
		tables[0].Rows = slices.Insert(slices.Clone(rows), r, row)
		shown := fmt.Sprintf("%+v", tables)
		u := intake.Read(tables, nil)
		o, _ := u.Take(&office.Office{})
		told := slices.ContainsFunc(u.Trouble, func(x intake.Trouble) bool { return x.Row == r+1 && (x.Column == len(row) || x.Column == 0) })
		named := slices.ContainsFunc(o.Devices, func(d *office.Device) bool {
			return strings.HasPrefix(intake.DeviceName(mark), d.Name) || strings.Contains(d.Facts.Note, mark)
		})
		require.True(t, told || named || strings.Contains(fmt.Sprintf("%+v", notes(o)), mark), "row %d: %v\n%s", r+1, u.Trouble, shown)
	})
}

func notes(o *office.Office) (all []string) {
	for _, d := range o.Devices {
		all = append(all, d.Facts.Note)
		for _, p := range d.Ports {
			all = append(all, p.Name)
			if p.Facts != nil {
				all = append(all, p.Facts.Note)
			}
		}
	}
	for _, v := range o.VLANs {
		all = append(all, v.Name, v.Note)
	}
	for _, p := range o.Plugs {
		all = append(all, p.Name)
	}
	return all
}
