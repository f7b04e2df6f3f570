package server

import (
	"encoding/json"
	"strings"
	"unicode/utf8"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/finding"
	"klammer/people"
	"klammer/store"
)

// standing counts what a check-up told; nil for one that cannot be read any more.
func standing(one store.Standing) *api.OfficeStanding {
	var told api.Checkup
	if json.Unmarshal(one.Told, &told) != nil {
		return nil
	}
	out := &api.OfficeStanding{At: one.At, Proved: told.Proof.Oldest}
	for _, line := range told.Findings {
		switch line.Severity {
		case finding.Breaks.String():
			out.Breaks++
		case finding.Risk.String():
			out.Risks++
		}
	}
	for _, device := range told.Devices {
		out.Differs += len(device.Differs)
		if device.Speaks && device.Why != "" {
			out.Silent++
		}
	}
	return out
}

// readable are the offices that whoever asks may read, and their numbers.
func (s *Server) readable(c fiber.Ctx) (list []store.Summary, ids []int64, err error) {
	all, err := s.store.Offices(c.Context())
	for _, summary := range all {
		if whoAsks(c).role(summary.ID).May(people.Reader) {
			list, ids = append(list, summary), append(ids, summary.ID)
		}
	}
	return list, ids, err
}

type searchQuery struct {
	Text string `query:"q" required:"true" minLength:"2" maxLength:"100" description:"what is looked for"`
}

// mostHits is how many are told at once.
const mostHits = 60

// search looks for a text in every office that somebody may read.
func (s *Server) search(c fiber.Ctx) error {
	text := strings.TrimSpace(c.Query("q"))
	if n := utf8.RuneCountInString(text); n < 2 || n > 100 || !utf8.ValidString(text) || strings.ContainsRune(text, 0) {
		return bad("q", "what is looked for has 2 to 100 letters")
	}
	_, ids, err := s.readable(c)
	if err != nil {
		return err
	}
	found, err := s.store.Search(c.Context(), ids, text, mostHits)
	if err != nil {
		return err
	}
	out := []api.Hit{}
	for _, hit := range found {
		out = append(out, api.Hit{Office: hit.Office, Title: hit.Title, What: hit.What, Device: hit.Device, Port: hit.Port, VLAN: hit.VID})
	}
	return c.JSON(out)
}
