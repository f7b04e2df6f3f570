// Package spreadsheet writes an office as a workbook (Office Open XML, ISO/IEC
// 29500) and reads rows of cells from one.
//
// The workbook has a sheet for the register, one for each device with a grid of
// T and U, and one each for cables, plugs and findings. A device's grid is what
// is read back.
package spreadsheet

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	"github.com/xuri/excelize/v2"

	"klammer/core/effort"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Rows reads the cells of one sheet of a workbook: the one named, else the
// first. The error says what is in the way: formulas and merged cells are not
// read, as what they show may not be what they say.
func Rows(data []byte, sheet string) (rows [][]string, err error) {
	f, err := open(data)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	names := f.GetSheetList()
	if len(names) == 0 {
		return nil, errors.New("the workbook has no sheet")
	}
	name := names[0]
	for _, n := range names {
		if strings.EqualFold(n, sheet) {
			name = n
		}
	}
	cells := 0
	if rows, err = rowsOf(f, name, &cells); err != nil {
		return nil, err
	}
	if err := plain(data, name); err != nil {
		return nil, err
	}
	return rows, nil
}

// Grid is a device's ports against the VLANs, with T and U; a P stands where
// the PVID is not the untagged VLAN. Members of bundles stand for the bundle.
//
// It spends what the cells cost.
func Grid(n *span.Net, dev int) [][]string {
	d, table := n.Office.Devices[dev], n.Tables[dev]
	var at []int
	head := []string{"VLAN", "Name"}
	for p := range d.Ports {
		if d.Ports[p].Bundle == 0 {
			at = append(at, p)
			head = append(head, notation.Ports(d, []int{p}))
		}
	}
	rows := [][]string{head}
	var vids office.Set
	for _, p := range at {
		m := table.Ports[p].Members()
		vids.AddAll(&m)
		if v := table.Ports[p].PVID; v != 0 {
			vids.Add(v)
		}
	}
	vids.AddAll(n.Registered())
	n.Effort().Spend(2 * vids.Len() * (len(at) + 2))
	for vid := range vids.All() {
		name := ""
		if x := n.Office.VLAN(vid); x != nil {
			name = x.Name
		}
		row := []string{fmt.Sprint(vid), name}
		for _, p := range at {
			c := table.Ports[p]
			text := map[office.Membership]string{office.Untagged: "U", office.Tagged: "T", office.NotMember: ""}[c.Of(vid)]
			if alone := c.Untagged.Len() == 1 && c.Untagged.Has(vid); c.PVID == vid && !alone {
				text += "P"
				if text == "P" || text == "TP" || text == "UP" {
					row = append(row, text)
					continue
				}
			}
			row = append(row, text)
		}
		rows = append(rows, row)
	}
	return rows
}

// cells is how many a device's grid has, at most.
func cells(n *span.Net, dev int) int {
	vids := *n.Registered()
	for p := range n.Tables[dev].Ports {
		m := n.Tables[dev].Ports[p].Members()
		vids.AddAll(&m)
	}
	return vids.Len() * (len(n.Office.Devices[dev].Ports) + 2)
}

