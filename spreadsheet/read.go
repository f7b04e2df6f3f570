package spreadsheet

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/xuri/excelize/v2"

	"klammer/core/intake"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

// Most that is read of a workbook, whatever its envelope promises.
const (
	mostRows    = 5000
	mostColumns = 1000
	mostCells   = 500_000
	mostSheets  = 200
	mostBytes   = 24 << 20 // of all parts, unpacked
	mostPart    = 8 << 20  // of one part
	mostRatio   = 200      // unpacked to packed
)

// open opens a workbook after its parts were measured: what they say of their
// sizes is not believed.
func open(data []byte) (*excelize.File, error) {
	reader, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fmt.Errorf("this is no workbook that can be read (XLSX): %w", err)
	}
	total := int64(0)
	for _, file := range reader.File {
		closer, err := file.Open()
		if err != nil {
			return nil, fmt.Errorf("this is no workbook that can be read (XLSX): %w", err)
		}
		n, err := io.Copy(io.Discard, io.LimitReader(closer, mostPart+1))
		closer.Close()
		if err != nil {
			return nil, fmt.Errorf("this is no workbook that can be read (XLSX): %w", err)
		}
		if total += n; n > mostPart || total > mostBytes || n > 1<<20 && n > mostRatio*int64(file.CompressedSize64) {
			return nil, fmt.Errorf("the workbook is too large: at most %d MB in all, and %d MB a part, are unpacked", mostBytes>>20, mostPart>>20)
		}
	}
	one, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{UnzipSizeLimit: mostBytes, UnzipXMLSizeLimit: mostPart})
	if err != nil {
		return nil, fmt.Errorf("this is no workbook that can be read (XLSX): %w", err)
	}
	return one, nil
}

// plain refuses a sheet with formulas or merged cells, as what they show may not
// be what they say. It looks at the sheet's own part as it goes by: a part made
// into cells may be a thousand times as large.
func plain(data []byte, sheet string) error {
	reader, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return err
	}
	part := func(name string, into any) error {
		file, err := reader.Open(name)
		if err != nil {
			return err
		}
		defer file.Close()
		return xml.NewDecoder(io.LimitReader(file, mostPart)).Decode(into)
	}
	var book struct {
		Sheets []struct {
			Name string `xml:"name,attr"`
			ID   string `xml:"http://schemas.openxmlformats.org/officeDocument/2006/relationships id,attr"`
		} `xml:"sheets>sheet"`
	}
	var links struct {
		List []struct {
			ID     string `xml:"Id,attr"`
			Target string `xml:"Target,attr"`
		} `xml:"Relationship"`
	}
	if part("xl/workbook.xml", &book) != nil || part("xl/_rels/workbook.xml.rels", &links) != nil {
		return nil // excelize read it in its own way
	}
	target := ""
	for _, s := range book.Sheets {
		for _, l := range links.List {
			if s.Name == sheet && l.ID == s.ID {
				target = strings.TrimPrefix(strings.TrimPrefix(l.Target, "/"), "xl/")
			}
		}
	}
	other, err := reader.Open("xl/" + target)
	if target == "" || err != nil {
		return nil
	}
	defer other.Close()
	cell := ""
	for decoder := xml.NewDecoder(io.LimitReader(other, mostPart)); ; {
		token, err := decoder.Token()
		if err != nil {
			return nil // its end
		}
		element, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		attr := func(name string) string {
			for _, one := range element.Attr {
				if one.Name.Local == name {
					return one.Value
				}
			}
			return ""
		}
		switch element.Name.Local {
		case "c":
			cell = attr("r")
		case "f":
			return fmt.Errorf("%s in %s is a formula: paste its value", cell, sheet)
		case "mergeCell":
			return fmt.Errorf("cells are merged in %s (%s): unmerge them, so that each says what it is about", sheet, attr("ref"))
		}
	}
}

// rowsOf reads the cells of one sheet, a row after the other.
func rowsOf(file *excelize.File, name string, cells *int) (rows [][]string, err error) {
	it, err := file.Rows(name)
	if err != nil {
		return nil, err
	}
	defer it.Close()
	for it.Next() {
		r, err := it.Columns()
		if err != nil {
			return nil, err
		}
		if len(r) > mostColumns {
			return nil, fmt.Errorf("row %d of %s has %d columns: at most %d are read", len(rows)+1, name, len(r), mostColumns)
		}
		rows = append(rows, r)
		if *cells += len(r) + 1; *cells > mostCells {
			return nil, fmt.Errorf("the workbook has more than %d cells: take the sheets that are meant", mostCells)
		}
		if len(rows) > mostRows {
			return nil, fmt.Errorf("%s has more than %d rows, the most that are read", name, mostRows)
		}
	}
	return rows, it.Error()
}

