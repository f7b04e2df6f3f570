package server

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/notices"
	"klammer/people"
	"klammer/store"
)

// Out is how words leave the house.
type Out struct {
	Senders notices.Senders
	At      string        // by which address the server is asked, for links: https://klammer.clinic.example
	Hour    int           // when those who hear once a day are told, by the database's clock
	Pause   time.Duration // after which what was not taken is first tried again; a minute where zero
	Tick    time.Duration // how often it is asked what is due; 5 s where zero; below zero this server sends nothing
}

// SpeakOut says how words leave the house. It is called before the server serves.
func (s *Server) SpeakOut(out Out) { s.out.Store(&out) }

// What is tried again, how long.
const (
	longestPause = 6 * time.Hour
	givenUp      = 3 * 24 * time.Hour
	noticeHold   = 2 * notices.Patience // who sends holds it so long
)

// noticeSays are the kinds in words, and who may hear of them.
var noticeSays = []struct {
	kind notices.Kind
	says string
	role people.Role
}{
	{notices.Drift, "a device is found set otherwise, not by an order", people.Reader},
	{notices.Silent, "a device that is read by the timer does not answer any more", people.Reader},
	{notices.Order, "an order began, or ended", people.Reader},
	{notices.Checkup, "the office was checked by the timer: how it is", people.Reader},
	{notices.Backup, "a backup failed", people.Keeper},
}

// mayHear says whether somebody of a role may hear of a kind.
func mayHear(role people.Role, kind notices.Kind) bool {
	if kind == notices.Test {
		return true
	}
	for _, one := range noticeSays {
		if one.kind == kind {
			return role.May(one.role)
		}
	}
	return false
}

// mayTell is how somebody of a role may be told: what goes to other machines is for who keeps
// the office, as it goes to nobody in particular.
func mayTell(role people.Role) []string {
	if role.May(people.Keeper) {
		return []string{"mail", "webhook", "syslog"}
	}
	return []string{"mail"}
}

// hearing is who asks: his number, nil without accounts, and his role.
func (s *Server) hearing(c fiber.Ctx, office int64) (person *int64, role people.Role) {
	asks := whoAsks(c)
	if asks.person != nil {
		person = &asks.person.ID
	}
	return person, asks.role(office)
}

func (s *Server) noticesNow(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	return s.noticesTold(c, room.id, "")
}

func (s *Server) noticesTold(c fiber.Ctx, office int64, secret string) error {
	person, role := s.hearing(c, office)
	whose := person
	if role.May(people.Keeper) {
		whose = nil
	}
	all, err := s.store.NoticesTo(c.Context(), office, whose)
	if err != nil {
		return err
	}
	view := api.NoticesView{To: []api.NoticeTo{}, Kinds: []api.NoticeKind{}, Ways: mayTell(role), Secret: secret}
	for _, one := range all {
		mine := person == nil || one.Person != nil && *one.Person == *person
		view.To = append(view.To, api.NoticeTo{ID: one.ID, Way: one.Way, Target: one.Target, Kinds: one.Kinds, Daily: one.Daily, By: one.Author, Mine: mine, Waiting: one.Waiting, Failed: one.Failed, Sent: one.Sent})
	}
	for _, kind := range noticeSays {
		if role.May(kind.role) {
			view.Kinds = append(view.Kinds, api.NoticeKind{Kind: string(kind.kind), Says: kind.says})
		}
	}
	if secret != "" {
		c.Set(fiber.HeaderCacheControl, "no-store")
	}
	return c.JSON(view)
}

// noticePlace is what the secret of a webhook is sealed for.
func noticePlace(id int64) string { return fmt.Sprintf("notice/%d", id) }