// Office writes a whole office as a workbook.
func Office(r *finding.Report) ([]byte, error) {
	n, o := r.Net, r.Net.Office
	w := &workbook{f: excelize.NewFile(), used: map[string]bool{}, effort: n.Effort()}
	for _, n := range []string{"register", "cables", "plugs", "findings", "notation", "sheet1", "history"} {
		w.used[n] = true // of our own, and those that the format keeps for itself
	}
	defer w.f.Close()
	if err := w.styles(); err != nil {
		return nil, err
	}
	register := [][]string{{"VLAN", "Name", "Note", "Subnets", "Local", "Addresses", "Hands out", "State"}}
	for _, vlan := range o.VLANs {
		var nets, at, out []string
		for _, p := range vlan.Nets {
			nets = append(nets, p.String())
		}
		for _, d := range o.Devices {
			for _, a := range d.Addresses {
				if a.VID == vlan.VID {
					at = append(at, d.Name+" "+a.Prefix.String())
					if a.From.IsValid() {
						out = append(out, a.From.String()+"-"+a.To.String())
					}
				}
			}
		}
		local := ""
		if vlan.Local {
			local = "local"
		}
		register = append(
			register,
			[]string{fmt.Sprint(vlan.VID), vlan.Name, vlan.Note, strings.Join(nets, " "), local, strings.Join(at, ", "), strings.Join(out, ", "), n.VLAN(vlan.VID).State.String()},
		)
	}
	w.sheet("Register", register, 2, false)
	for i := range o.Devices { // before any of them is written
		w.effort.Spend(20_000 + 25*cells(n, i))
	}
	for _, i := range n.Topo.Outwards(n.Office) {
		w.sheet(o.Devices[i].Name, Grid(n, i), 2, true)
	}
	cables := [][]string{{"From", "To", "Speed"}}
	for _, c := range o.Cables {
		cables = append(cables, []string{c.A.String(), c.B.String(), speed(o, c.A)})
	}
	w.sheet("Cables", cables, 0, false)
	plugs := [][]string{{"Port", "What", "Wants", "How"}}
	for _, plug := range o.Plugs {
		how := "untagged"
		if plug.Tagged {
			how = "tagged"
		}
		if plug.Operator {
			how += ", the operator's"
		}
		if plug.At.IsValid() {
			how += ", at " + plug.At.String()
		}
		plugs = append(plugs, []string{plug.Port.String(), plug.Name, fmt.Sprint(plug.Wants), how})
	}
	w.sheet("Plugs", plugs, 0, false)
	findings := [][]string{{"Severity", "Code", "What", "Ports"}}
	for _, f := range r.List() {
		var ports []string
		for _, p := range f.Ports {
			ports = append(ports, p.String())
		}
		findings = append(findings, []string{f.Severity.String(), string(f.Code), f.Text, strings.Join(ports, ", ")})
	}
	w.sheet("Findings", findings, 0, false)
	// All of it once more, so that what is read back is the same office.
	text := [][]string{}
	for l := range strings.SplitSeq(strings.TrimRight(notation.Print(o), "\n"), "\n") {
		text = append(text, []string{l})
	}
	if len(text) > 0 {
		w.sheet("Notation", text, 0, false)
	}
	if w.err != nil {
		return nil, w.err
	}
	_ = w.f.DeleteSheet("Sheet1")
	w.f.SetActiveSheet(0)
	var b bytes.Buffer
	if err := w.f.Write(&b); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

func speed(o *office.Office, r office.PortRef) string {
	d := o.Device(r.Device)
	return d.Ports[d.Port(r.Port)].Speed.String()
}

type workbook struct {
	f    *excelize.File
	used map[string]bool
	err  error

	effort       *effort.Effort
	bold, middle int // styles of a head, and of a grid's cells
}

// free is a name that no other sheet has, of at most the 31 letters that the
// format takes; own sheets have theirs.
func (w *workbook) free(name string, device bool) string {
	cut := func(s string, n int) string {
		if r := []rune(s); len(r) > n {
			return string(r[:n])
		}
		return s
	}
	if !device {
		return name
	}
	out := cut(name, 31)
	for k := 2; w.used[strings.ToLower(out)]; k++ {
		end := fmt.Sprintf(" (%d)", k)
		out = cut(name, 31-len(end)) + end
	}
	w.used[strings.ToLower(out)] = true
	return out
}

// styles makes those that all sheets share.
func (w *workbook) styles() (err error) {
	w.bold, err = w.f.NewStyle(
		&excelize.Style{Font: &excelize.Font{Bold: true}, Border: []excelize.Border{{Type: "bottom", Style: 2, Color: "22293A"}}, Alignment: &excelize.Alignment{WrapText: false}},
	)
	if err != nil {
		return err
	}
	w.middle, err = w.f.NewStyle(
		&excelize.Style{
			Alignment: &excelize.Alignment{Horizontal: "center"},
			Border:    []excelize.Border{{Type: "bottom", Style: 1, Color: "DDD8CC"}, {Type: "right", Style: 1, Color: "DDD8CC"}},
		},
	)
	return err
}

// sheet adds a sheet: its head frozen and printed on every page, columns as
// wide as they need, landscape to the width of the paper.
func (w *workbook) sheet(name string, rows [][]string, frozen int, grid bool) {
	w.effort.Look()
	name = w.free(name, grid)
	do := func(err error) {
		if w.err == nil {
			w.err = err
		}
	}
	_, err := w.f.NewSheet(name)
	do(err)
	width := make([]int, len(rows[0]))
	for i, r := range rows {
		if !grid {
			w.effort.Spend(25 * len(r))
		}
		for k, c := range r {
			cell, _ := excelize.CoordinatesToCellName(k+1, i+1)
			var n int
			if _, err := fmt.Sscanf(c, "%d", &n); err == nil && fmt.Sprint(n) == c {
				do(w.f.SetCellInt(name, cell, int64(n)))
			} else {
				do(w.f.SetCellStr(name, cell, c))
			}
			if k < len(width) {
				width[k] = max(width[k], len([]rune(c)))
			}
		}
	}
	last, _ := excelize.ColumnNumberToName(len(rows[0]))
	do(w.f.SetCellStyle(name, "A1", last+"1", w.bold))
	if grid && len(rows) > 1 {
		do(w.f.SetCellStyle(name, "C2", fmt.Sprintf("%s%d", last, len(rows)), w.middle))
	}
	for k, n := range width {
		col, _ := excelize.ColumnNumberToName(k + 1)
		do(w.f.SetColWidth(name, col, col, float64(min(max(n+2, 5), 70))))
	}
	corner, _ := excelize.CoordinatesToCellName(frozen+1, 2)
	do(w.f.SetPanes(name, &excelize.Panes{Freeze: true, XSplit: frozen, YSplit: 1, TopLeftCell: corner, ActivePane: "bottomRight"}))
	landscape, one, any := "landscape", 1, 0
	do(w.f.SetPageLayout(name, &excelize.PageLayoutOptions{Orientation: &landscape, FitToWidth: &one, FitToHeight: &any}))
	fit := true
	do(w.f.SetSheetProps(name, &excelize.SheetPropsOptions{FitToPage: &fit}))
	do(w.f.SetDefinedName(&excelize.DefinedName{Name: "_xlnm.Print_Titles", RefersTo: fmt.Sprintf("'%s'!$1:$1", strings.ReplaceAll(name, "'", "''")), Scope: name}))
}
