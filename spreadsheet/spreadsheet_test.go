package spreadsheet_test

import (
	"bytes"
	"encoding/csv"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"klammer/core/finding"
	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/spreadsheet"
)

// TestRoundTrip: what is written of each device is read back the same.
func TestRoundTrip(t *testing.T) {
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	n := span.Compile(f.Office)
	data, err := spreadsheet.Office(finding.Check(n))
	require.NoError(t, err)
	book, err := excelize.OpenReader(bytes.NewReader(data))
	require.NoError(t, err)
	defer book.Close()
	require.Equal(t, "Register", book.GetSheetList()[0])
	require.Len(t, book.GetSheetList(), len(f.Office.Devices)+5, "register, cables, plugs, findings, and all of it in notation")
	for i, d := range f.Office.Devices {
		if !n.Aware(i) {
			continue
		}
		rows, err := spreadsheet.Rows(data, d.Name)
		require.NoError(t, err)
		plan := wording.Planned(n, i)
		nothing := wording.State{Ports: make([]wording.Setting, len(d.Ports))}
		r, err := found.Rows(d, nothing, rows)
		require.NoError(t, err, d.Name)
		require.Empty(t, r.Trouble, d.Name)
		for _, p := range r.Said {
			require.Equal(t, notation.Shape(plan.Ports[p].Shape()), notation.Shape(r.State.Ports[p].Shape()), "%s %s", d.Name, d.Ports[p].Name)
		}
	}
}

// TestBadWorkbooks: each is refused with its place.
func TestBadWorkbooks(t *testing.T) {
	make := func(f func(x *excelize.File)) []byte {
		x := excelize.NewFile()
		f(x)
		var b bytes.Buffer
		require.NoError(t, x.Write(&b))
		return b.Bytes()
	}
	for _, row := range []struct {
		data []byte
		says string
	}{
		{[]byte("no workbook"), "no workbook that can be read"},
		{make(func(x *excelize.File) { _ = x.MergeCell("Sheet1", "A1", "B2") }), "cells are merged in Sheet1 (A1:B2)"},
		{make(func(x *excelize.File) {
			_ = x.SetCellStr("Sheet1", "A1", "VLAN")
			_ = x.SetCellFormula("Sheet1", "B2", "1+1")
			_ = x.SetCellStr("Sheet1", "C2", "x")
		}), "B2 in Sheet1 is a formula"},
		{make(func(x *excelize.File) { _ = x.SetCellStr("Sheet1", "BZZ1", "x") }), "columns: at most"},
	} {
		_, err := spreadsheet.Rows(row.data, "")
		require.ErrorContains(t, err, row.says)
	}
}

// TestFormulas: what looks like a formula is text in CSV, and is read back as it was.
func TestFormulas(t *testing.T) {
	row := []string{"=HYPERLINK(\"http://x\")", "+1", "-2", "@SUM(A1)", "\tx", "-", "'quoted", "plain"}
	out := spreadsheet.Texts([][]string{row})
	for _, c := range out[0] {
		require.False(t, len(c) > 1 && strings.ContainsAny(c[:1], "=+-@\t\r"), c)
	}
	var b strings.Builder
	require.NoError(t, csv.NewWriter(&b).WriteAll(out))
	table, err := spreadsheet.CSV("x", []byte(b.String()))
	require.NoError(t, err)
	require.Equal(t, row, table.Rows[0])
}
