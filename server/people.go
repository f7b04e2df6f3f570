package server

import (
	"errors"
	"fmt"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/people"
	"klammer/store"
)

// officeHere is the office of a route; 0 for all.
func (s *Server) officeHere(c fiber.Ctx) (int64, error) {
	if c.Params("id") == "" {
		return 0, nil
	}
	room, err := s.room(c)
	if err != nil {
		return 0, err
	}
	return room.id, nil
}

func (s *Server) people(c fiber.Ctx) error {
	office, err := s.officeHere(c)
	if err != nil {
		return err
	}
	return s.peopleTold(c, office, "")
}

func (s *Server) peopleTold(c fiber.Ctx, office int64, link string) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	all, err := s.store.People(c.Context())
	if err != nil {
		return err
	}
	asker := whoAsks(c)
	view := api.PeopleView{People: []api.PersonView{}, Invitations: []api.InvitationView{}, Link: link}
	for _, person := range all {
		role := person.Everywhere
		if office != 0 {
			role = person.In[office]
			if person.Role(office) == people.Nobody && !asker.role(0).May(people.Keeper) {
				continue // of no concern to who keeps this office alone
			}
		}
		view.People = append(view.People, api.PersonView{ID: person.ID, Name: person.Name, Role: role.String(), Everywhere: person.Everywhere.String(), You: asker.person != nil && asker.person.ID == person.ID, Alone: person.Alone})
	}
	open, err := s.store.Invitations(c.Context(), office)
	if err != nil {
		return err
	}
	for _, invitation := range open {
		view.Invitations = append(view.Invitations, api.InvitationView{ID: invitation.ID, Office: invitation.Title, Role: invitation.Role.String(), By: invitation.Author, At: invitation.At, Expires: invitation.Expires})
	}
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.JSON(view)
}

type invitationQuery struct {
	Invitation int64 `query:"invitation" required:"true"`
}

// withdraw ends an invitation that nobody used yet.
func (s *Server) withdraw(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	office, err := s.officeHere(c)
	if err != nil {
		return err
	}
	id, err := intQuery(c, "invitation", 0)
	if err != nil {
		return err
	}
	ok, err := s.store.Withdraw(c.Context(), office, id)
	if err != nil {
		return err
	}
	if !ok {
		return fiber.NewError(fiber.StatusNotFound, "there is no invitation of that number: it may have been used")
	}
	s.note(c, whoAsks(c).name, "withdrew an invitation", office, "")
	return s.peopleTold(c, office, "")
}

func (s *Server) setRole(c fiber.Ctx) error {
	var request api.RoleRequest
	if err := body(c, &request); err != nil {
		return err
	}
	office, err := s.officeHere(c)
	if err != nil {
		return err
	}
	role := people.Nobody
	if request.Role != people.Nobody.String() {
		if role, err = people.RoleOf(request.Role); err != nil {
			return bad("role", "%s", err)
		}
	}
	name, gone, err := s.store.SetRole(c.Context(), request.Person, office, role)
	if err != nil {
		return whoGoes(err)
	}
	if err := s.ended(c.Context(), api.Somebody{Sessions: gone, Person: request.Person}); err != nil {
		return err
	}
	s.note(c, whoAsks(c).name, "changed a role", office, fmt.Sprintf("%s: %s", name, role))
	return s.peopleTold(c, office, "")
}

// whoGoes says why a person cannot lose what he has.
func whoGoes(err error) error {
	switch {
	case errors.Is(err, store.ErrNobody):
		return fiber.NewError(fiber.StatusNotFound, "there is nobody of that number")
	case errors.Is(err, store.ErrLastKeeper):
		return fiber.NewError(fiber.StatusConflict, "somebody has to keep all offices: make another keeper of all first")
	}
	return err
}

type personQuery struct {
	Person int64 `query:"person" required:"true"`
}

func (s *Server) removePerson(c fiber.Ctx) error {
	id, err := intQuery(c, "person", 0)
	if err != nil {
		return err
	}
	name, gone, err := s.store.Remove(c.Context(), id)
	if err != nil {
		return whoGoes(err)
	}
	if err := s.ended(c.Context(), api.Somebody{Sessions: gone, Person: id}); err != nil {
		return err
	}
	s.note(c, whoAsks(c).name, "removed somebody", 0, name)
	return s.peopleTold(c, 0, "")
}

func (s *Server) invite(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	var request api.InviteRequest
	if err := body(c, &request); err != nil {
		return err
	}
	role, err := people.RoleOf(request.Role)
	if err != nil {
		return bad("role", "%s", err)
	}
	office, err := s.officeHere(c)
	if err != nil {
		return err
	}
	name, err := author(c)
	if err != nil {
		return err
	}
	link, err := s.store.Invite(c.Context(), office, role, name, whoAsks(c).person.ID)
	if err != nil {
		return err
	}
	s.note(c, name, "invited somebody", office, "as a "+role.String())
	return s.peopleTold(c, office, link)
}
