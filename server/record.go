package server

import (
	"context"
	"encoding/csv"
	"fmt"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/spreadsheet"
	"klammer/store"
)

// note writes a line of the record; what cannot be written is said in the log.
func (s *Server) note(c fiber.Ctx, who, what string, office int64, about string) {
	s.noteFrom(context.WithoutCancel(c.Context()), store.Entry{Who: who, What: what, Office: &office, About: about, Address: s.askedFrom(c).String()})
}

// noteFrom writes one that may not be of a request.
func (s *Server) noteFrom(ctx context.Context, entry store.Entry) {
	if !s.access.Accounts {
		return
	}
	ctx, stop := context.WithTimeout(ctx, 5*time.Second)
	defer stop()
	if err := s.store.Record(ctx, entry); err != nil {
		s.log.Error("the record cannot be written", "who", entry.Who, "what", entry.What, "error", err)
	}
}

type recordQuery struct {
	Before int64 `query:"before" description:"lines older than this one"`
	File   int64 `query:"file" description:"1: all of it, as CSV"`
}

// mostRecorded is how many lines of the record are told at once.
const mostRecorded = 200

// mostExported is how many are in a file.
const mostExported = 100_000

// recordFile sends lines of the record as CSV, the newest first.
func recordFile(c fiber.Ctx, all []store.Entry) error {
	rows := [][]string{{"number", "at", "who", "what", "office", "about", "address"}}
	for _, entry := range all {
		office := ""
		if entry.Office != nil {
			office = fmt.Sprint(*entry.Office)
		}
		rows = append(rows, []string{fmt.Sprint(entry.ID), entry.At.UTC().Format(time.RFC3339), entry.Who, entry.What, office, entry.About, entry.Address})
	}
	var text strings.Builder
	writer := csv.NewWriter(&text)
	writer.UseCRLF = true
	if err := writer.WriteAll(spreadsheet.Texts(rows)); err != nil {
		return err
	}
	c.Attachment("klammer-record.csv")
	c.Set(fiber.HeaderContentType, "text/csv; charset=utf-8")
	return c.SendString(text.String())
}

func (s *Server) record(c fiber.Ctx) error {
	office, err := s.officeHere(c)
	if err != nil {
		return err
	}
	before, err := intQuery(c, "before", 0)
	if err != nil {
		return err
	}
	file, err := intQuery(c, "file", 0)
	if err != nil {
		return err
	}
	most := mostRecorded
	if file != 0 {
		most = mostExported
	}
	all, err := s.store.Recorded(c.Context(), office, before, most)
	if err != nil {
		return err
	}
	if file != 0 {
		return recordFile(c, all)
	}
	out := []api.RecordEntry{}
	for _, entry := range all {
		one := api.RecordEntry{ID: entry.ID, At: entry.At, Who: entry.Who, What: entry.What, About: entry.About, Address: entry.Address}
		if entry.Office != nil {
			one.Office = *entry.Office
		}
		out = append(out, one)
	}
	return c.JSON(out)
}
