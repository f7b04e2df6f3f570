package spreadsheet_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"klammer/core/finding"
	"klammer/core/intake"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/spreadsheet"
)

// TestWorkbookReadsBack: the workbook that is written reads back to the same
// office, and a cell that somebody changed in it is a change of that port.
func TestWorkbookReadsBack(t *testing.T) {
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	data, err := spreadsheet.Office(finding.Check(span.Compile(f.Office)))
	require.NoError(t, err)
	back := func(data []byte) *office.Office {
		tables, err := spreadsheet.Tables(data)
		require.NoError(t, err)
		u := spreadsheet.Understand(tables, nil)
		o, _ := u.Take(&office.Office{})
		require.Empty(t, u.Trouble)
		return o
	}
	require.Equal(t, notation.Print(f.Office), notation.Print(back(data)))

	book, err := excelize.OpenReader(bytes.NewReader(data))
	require.NoError(t, err)
	rows, err := book.GetRows("rack")
	require.NoError(t, err)
	col, row := 0, 0
	for k, h := range rows[0] {
		if h == "19" {
			col = k + 1
		}
	}
	for i, r := range rows {
		if r[0] == "130" {
			row = i + 1
		}
	}
	cell, _ := excelize.CoordinatesToCellName(col, row)
	require.NoError(t, book.SetCellStr("rack", cell, "T"))
	var out bytes.Buffer
	require.NoError(t, book.Write(&out))
	require.Equal(
		t,
		strings.Replace(notation.Print(f.Office), "19: 190 [120 140 170]\n  20: 190 [120 130 140 170]", "19-20: 190 [120 130 140 170]", 1),
		notation.Print(back(out.Bytes())),
	)
}

// TestNames: devices called like the workbook's own sheets, and twelve that
// share their first 31 letters, each have a sheet.
func TestNames(t *testing.T) {
	var b strings.Builder
	for _, n := range []string{"Register", "cables", "Sheet1", "Findings"} {
		fmt.Fprintf(&b, "device %s switch\n  ports 1-2\n", n)
	}
	for i := range 12 {
		fmt.Fprintf(&b, "device a-name-of-more-than-thirty-one-letters-%d switch\n  ports 1-2\n", i)
	}
	f, err := notation.Read("o", b.String())
	require.NoError(t, err)
	data, err := spreadsheet.Office(finding.Check(span.Compile(f.Office)))
	require.NoError(t, err)
	book, err := excelize.OpenReader(bytes.NewReader(data))
	require.NoError(t, err)
	require.Len(t, book.GetSheetList(), 16+5)
}

// TestBombs: what is small in its envelope and large outside is refused before
// it is made.
func TestBombs(t *testing.T) {
	pack := func(sheet string) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for name, text := range map[string]string{
			"[Content_Types].xml":        `<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="xml" ContentType="application/xml"/><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`,
			"_rels/.rels":                `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
			"xl/workbook.xml":            `<?xml version="1.0"?><workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="a" sheetId="1" r:id="r1"/></sheets></workbook>`,
			"xl/_rels/workbook.xml.rels": `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
			"xl/worksheets/sheet1.xml":   `<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>` + sheet + `</sheetData></worksheet>`,
		} {
			w, _ := z.Create(name)
			_, _ = w.Write([]byte(text))
		}
		z.Close()
		return b.Bytes()
	}
	var wide strings.Builder
	for r := 1; r <= 3000; r++ {
		fmt.Fprintf(&wide, `<row r="%d"><c r="XFD%d"><v>1</v></c></row>`, r, r)
	}
	for says, data := range map[string][]byte{
		"the last column of every row": pack(wide.String()),
		"spaces without end":           pack(strings.Repeat(" ", 200<<20)),
		"the last row":                 pack(`<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>`),
	} {
		for _, read := range []func([]byte) error{
			func(d []byte) error { _, err := spreadsheet.Tables(d); return err },
			func(d []byte) error { _, err := spreadsheet.Rows(d, "a"); return err },
		} {
			require.Error(t, read(data), says)
		}
	}
}

