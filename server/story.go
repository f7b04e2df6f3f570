package server

import (
	"cmp"
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/store"
)

type storyQuery struct {
	Who    string `query:"who" description:"only what this person did"`
	Device string `query:"device" description:"only of this device"`
	Port   string `query:"port" description:"only what made this port so: rack.7"`
	VLAN   int64  `query:"vlan" description:"only where this VLAN is named"`
	Kinds  string `query:"kinds" description:"some of edit, order, step, found, proof, with commas; all where none is said"`
	Before int64  `query:"before" description:"the page before: edits before this revision"`
	Until  string `query:"until" description:"the page before: all else before this time"`
}

// What one page of a story reads at most: edits are looked through for those that are asked
// for, and what else happened is bounded by the edits of the page.
const (
	storyPage     = 100
	storyRead     = 500
	storyLooked   = 20000
	storyHappened = 1000
)

var storyKinds = []string{"edit", "order", "step", "found", "proof"}

// asked is what a story is of.
func (q *storyQuery) about(o *office.Office) (about history.About, kinds []string, err error) {
	if q.Port != "" {
		ref, err := notation.PortRef(o, q.Port)
		if err != nil {
			return about, nil, bad("port", "%s", err)
		}
		about = history.AboutPort(o, ref)
	}
	about.Who, about.Device = q.Who, q.Device
	if q.VLAN < 0 || q.VLAN > int64(office.MaxVID) {
		return about, nil, bad("vlan", "a VID is 1 to %d", office.MaxVID)
	}
	about.VLAN = office.VID(q.VLAN)
	kinds = storyKinds
	if q.Kinds != "" {
		kinds = strings.Split(q.Kinds, ",")
		for _, kind := range kinds {
			if !slices.Contains(storyKinds, kind) {
				return about, nil, bad("kinds", "%q is none of %s", kind, strings.Join(storyKinds, ", "))
			}
		}
	}
	return about, kinds, nil
}

// story is what happened to an office, the newest first: edits, orders and what was said of
// their steps, what was found otherwise, what was proved.
//
// Many branches: each bound that is asked for may be wrong, and edits and what else
// happened are read page by page.
func (s *Server) story(c fiber.Ctx) error {
	room, look, err := s.looked(c)
	if err != nil {
		return err
	}
	query := storyQuery{Who: c.Query("who"), Device: c.Query("device"), Port: c.Query("port"), Kinds: c.Query("kinds"), Until: c.Query("until")}
	if query.Before, err = intQuery(c, "before", 0); err != nil {
		return err
	}
	vlan, err := intQuery(c, "vlan", 0)
	if err != nil {
		return err
	}
	query.VLAN = vlan
	o := look.report.Net.Office
	about, kinds, err := query.about(o)
	if err != nil {
		return err
	}
	until := time.Now().Add(time.Hour)
	if query.Until != "" {
		if until, err = time.Parse(time.RFC3339Nano, query.Until); err != nil {
			return bad("until", "%q is no time as 2026-11-30T18:00:00Z", query.Until)
		}
	}
	out := api.Story{Entries: []api.StoryEntry{}, People: []string{}}
	from := time.Time{} // what else happened belongs to this page from here on
	if slices.Contains(kinds, "edit") {
		edits, more, err := s.edits(c, room, about, query.Before)
		if err != nil {
			return err
		}
		names, err := s.store.RevisionNames(c.Context(), room.id)
		if err != nil {
			return err
		}
		for _, made := range edits {
			out.Entries = append(out.Entries, api.StoryEntry{Kind: "edit", At: made.At, Who: made.Author, Text: made.Turn.Of(made.Summary), Revision: made.Revision, Turn: made.Turn, UndoneBy: made.UndoneBy, Name: names[made.Revision]})
		}
		if more {
			last := edits[len(edits)-1]
			out.Before, from = last.Revision, last.At
		}
	}
	happened, err := s.store.Happened(c.Context(), room.id, from, until, storyHappened)
	if err != nil {
		return err
	}
	for _, one := range happened {
		if slices.Contains(kinds, one.Kind) && about.Deed(o, one.Who, one.Device, one.Port, one.Lines) {
			out.Entries = append(out.Entries, api.StoryEntry{Kind: one.Kind, At: one.At, Who: one.Who, Text: one.Text, Device: one.Device})
		}
	}
	if len(happened) == storyHappened { // as far back as was read
		from = happened[len(happened)-1].At
		out.Entries = slices.DeleteFunc(out.Entries, func(entry api.StoryEntry) bool { return entry.At.Before(from) })
		for _, entry := range out.Entries {
			if entry.Revision > 0 && (out.Before == 0 || entry.Revision < out.Before) {
				out.Before = entry.Revision
			}
		}
		out.Before = cmp.Or(out.Before, query.Before, look.view.Revision+1)
	}
	if out.Before > 0 {
		out.Until = &from
	}
	slices.SortStableFunc(out.Entries, func(a, b api.StoryEntry) int { return b.At.Compare(a.At) })
	if out.People, err = s.store.Authors(c.Context(), room.id); err != nil {
		return err
	}
	return c.JSON(out)
}

// edits looks through the edits before a revision, 0 for all, for a page of those that are
// asked for; whether there may be more.
func (s *Server) edits(c fiber.Ctx, room *room, about history.About, before int64) (out []store.Made, more bool, err error) {
	for looked := 0; looked < storyLooked; looked += storyRead {
		page, err := s.store.HistoryPage(c.Context(), room.id, 0, before, storyRead)
		if err != nil {
			return nil, false, err
		}
		for i := range page {
			if !about.Edit(&page[i].Made) {
				continue
			}
			if len(out) == storyPage {
				return out, true, nil
			}
			out = append(out, page[i])
		}
		if len(page) < storyRead {
			return out, false, nil
		}
		before = page[len(page)-1].Revision
	}
	return out, false, nil
}

// nameRevision calls a revision something that one finds it by.
func (s *Server) nameRevision(c fiber.Ctx) error {
	var request api.RevisionName
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	revision, err := strconv.ParseInt(c.Params("revision"), 10, 64)
	if err != nil || revision < 1 || revision > now.view.Revision {
		return bad("revision", "the office has the revisions 1 to %d", now.view.Revision)
	}
	request.Name = strings.TrimSpace(request.Name)
	if err := office.CheckText("the name", request.Name, 80, true); err != nil {
		return bad("name", "%s", err)
	}
	err = s.store.NameRevision(c.Context(), room.id, revision, request.Name, name)
	if errors.Is(err, store.ErrRevisionNamed) {
		return bad("name", "%s", err)
	}
	if err != nil {
		return err
	}
	return c.JSON(request)
}
