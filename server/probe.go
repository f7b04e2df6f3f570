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
	t := whoAsks(c).token
	switch {
	case c.Get(fiber.HeaderAuthorization) == "":
		return nil, nil, fiber.NewError(fiber.StatusUnauthorized, "a probe reports with a token: the view Round makes one")
	case t == nil:
		return nil, nil, fiber.NewError(fiber.StatusUnauthorized, "this token is not known here, or somebody ended it: the view Round makes another")
	case t.Ended():
		return nil, nil, endedToken(t)
	case t.Role != people.Nobody && t.Role < people.Carrier, whoAsks(c).person != nil && whoAsks(c).person.Role(t.Office) < people.Carrier:
		return nil, nil, fiber.NewError(fiber.StatusForbidden, "this token is for somebody who only looks or plans: reporting tests takes a carrier")
	}
	r, err := s.roomOf(c.Context(), t.Office)
	return t, r, err
}

func endedToken(t *store.Token) error {
	return fiber.NewError(fiber.StatusUnauthorized, fmt.Sprintf("the token %q ended on %s: the view Round makes another", t.Name, t.Expires.Format("2006-01-02 15:04")))
}

// plannedMark is short for what is to be seen at a test.
func plannedMark(t api.PlugTest) string {
	sum := sha256.Sum256([]byte(planned(t)))
	return hex.EncodeToString(sum[:16])
}

func (s *Server) probeLooks(c fiber.Ctx) error {
	_, r, err := s.bearer(c)
	if err != nil {
		return err
	}
	var q api.ProbeAsk
	if err := body(c, &q); err != nil {
		return err
	}
	now, err := r.current(c.Context())
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	port, err := api.PortHeard(o, q)
	if err != nil {
		return bad("heard", "%s", err)
	}
	v := api.ProbeLooks{ID: r.id, Revision: now.view.Revision, Looks: []api.ProbeLook{}}
	if v.Office, err = s.store.OfficeName(c.Context(), r.id); err != nil {
		return err
	}
	err = s.withRound(c.Context(), r.id, now.report.Net, func(made *round.Round) error {
		tests, err := api.TestsAt(o, made, port, q.VLANs)
		if err != nil {
			return bad("port", "%s", err)
		}
		for _, t := range tests {
			x := api.ProbeLookOf(made, t)
			x.Planned = plannedMark(api.PlugTestOf(made, t))
			v.Port = t.Port.String()
			v.Looks = append(v.Looks, x)
		}
		return nil
	})
	if err != nil {
		return err
	}
	return c.JSON(v)
}