// TestIntake: grids as people keep them.
func TestIntake(t *testing.T) {
	csv := func(text string) []intake.Table {
		x, err := spreadsheet.CSV("plan.csv", []byte(text))
		require.NoError(t, err)
		return []intake.Table{x}
	}
	for _, row := range []struct{ says, text, want, trouble string }{
		{"VLANs down, a title above, words in the cells", "Ward East\n\nVLAN,Name,1-4,5-6,7,8\n110,Front Office,untagged,,,T\n130,imaging,,U,,tagged\n190,,,,u,U\n",
			"vlan 110 front-office\nvlan 130 imaging\nvlan 190 vlan190\n\ndevice ward-east switch\n  ports 1-8\n  1-4: 110\n  5-6: 130\n  7: 190\n  8: 190 [110 130]\n", ""},
		{"ports down", "Switch: rack\nPort;110 office;VLAN 120 (surgery)\n1;U;\n2;T;P\nlan3;;U\n",
			"vlan 110 office\nvlan 120 surgery\n\ndevice rack switch\n  ports 1-2, lan3\n  1: 110\n  2: [110] pvid 120\n  lan3: 120\n", ""},
		{"no label in the corner", ";1;2;3\n110;U;U;\n120;;T;U\n", "vlan 110 vlan110\nvlan 120 vlan120\n\ndevice switch-1 switch\n  ports 1-3\n  1: 110\n  2: 110 [120]\n  3: 120\n", ""},
		{"two devices under one another", "den\nVLAN,1,2\n10,U,T\n\nattic firewall\nVLAN,wan,lan\n10,,U\n20,U,\n",
			"vlan 10 vlan10\nvlan 20 vlan20\n\ndevice den switch\n  ports 1-2\n  1: 10\n  2: [10]\n\ndevice attic-firewall firewall\n  ports wan, lan\n  wan: 20\n  lan: 10\n", ""},
		{"what is not understood is named", "den\nVLAN,1,2,??\n10,U,maybe,\n4095,U,,\n", "vlan 10 vlan10\n\ndevice den switch\n  ports 1-2\n  1: 10\n",
			"row 3, column 3; row 4, column 2; row 4, column 1; row 2, column 4"},
	} {
		t.Run(row.says, func(t *testing.T) {
			u := spreadsheet.Understand(csv(row.text), nil)
			o, _ := u.Take(&office.Office{})
			require.Equal(t, row.want, notation.Print(o))
			var at []string
			for _, x := range u.Trouble {
				at = append(at, fmt.Sprintf("row %d, column %d", x.Row, x.Column))
			}
			require.Equal(t, row.trouble, strings.Join(at, "; "))
		})
	}
	// Into an office that is there: its ports are set, what it has stays.
	f, err := notation.Read("o", "vlan 10 staff\ndevice den switch\n  ports 1-4\n  3: 10\n")
	require.NoError(t, err)
	u := spreadsheet.Understand(csv("den\nVLAN,1,9\n10,U,U\n"), nil)
	o, e := u.Take(f.Office)
	require.Equal(t, "vlan 10 staff\n\ndevice den switch\n  ports 1-4\n  1: 10\n  3: 10\n", notation.Print(o))
	require.Len(t, e, 1)
	require.Len(t, u.Trouble, 1)
	// Corrected: another name, and one that is left out.
	u = spreadsheet.Understand(
		csv("den\nVLAN,1\n10,U\n\nden\nVLAN,1\n20,U\n"),
		[]intake.Choice{{Sheet: "plan.csv", Row: 2, Device: "cellar"}, {Sheet: "plan.csv", Row: 6, Skip: true}},
	)
	o, _ = u.Take(&office.Office{})
	require.Equal(t, "cellar", o.Devices[0].Name)
	require.Len(t, o.Devices, 1)
}

// FuzzIntake: whatever a table says, nothing breaks, and what is taken is an
// office that its own text gives again.
func FuzzIntake(f *testing.F) {
	f.Add("VLAN,1,2\n10,U,T\n")
	f.Add(";1;2\n110;U;U\n")
	f.Add("Port\t10\t20\n1\tU\t\n")
	f.Fuzz(func(t *testing.T, text string) {
		x, err := spreadsheet.CSV("f", []byte(text))
		if err != nil {
			return
		}
		o, _ := spreadsheet.Understand([]intake.Table{x}, nil).Take(&office.Office{})
		again, err := notation.Read("again", notation.Print(o))
		require.NoError(t, err, notation.Print(o))
		require.Equal(t, notation.Print(o), notation.Print(again.Office))
	})
}
