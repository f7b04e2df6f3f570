package server

import (
	"errors"
	"strings"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/people"
	"klammer/store"
)

// shelf is what several offices share, beside one of them.
func (s *Server) shelf(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	return s.shelfTold(c, room)
}

func (s *Server) shelfTold(c fiber.Ctx, room *room) error {
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	all, err := s.store.Shelf(c.Context())
	if err != nil {
		return err
	}
	following, err := s.store.Following(c.Context())
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	view := api.ShelfView{Items: []api.ShelfItem{}}
	for _, one := range all {
		item := api.ShelfItem{Name: one.Name, Revision: one.Revision, Text: one.Text, Note: one.Note, From: one.Source, By: one.Author, At: one.At, Departs: []string{}, Others: []api.ShelfOther{}}
		if _, item.Would, err = unlike(o, one.Text); err != nil {
			return err
		}
		for _, follows := range following {
			switch {
			case follows.Name != one.Name:
			case follows.Office != room.id:
				if whoAsks(c).role(follows.Office).May(people.Reader) {
					item.Others = append(item.Others, api.ShelfOther{Office: follows.Office, Title: follows.Title, Revision: follows.Revision, Because: follows.Because})
				}
			default:
				item.Follows, item.Because = follows.Revision, follows.Because
				then, ok, err := s.store.ShelvedAt(c.Context(), one.Name, follows.Revision)
				if err != nil {
					return err
				}
				if ok {
					if item.Departs, _, err = unlike(o, then.Text); err != nil {
						return err
					}
				}
			}
		}
		view.Items = append(view.Items, item)
	}
	return c.JSON(view)
}

// unlike is which uses and plans of a text are otherwise in an office, and the statements that
// make them so.
func unlike(o *office.Office, text string) (names, lines []string, err error) {
	names, lines = []string{}, []string{}
	f, err := notation.Read("shelf", text)
	if err != nil {
		return nil, nil, err
	}
	differs := func(name, is string, there bool, was string) {
		if !there || is != was {
			names, lines = append(names, name), append(lines, is)
		}
	}
	for _, use := range f.Office.Uses {
		was := o.Use(use.Name)
		text := ""
		if was != nil {
			text = notation.Thing(was)
		}
		differs("use "+use.Name, notation.Thing(use), was != nil, text)
	}
	for _, plan := range f.Office.Plans {
		was := o.Plan(plan.Name)
		text := ""
		if was != nil {
			text = notation.Thing(was)
		}
		differs("plan "+plan.Name, notation.Thing(plan), was != nil, text)
	}
	return names, lines, nil
}

// shelve puts uses and plans on the shelf.
func (s *Server) shelve(c fiber.Ctx) error {
	var request api.ShelfRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	request.Name = strings.TrimSpace(request.Name)
	if err := office.CheckText("the name", request.Name, 60, false); err != nil {
		return bad("name", "%s", err)
	}
	text := request.Text
	if text == "" {
		if text, err = gathered(now.report.Net.Office, request.Plans, request.Uses); err != nil {
			return err
		}
	}
	f, err := notation.Read("shelf", text)
	if err != nil {
		return bad("text", "%s", err)
	}
	o := f.Office
	if len(o.Devices)+len(o.VLANs)+len(o.Cables)+len(o.Plugs)+len(o.Wishes)+len(o.Services) > 0 || o.Title != "" {
		return bad("text", "the shelf takes uses and plans, and nothing else")
	}
	if len(o.Uses)+len(o.Plans) == 0 {
		return bad("plans", "there is nothing to put there: name plans or uses")
	}
	_, err = s.store.Shelve(c.Context(), store.Shelved{Name: request.Name, Text: notation.Print(o), Note: strings.TrimSpace(request.Note), Source: now.report.Net.Office.Title, Author: name})
	if errors.Is(err, store.ErrShelfFull) {
		return bad("name", "%s", err)
	}
	if err != nil {
		return err
	}
	return s.shelfTold(c, room)
}

// gathered is plans with the uses that they name, and uses, as notation.
func gathered(o *office.Office, plans, uses []string) (string, error) {
	var lines []string
	taken := map[string]bool{}
	use := func(name string) error {
		one := o.Use(name)
		if one == nil {
			return bad("uses", "there is no use %s", name)
		}
		if !taken[name] {
			taken[name] = true
			lines = append(lines, notation.Thing(one))
		}
		return nil
	}
	for _, name := range uses {
		if err := use(name); err != nil {
			return "", err
		}
	}
	var after []string
	for _, name := range plans {
		plan := o.Plan(name)
		if plan == nil {
			return "", bad("plans", "there is no plan %s", name)
		}
		for _, line := range plan.Lines {
			if line.Shape.Use != "" {
				if err := use(line.Shape.Use); err != nil {
					return "", err
				}
			}
		}
		after = append(after, notation.Thing(plan))
	}
	return strings.Join(append(lines, after...), "\n"), nil
}

// followShelf says which revision an office follows. What it changes there is an edit like any
// other, made before.
func (s *Server) followShelf(c fiber.Ctx) error {
	var request api.ShelfFollow
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	if request.Revision == 0 {
		if err := s.store.Unfollow(c.Context(), room.id, request.Name); err != nil {
			return err
		}
		return s.shelfTold(c, room)
	}
	if _, ok, err := s.store.ShelvedAt(c.Context(), request.Name, request.Revision); err != nil {
		return err
	} else if !ok {
		return bad("revision", "the shelf has no revision %d of %s", request.Revision, request.Name)
	}
	if err := s.store.Follow(c.Context(), store.Follows{Office: room.id, Name: request.Name, Revision: request.Revision, Because: strings.TrimSpace(request.Because)}, name); err != nil {
		return err
	}
	return s.shelfTold(c, room)
}

type shelfQuery struct {
	Name string `query:"name" required:"true"`
}

// unshelve takes something off the shelf, for all offices.
func (s *Server) unshelve(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	if !whoAsks(c).role(0).May(people.Keeper) {
		return fiber.NewError(fiber.StatusForbidden, "this takes a keeper of all offices: others may follow it")
	}
	ok, err := s.store.Unshelve(c.Context(), c.Query("name"))
	if err != nil {
		return err
	}
	if !ok {
		return bad("name", "the shelf has nothing named %s", c.Query("name"))
	}
	return s.shelfTold(c, room)
}
