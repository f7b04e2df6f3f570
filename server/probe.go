package server

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/history"
	"klammer/core/round"
	"klammer/people"
	"klammer/store"
)

// bearer is the office that a request's token reports tests of, and the token (RFC 6750,
// 2.1).
func (s *Server) bearer(c fiber.Ctx) (*store.Token, *room, error) {
	token := whoAsks(c).token
	switch {
	case c.Get(fiber.HeaderAuthorization) == "":
		return nil, nil, fiber.NewError(fiber.StatusUnauthorized, "a probe reports with a token: the view Round makes one")
	case token == nil:
		return nil, nil, fiber.NewError(fiber.StatusUnauthorized, "this token is not known here, or somebody ended it: the view Round makes another")
	case token.Ended():
		return nil, nil, endedToken(token)
	case token.Role != people.Nobody && !token.Role.May(people.Carrier), whoAsks(c).person != nil && !whoAsks(c).person.Role(token.Office).May(people.Carrier):
		return nil, nil, fiber.NewError(fiber.StatusForbidden, "this token is for somebody who only looks or plans: reporting tests takes a carrier")
	}
	room, err := s.roomOf(c.Context(), token.Office)
	return token, room, err
}

func endedToken(token *store.Token) error {
	return fiber.NewError(fiber.StatusUnauthorized, fmt.Sprintf("the token %q ended on %s: the view Round makes another", token.Name, token.Expires.Format("2006-01-02 15:04")))
}

// plannedMark is short for what is to be seen at a test.
func plannedMark(test api.PlugTest) string {
	sum := sha256.Sum256([]byte(planned(test)))
	return hex.EncodeToString(sum[:16])
}

func (s *Server) probeLooks(c fiber.Ctx) error {
	_, room, err := s.bearer(c)
	if err != nil {
		return err
	}
	var ask api.ProbeAsk
	if err := body(c, &ask); err != nil {
		return err
	}
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	port, err := api.PortHeard(o, ask)
	if err != nil {
		return bad("heard", "%s", err)
	}
	looks := api.ProbeLooks{ID: room.id, Revision: now.view.Revision, Looks: []api.ProbeLook{}}
	if looks.Office, err = s.store.OfficeName(c.Context(), room.id); err != nil {
		return err
	}
	err = s.withRound(c.Context(), room.id, now.report.Net, func(made *round.Round) error {
		tests, err := api.TestsAt(o, made, port, ask.VLANs)
		if err != nil {
			return bad("port", "%s", err)
		}
		for _, test := range tests {
			look := api.ProbeLookOf(made, test)
			look.Planned = plannedMark(api.PlugTestOf(made, test))
			looks.Port = test.Port.String()
			looks.Looks = append(looks.Looks, look)
		}
		return nil
	})
	if err != nil {
		return err
	}
	return c.JSON(looks)
}

func (s *Server) probeReport(c fiber.Ctx) error {
	token, room, err := s.bearer(c)
	if err != nil {
		return err
	}
	var report api.ProbeReport
	if err := body(c, &report); err != nil {
		return err
	}
	if report.ID != room.id {
		return fiber.NewError(fiber.StatusForbidden, fmt.Sprintf("this token is for office %d, and the report is of office %d", room.id, report.ID))
	}
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	out := &api.Probed{Tests: []api.ProbedTest{}}
	var results []store.PlugTest
	err = s.withRound(c.Context(), room.id, now.report.Net, func(made *round.Round) error {
		var vlans []int
		for _, saw := range report.Saw {
			if saw.Wire != nil {
				vlans = append(vlans, *saw.Wire)
			}
		}
		tests, err := api.TestsAt(o, made, report.Port, vlans)
		if err != nil {
			return bad("port", "%s", err)
		}
		for k := range report.Saw {
			saw := &report.Saw[k]
			if err := saw.Check(); err != nil {
				return bad("saw", "%s", err)
			}
			test, err := api.TestOfWire(tests, saw.Wire)
			if err != nil {
				return bad("saw", "%s", err)
			}
			plan := api.PlugTestOf(made, test)
			if saw.Planned != plannedMark(plan) { // what was looked for may be another
				return &history.Conflict{Text: fmt.Sprintf("the plan moved on to revision %d meanwhile, and other things are to be seen at %s: look again", now.view.Revision, report.Port)}
			}
			played, how := made.Judge(test, saw.Round(made.Look(test))), "measured"
			if saw.Looked {
				played, how = made.JudgeLooked(test, saw.OfLooked(test)), "looked"
			}
			out.Tests = append(out.Tests, api.ProbedTestOf(made, played))
			result := resultOf(played, plan, how, now.view.Revision, token.Name)
			if saw.Looked && saw.Lease != nil {
				if result.Lease, err = json.Marshal(saw.Lease); err != nil {
					return err
				}
			}
			results = append(results, result)
		}
		return nil
	})
	if err != nil {
		return err
	}
	if err := s.store.KeepPlugTests(c.Context(), room.id, results); err != nil {
		return err
	}
	if err := s.tellAll(c.Context(), api.Somebody{Name: token.Name, Office: room.id, Round: true}); err != nil {
		return err
	}
	view, err := s.roundView(c.Context(), room) // what explains all that is known
	if err != nil {
		return err
	}
	out.Suspects, out.Next = view.Suspects, view.Next
	return c.JSON(out)
}