func (s *Server) addNotice(c fiber.Ctx) error {
	var request api.NoticeRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	person, role := s.hearing(c, room.id)
	target := notices.Target{Way: notices.Way(request.Way), To: strings.TrimSpace(request.Target)}
	if err := target.Check(); err != nil {
		return bad("target", "%s", err)
	}
	if !slices.Contains(mayTell(role), request.Way) {
		return fiber.NewError(fiber.StatusForbidden, "a webhook or a syslog server is told by who keeps the office: you are a "+role.String()+" here")
	}
	for _, kind := range request.Kinds {
		if !slices.ContainsFunc(notices.Kinds, func(one notices.Kind) bool { return string(one) == kind }) {
			return bad("kinds", "%q is none of drift, silent, order, checkup, backup", kind)
		}
		if !mayHear(role, notices.Kind(kind)) {
			return fiber.NewError(fiber.StatusForbidden, "that a backup failed is told to keepers: you are a "+role.String()+" here")
		}
	}
	secret := ""
	to := store.NoticeTo{Office: room.id, Person: person, Way: request.Way, Target: target.To, Kinds: request.Kinds, Daily: request.Daily, Author: name}
	_, err = s.store.AddNoticeTo(c.Context(), to, func(id int64) ([]byte, string, error) {
		if target.Way != notices.Webhook {
			return nil, "", nil
		}
		if s.field.Key == nil {
			return nil, "", bad("way", "this server was started without a key for its secrets, and a webhook is signed with one")
		}
		raw := make([]byte, 32)
		if _, err := rand.Read(raw); err != nil {
			return nil, "", err
		}
		secret = hex.EncodeToString(raw)
		sealed, err := s.field.Key.Seal([]byte(secret), place(room.id, noticePlace(id)))
		return sealed, s.field.Key.ID(), err
	})
	if errors.Is(err, store.ErrManyNotices) {
		return bad("target", "%s", err)
	}
	if err != nil {
		return err
	}
	s.note(c, name, "is told of an office", room.id, request.Way+" "+target.To)
	return s.noticesTold(c, room.id, secret)
}

var errNobodyTold = fiber.NewError(fiber.StatusNotFound, "there is nobody of that number who is told")

type noticeQuery struct {
	Notice int64 `query:"notice" required:"true"`
}

// whose is whose notices somebody may change: his own, or all for who keeps the office.
func (s *Server) whose(c fiber.Ctx, office int64) *int64 {
	person, role := s.hearing(c, office)
	if role.May(people.Keeper) {
		return nil
	}
	return person
}

func (s *Server) dropNotice(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	id, err := intQuery(c, "notice", 0)
	if err != nil {
		return err
	}
	if ok, err := s.store.DropNoticeTo(c.Context(), room.id, id, s.whose(c, room.id)); err != nil {
		return err
	} else if !ok {
		return errNobodyTold
	}
	return s.noticesTold(c, room.id, "")
}

// tryNotice has a test message sent, by the way that all others go.
func (s *Server) tryNotice(c fiber.Ctx) error {
	var request api.NoticeTest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	all, err := s.store.NoticesTo(c.Context(), room.id, s.whose(c, room.id))
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(all, func(one store.NoticeTo) bool { return one.ID == request.ID }) {
		return errNobodyTold
	}
	if err := s.store.NotifyOne(c.Context(), request.ID, string(notices.Test), "A test, asked for by "+name+"."); err != nil {
		return err
	}
	s.hurry()
	return s.noticesTold(c, room.id, "")
}

// notify puts down that something happened in an office, 0 for all of them. It is sent by
// itself: nobody waits for that.
func (s *Server) notify(office int64, kind notices.Kind, said string) {
	ctx, stop := context.WithTimeout(context.WithoutCancel(s.stop), atMost)
	defer stop()
	n, err := s.store.Notify(ctx, office, string(kind), said, s.out.Load().Hour)
	if err != nil {
		s.log.Warn("what happened could not be put down to be sent", "office", office, "said", said, "error", err)
		return
	}
	if n > 0 {
		s.hurry()
	}
}

// BackupFailed has those told who want to hear of it.
func (s *Server) BackupFailed(err error) {
	s.notify(0, notices.Backup, "A backup failed: "+err.Error())
}

// hurry has what is due sent at once.
func (s *Server) hurry() {
	select {
	case s.sends <- struct{}{}:
	default:
	}
}

// moved is an order on which somebody did a step, or took one back.
type moved struct {
	revision          int64 // that it leads to
	name              string
	before, after, of int // steps that are done
}