func (s *Server) probeReport(c fiber.Ctx) error {
	t, r, err := s.bearer(c)
	if err != nil {
		return err
	}
	var q api.ProbeReport
	if err := body(c, &q); err != nil {
		return err
	}
	if q.ID != r.id {
		return fiber.NewError(fiber.StatusForbidden, fmt.Sprintf("this token is for office %d, and the report is of office %d", r.id, q.ID))
	}
	now, err := r.current(c.Context())
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	out := &api.Probed{Tests: []api.ProbedTest{}}
	var results []store.PlugTest
	err = s.withRound(c.Context(), r.id, now.report.Net, func(made *round.Round) error {
		var vlans []int
		for _, x := range q.Saw {
			if x.Wire != nil {
				vlans = append(vlans, *x.Wire)
			}
		}
		tests, err := api.TestsAt(o, made, q.Port, vlans)
		if err != nil {
			return bad("port", "%s", err)
		}
		for k := range q.Saw {
			x := &q.Saw[k]
			if err := x.Check(); err != nil {
				return bad("saw", "%s", err)
			}
			test, err := api.TestOfWire(tests, x.Wire)
			if err != nil {
				return bad("saw", "%s", err)
			}
			plan := api.PlugTestOf(made, test)
			if x.Planned != plannedMark(plan) { // what was looked for may be another
				return &history.Conflict{Text: fmt.Sprintf("the plan moved on to revision %d meanwhile, and other things are to be seen at %s: look again", now.view.Revision, q.Port)}
			}
			played, how := made.Judge(test, x.Round(made.Look(test))), "measured"
			if x.Looked {
				played, how = made.JudgeLooked(test, x.OfLooked(test)), "looked"
			}
			out.Tests = append(out.Tests, api.ProbedTestOf(made, played))
			result := resultOf(played, plan, how, now.view.Revision, t.Name)
			if x.Looked && x.Lease != nil {
				if result.Lease, err = json.Marshal(x.Lease); err != nil {
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
	if err := s.store.KeepPlugTests(c.Context(), r.id, results); err != nil {
		return err
	}
	if err := s.tellAll(c.Context(), api.Somebody{Name: t.Name, Office: r.id, Round: true}); err != nil {
		return err
	}
	v, err := s.roundView(c.Context(), r) // what explains all that is known
	if err != nil {
		return err
	}
	out.Suspects, out.Next = v.Suspects, v.Next
	return c.JSON(out)
}

type tokenQuery struct {
	Token int64 `query:"token" required:"true"`
}

func (s *Server) tokens(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	return s.tokensTold(c, r, "")
}

func (s *Server) tokensTold(c fiber.Ctx, r *room, made string) error {
	all, err := s.store.Tokens(c.Context(), r.id)
	if err != nil {
		return err
	}
	v := api.TokenList{Tokens: []api.TokenView{}, Made: made}
	if s.access.Own != nil {
		v.Known = s.access.Own()
	}
	for _, t := range all {
		v.Tokens = append(v.Tokens, api.TokenView{ID: t.ID, Name: t.Name, Author: t.Author, At: t.At, Expires: t.Expires, Ended: t.Ended(), Used: t.Used, Scope: store.Scope(t.Role)})
	}
	return c.JSON(v)
}

func (s *Server) makeToken(c fiber.Ctx) error {
	var q api.TokenRequest
	author, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	name, err := checkName(q.Name)
	if err != nil {
		return err
	}
	a, role := whoAsks(c), people.Nobody
	if q.Scope != "" && q.Scope != "tests" {
		if role, err = people.RoleOf(q.Scope); err != nil {
			return bad("scope", "%s", err)
		}
	}
	if role > a.role(r.id) {
		return fiber.NewError(fiber.StatusForbidden, fmt.Sprintf("a token may no more than you: you are a %s here", a.role(r.id)))
	}
	person := int64(0)
	if a.person != nil {
		person = a.person.ID
		if role != people.Nobody { // it acts in one's name, and outlives a new password
			if err := s.ownPassword(c, a, "password", q.Password); err != nil {
				return err
			}
		}
	}
	made, err := s.store.MakeToken(c.Context(), r.id, name, author, role, person, time.Duration(q.Days)*24*time.Hour)
	if errors.Is(err, store.ErrTokens) {
		return &tooMuch{"this office has 50 tokens, the most that are kept: end some of them first"}
	}
	if err != nil {
		return err
	}
	s.note(c, author, "made a token", r.id, name)
	return s.tokensTold(c, r, made)
}

func (s *Server) endToken(c fiber.Ctx) error {
	if _, err := author(c); err != nil {
		return err
	}
	r, err := s.room(c)
	if err != nil {
		return err
	}
	id, err := intQuery(c, "token", 0)
	if err != nil {
		return err
	}
	ok, err := s.store.EndToken(c.Context(), r.id, id)
	if err != nil {
		return err
	}
	if !ok {
		return fiber.NewError(fiber.StatusNotFound, "there is no token of that number: somebody may have ended it already")
	}
	if err := s.ended(c.Context(), api.Somebody{Tokens: []int64{id}}); err != nil {
		return err
	}
	s.note(c, whoAsks(c).name, "ended a token", r.id, fmt.Sprint(id))
	return s.tokensTold(c, r, "")
}