// Tables reads all sheets of a workbook: of formulas what they show, of merged
// cells the first.
func Tables(data []byte) ([]intake.Table, error) {
	file, err := open(data)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	names := file.GetSheetList()
	if len(names) == 0 {
		return nil, errors.New("the workbook has no sheet")
	}
	if len(names) > mostSheets {
		return nil, fmt.Errorf("the workbook has %d sheets: at most %d are read", len(names), mostSheets)
	}
	var out []intake.Table
	cells := 0
	for _, name := range names {
		rows, err := rowsOf(file, name, &cells)
		if err != nil {
			return nil, err
		}
		out = append(out, intake.Table{Name: name, Rows: rows})
	}
	return out, nil
}

// CSV reads one table of cells parted by commas, semicolons or tabs, whichever
// its first lines have most of.
func CSV(name string, data []byte) (intake.Table, error) {
	text := strings.TrimPrefix(string(data), "\ufeff")
	comma, most := ',', 0
	head := text[:min(len(text), 2000)]
	for _, c := range []rune{',', ';', '\t'} {
		if n := strings.Count(head, string(c)); n > most {
			comma, most = c, n
		}
	}
	reader := csv.NewReader(strings.NewReader(text))
	reader.Comma, reader.FieldsPerRecord, reader.LazyQuotes = comma, -1, true
	table := intake.Table{Name: name}
	cells := 0
	for line := 1; ; {
		row, err := reader.Read()
		if errors.Is(err, io.EOF) {
			return table, nil
		}
		if err != nil {
			return table, fmt.Errorf("this is no table that can be read (CSV): %w", err)
		}
		at, _ := reader.FieldPos(0)
		for ; line < at; line++ { // lines that are empty are rows that are empty
			table.Rows = append(table.Rows, nil)
		}
		line++
		if cells += len(row); len(row) > mostColumns || cells > mostCells || len(table.Rows) > mostRows {
			return table, fmt.Errorf("the table is too large: at most %d rows of %d columns are read", mostRows, mostColumns)
		}
		table.Rows = append(table.Rows, untexted(row))
	}
}

// Understand reads what tables say of an office; see [intake.Read]. choices are
// what somebody corrected.
func Understand(tables []intake.Table, choices []intake.Choice) *intake.Understood {
	understood := intake.Read(tables, choices)
	nets := map[*office.Office]*span.Net{}
	understood.Resolve = func(o *office.Office, device string, port int) office.Shape {
		net := nets[understood.Exact]
		if understood.Exact == nil || net == nil {
			if understood.Exact == nil {
				shape, _ := o.Effective(o.Device(device), port)
				return *shape
			}
			net = span.Compile(understood.Exact)
			nets[understood.Exact] = net
		}
		i := net.Topo.DeviceIndex(device)
		if i < 0 || port >= len(net.Office.Devices[i].Ports) {
			shape, _ := o.Effective(o.Device(device), port)
			return *shape
		}
		return wording.Planned(net, i).Ports[port].Shape()
	}
	return understood
}

// Formulas are what a cell of CSV begins with that spreadsheets take for a formula.
const formulas = "=+-@\t\r"

// Texts writes rows for CSV so that no cell is taken for a formula: one that looks like it
// has an apostrophe before it, which the reader takes off again.
func Texts(rows [][]string) [][]string {
	out := make([][]string, len(rows))
	for i, row := range rows {
		for _, c := range row {
			if len(c) > 1 && strings.ContainsRune(formulas, rune(c[0])) {
				c = "'" + c
			}
			out[i] = append(out[i], c)
		}
	}
	return out
}

// untexted takes that apostrophe off.
func untexted(row []string) []string {
	for k, c := range row {
		if len(c) > 2 && c[0] == '\'' && strings.ContainsRune(formulas, rune(c[1])) {
			row[k] = c[1:]
		}
	}
	return row
}
