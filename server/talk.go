package server

import (
	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/notation"
)

type talkQuery struct {
	At int64 `query:"at" description:"the revision to look at, now if it is not said"`
}

// talk answers with the table, which was worked out with the findings.
func (s *Server) talk(c fiber.Ctx) error {
	report, err := s.reportThen(c)
	if err != nil {
		return err
	}
	view := api.TalkViewOf(report.Talk())
	if c.Query("at") == "" { // of what is known now
		room, err := s.room(c)
		if err != nil {
			return err
		}
		now, err := room.current(c.Context())
		if err != nil {
			return err
		}
		view.Routers = api.TalkRouters(report.Net.Office, now.kept)
	}
	return c.JSON(view)
}

type talkWayQuery struct {
	From    string `query:"from" required:"true" description:"a VLAN, an address, a port, a plug, a device, or outside"`
	To      string `query:"to" required:"true" description:"likewise"`
	Service string `query:"service" description:"any, ping, tcp/PORT, udp/PORT, a name, or several with commas; any if it is not said"`
	At      int64  `query:"at" description:"the revision to look at, now if it is not said"`
}

func (s *Server) talkWay(c fiber.Ctx) error {
	report, err := s.reportThen(c)
	if err != nil {
		return err
	}
	talks := report.Talk().Map()
	for _, field := range []string{"from", "to"} {
		if _, err := talks.Who(c.Query(field)); err != nil {
			return bad(field, "%s", err)
		}
	}
	if _, err := notation.ReadServices(report.Net.Office, c.Query("service")); err != nil {
		return bad("service", "%s", err)
	}
	answer, err := api.TalkOf(talks, c.Query("from"), c.Query("to"), c.Query("service"))
	if err != nil {
		return err
	}
	return c.JSON(answer)
}