type tokenQuery struct {
	Token int64 `query:"token" required:"true"`
}

func (s *Server) tokens(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	return s.tokensTold(c, room, "")
}

func (s *Server) tokensTold(c fiber.Ctx, room *room, made string) error {
	all, err := s.store.Tokens(c.Context(), room.id)
	if err != nil {
		return err
	}
	list := api.TokenList{Tokens: []api.TokenView{}, Made: made}
	if s.access.Own != nil {
		list.Known = s.access.Own()
	}
	for _, token := range all {
		list.Tokens = append(list.Tokens, api.TokenView{ID: token.ID, Name: token.Name, Author: token.Author, At: token.At, Expires: token.Expires, Ended: token.Ended(), Used: token.Used, Scope: store.Scope(token.Role)})
	}
	return c.JSON(list)
}

func (s *Server) makeToken(c fiber.Ctx) error {
	var request api.TokenRequest
	author, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	name, err := checkName(request.Name)
	if err != nil {
		return err
	}
	asker, role := whoAsks(c), people.Nobody
	if request.Scope != "" && request.Scope != "tests" {
		if role, err = people.RoleOf(request.Scope); err != nil {
			return bad("scope", "%s", err)
		}
	}
	if !role.Within(asker.role(room.id)) {
		return fiber.NewError(fiber.StatusForbidden, fmt.Sprintf("a token may no more than you: you are a %s here", asker.role(room.id)))
	}
	person := int64(0)
	if asker.person != nil {
		person = asker.person.ID
		if role != people.Nobody { // it acts in one's name, and outlives a new password
			if err := s.ownPassword(c, asker, "password", request.Password); err != nil {
				return err
			}
		}
	}
	made, err := s.store.MakeToken(c.Context(), store.Token{Office: room.id, Name: name, Author: author, Role: role, Person: person}, time.Duration(request.Days)*24*time.Hour)
	if errors.Is(err, store.ErrTokens) {
		return &tooMuch{"this office has 50 tokens, the most that are kept: end some of them first"}
	}
	if err != nil {
		return err
	}
	s.note(c, author, "made a token", room.id, name)
	return s.tokensTold(c, room, made)
}

func (s *Server) endToken(c fiber.Ctx) error {
	if _, err := author(c); err != nil {
		return err
	}
	room, err := s.room(c)
	if err != nil {
		return err
	}
	id, err := intQuery(c, "token", 0)
	if err != nil {
		return err
	}
	ok, err := s.store.EndToken(c.Context(), room.id, id)
	if err != nil {
		return err
	}
	if !ok {
		return fiber.NewError(fiber.StatusNotFound, "there is no token of that number: somebody may have ended it already")
	}
	if err := s.ended(c.Context(), api.Somebody{Tokens: []int64{id}}); err != nil {
		return err
	}
	s.note(c, whoAsks(c).name, "ended a token", room.id, fmt.Sprint(id))
	return s.tokensTold(c, room, "")
}