// orderMoved tells that an order began or ended by that.
func (s *Server) orderMoved(office int64, order moved) {
	switch {
	case order.before == 0 && order.after == 1 && order.of > 1:
		s.notify(office, notices.Order, fmt.Sprintf("The order to revision %d began: %s did the first of %d steps.", order.revision, order.name, order.of))
	case order.after == order.of && order.before < order.after:
		s.notify(office, notices.Order, fmt.Sprintf("The order to revision %d ended: %s did the last of %d steps.", order.revision, order.name, order.of))
	}
}

// sendNotices sends what is due, one target at a time, until the server stops.
func (s *Server) sendNotices() {
	for {
		tick := cmp.Or(s.out.Load().Tick, 5*time.Second)
		select {
		case <-s.stop.Done():
			return
		case <-s.sends:
		case <-time.After(cmp.Or(max(tick, 0), time.Second)):
		}
		for s.stop.Err() == nil && s.out.Load().Tick >= 0 {
			more, err := s.sendDue()
			if err != nil && s.stop.Err() == nil {
				s.log.Warn("what is to be sent cannot be read", "error", err)
			}
			if !more || err != nil {
				break
			}
		}
	}
}

// sendDue sends what is due to one target; whether there was something.
func (s *Server) sendDue() (bool, error) {
	out := s.out.Load()
	to, title, due, err := s.store.DueNotices(s.stop, noticeHold)
	if err != nil || len(due) == 0 {
		return false, err
	}
	slices.SortFunc(due, func(a, b store.Notice) int { return cmp.Compare(a.ID, b.ID) })
	message := &notices.Message{ID: fmt.Sprintf("klammer-%d-%d-%d", to.ID, due[0].ID, due[len(due)-1].ID), Office: title}
	if out.At != "" {
		message.Link = fmt.Sprintf("%s/%d/history", out.At, to.Office)
	}
	var ids []int64
	tries := 0
	role, err := s.roleNow(s.stop, to)
	if err != nil {
		return true, err
	}
	for _, one := range due {
		ids, tries = append(ids, one.ID), max(tries, one.Tries)
		if mayHear(role, notices.Kind(one.Kind)) {
			message.Items = append(message.Items, notices.Item{Kind: notices.Kind(one.Kind), Said: one.Said, At: one.At})
		}
	}
	if role == people.Nobody || !slices.Contains(mayTell(role), to.Way) || len(message.Items) == 0 {
		return true, s.store.NoticesFailed(s.stop, ids, "who wanted to hear it may not any more", 0, 0)
	}
	target := notices.Target{Way: notices.Way(to.Way), To: to.Target}
	if to.Sealed != nil {
		if target.Secret, err = s.opened(to); err != nil {
			return true, s.store.NoticesFailed(s.stop, ids, err.Error(), longestPause, givenUp)
		}
	}
	if err := out.Senders.Send(s.stop, target, message); err != nil {
		if s.stop.Err() != nil {
			return false, nil // it is tried again by whoever serves next
		}
		pause := min(cmp.Or(out.Pause, time.Minute)<<min(tries-1, 12), longestPause)
		s.log.Info("a message was not taken", "way", to.Way, "office", to.Office, "try", tries, "again", pause, "error", err)
		return true, s.store.NoticesFailed(s.stop, ids, err.Error(), pause, givenUp)
	}
	return true, s.store.NoticesSent(context.WithoutCancel(s.stop), ids)
}

// roleNow is what who wanted to hear may in the office now: everything where there are no
// accounts, and where there were none when it was set.
func (s *Server) roleNow(ctx context.Context, to *store.NoticeTo) (people.Role, error) {
	if !s.access.Accounts || to.Person == nil {
		return people.Keeper, nil
	}
	all, err := s.store.People(ctx)
	if err != nil {
		return people.Nobody, err
	}
	for _, person := range all {
		if person.ID == *to.Person {
			return person.Role(to.Office), nil
		}
	}
	return people.Nobody, nil
}

// opened is the secret of a webhook.
func (s *Server) opened(to *store.NoticeTo) ([]byte, error) {
	if s.field.Key == nil || to.Key == nil {
		return nil, errors.New("this server was started without the key that the webhook's secret is sealed with")
	}
	return s.field.Key.Open(to.Sealed, *to.Key, place(to.Office, noticePlace(to.ID)))
}
