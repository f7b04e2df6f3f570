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
	file, err := open(data)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	names := file.GetSheetList()
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
	if rows, err = rowsOf(file, name, &cells); err != nil {
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
func Grid(net *span.Net, dev int) [][]string {
	device, table := net.Office.Devices[dev], net.Tables[dev]
	var at []int
	head := []string{"VLAN", "Name"}
	for port := range device.Ports {
		if device.Ports[port].Bundle == 0 {
			at = append(at, port)
			head = append(head, notation.Ports(device, []int{port}))
		}
	}
	rows := [][]string{head}
	var vids office.Set
	for _, port := range at {
		set := table.Ports[port].Members()
		vids.AddAll(&set)
		if vid := table.Ports[port].PVID; vid != 0 {
			vids.Add(vid)
		}
	}
	vids.AddAll(net.Registered())
	net.Effort().Spend(2 * vids.Len() * (len(at) + 2))
	for vid := range vids.All() {
		name := ""
		if vlan := net.Office.VLAN(vid); vlan != nil {
			name = vlan.Name
		}
		row := []string{fmt.Sprint(vid), name}
		for _, port := range at {
			compiled := table.Ports[port]
			text := map[office.Membership]string{office.Untagged: "U", office.Tagged: "T", office.NotMember: ""}[compiled.Of(vid)]
			if alone := compiled.Untagged.Len() == 1 && compiled.Untagged.Has(vid); compiled.PVID == vid && !alone {
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
func cells(net *span.Net, dev int) int {
	vids := *net.Registered()
	for port := range net.Tables[dev].Ports {
		set := net.Tables[dev].Ports[port].Members()
		vids.AddAll(&set)
	}
	return vids.Len() * (len(net.Office.Devices[dev].Ports) + 2)
}

// Office writes a whole office as a workbook.
//
// Many branches: one a sheet, with its own columns.
func Office(report *finding.Report) ([]byte, error) {
	net, o := report.Net, report.Net.Office
	one := &workbook{f: excelize.NewFile(), used: map[string]bool{}, effort: net.Effort()}
	for _, name := range []string{"register", "cables", "plugs", "findings", "notation", "sheet1", "history"} {
		one.used[name] = true // of our own, and those that the format keeps for itself
	}
	defer one.f.Close()
	if err := one.styles(); err != nil {
		return nil, err
	}
	register := [][]string{{"VLAN", "Name", "Note", "Subnets", "Local", "Addresses", "Hands out", "State"}}
	for _, vlan := range o.VLANs {
		var nets, at, out []string
		for _, prefix := range vlan.Nets {
			nets = append(nets, prefix.String())
		}
		for _, device := range o.Devices {
			for _, address := range device.Addresses {
				if address.VID == vlan.VID {
					at = append(at, device.Name+" "+address.Prefix.String())
					if address.From.IsValid() {
						out = append(out, address.From.String()+"-"+address.To.String())
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
			[]string{fmt.Sprint(vlan.VID), vlan.Name, vlan.Note, strings.Join(nets, " "), local, strings.Join(at, ", "), strings.Join(out, ", "), net.VLAN(vlan.VID).State.String()},
		)
	}
	one.sheet("Register", register, 2, false)
	for i := range o.Devices { // before any of them is written
		one.effort.Spend(20_000 + 25*cells(net, i))
	}
	for _, i := range net.Topo.Outwards(net.Office) {
		one.sheet(o.Devices[i].Name, Grid(net, i), 2, true)
	}
	cables := [][]string{{"From", "To", "Speed"}}
	for _, cable := range o.Cables {
		cables = append(cables, []string{cable.A.String(), cable.B.String(), speed(o, cable.A)})
	}
	one.sheet("Cables", cables, 0, false)
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
	one.sheet("Plugs", plugs, 0, false)
	findings := [][]string{{"Severity", "Code", "What", "Ports"}}
	for _, f := range report.List() {
		var ports []string
		for _, ref := range f.Ports {
			ports = append(ports, ref.String())
		}
		findings = append(findings, []string{f.Severity.String(), string(f.Code), f.Text, strings.Join(ports, ", ")})
	}
	one.sheet("Findings", findings, 0, false)
	// All of it once more, so that what is read back is the same office.
	text := [][]string{}
	for line := range strings.SplitSeq(strings.TrimRight(notation.Print(o), "\n"), "\n") {
		text = append(text, []string{line})
	}
	if len(text) > 0 {
		one.sheet("Notation", text, 0, false)
	}
	if one.err != nil {
		return nil, one.err
	}
	_ = one.f.DeleteSheet("Sheet1")
	one.f.SetActiveSheet(0)
	var buffer bytes.Buffer
	if err := one.f.Write(&buffer); err != nil {
		return nil, err
	}
	return buffer.Bytes(), nil
}

func speed(o *office.Office, ref office.PortRef) string {
	device := o.Device(ref.Device)
	return device.Ports[device.Port(ref.Port)].Speed.String()
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
	cut := func(text string, n int) string {
		if r := []rune(text); len(r) > n {
			return string(r[:n])
		}
		return text
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
