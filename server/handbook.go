package server

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/finding"
	"klammer/handbook"
	"klammer/people"
)

// BackedUp sets who says where backups are made by themselves and of when the newest is, for the
// handbook and the check-up. It is called before the server serves.
func (s *Server) BackedUp(says func() string) { s.backups = says }

// backedUp is what there is to say of backups; "" where none are made.
func (s *Server) backedUp() string {
	if s.backups == nil {
		return ""
	}
	return s.backups()
}

type handbookQuery struct {
	Chapters string `query:"chapters" description:"places, fronts, vlans, addresses, rules, sheets, evenings, proved, people, restore, with commas; all where none is said"`
	Save     bool   `query:"save" description:"as a file"`
}

// handbook writes the office down for the next administrator, as one page that needs nothing else.
//
// Many branches: one a chapter, each of which may have nothing to say.
func (s *Server) handbook(c fiber.Ctx) error {
	room, look, err := s.looked(c)
	if err != nil {
		return err
	}
	book := &handbook.Book{At: time.Now(), Accounts: s.access.Accounts, Backups: s.backedUp(), Keeper: whoAsks(c).role(room.id).May(people.Keeper)}
	if text := c.Query("chapters"); text != "" {
		book.Chapters = strings.Split(text, ",")
		for _, name := range book.Chapters {
			if !slices.ContainsFunc(handbook.Chapters, func(chapter handbook.Chapter) bool { return chapter.Name == name }) {
				return bad("chapters", "%q is no chapter: places, fronts, vlans, addresses, rules, sheets, evenings, proved, people, restore", name)
			}
		}
	}
	net := look.report.Net
	book.View = api.View(room.id, look.view.Revision, finding.Check(net).Within(effortOf(c)), nil)
	if book.Has("sheets") {
		for i := range net.Office.Devices {
			if sheet := api.TablesOf(net, i); sheet != nil {
				book.Sheets = append(book.Sheets, sheet)
			}
		}
	}
	if book.Has("evenings") {
		if book.Protocol, err = s.protocol(c.Context(), room.id); err != nil {
			return err
		}
	}
	if book.Has("proved") {
		tests, err := s.store.PlugTests(c.Context(), room.id)
		if err != nil {
			return err
		}
		for _, test := range tests {
			one := handbook.Proof{Port: test.Port, Wire: "untagged", Passed: test.Became == "passed", Wrong: strings.Join(test.Wrong, "; "), Who: test.Author, At: test.At}
			if test.Wire != 0 {
				one.Wire = fmt.Sprintf("tagged %d", test.Wire)
			}
			one.How = map[string]string{"hand": "by hand", "played": "played on stand-ins", "looked": "seen by a laptop"}[test.How]
			if one.How == "" {
				one.How = test.How
			}
			book.Proofs = append(book.Proofs, one)
		}
	}
	if book.Has("people") && book.Accounts && book.Keeper {
		all, err := s.store.People(c.Context())
		if err != nil {
			return err
		}
		for _, person := range all {
			if role := person.Role(room.id); role > people.Nobody {
				book.People = append(book.People, handbook.Person{Name: person.Name, Role: role.String()})
			}
		}
	}
	var out bytes.Buffer
	if err := handbook.Write(&out, book); err != nil {
		return err
	}
	if c.Query("save") == "true" {
		s.note(c, whoAsks(c).name, "exported the handbook", room.id, "")
		c.Attachment(strings.TrimSuffix(fileName(net.Office.Title), ".klm") + "-handbook.html")
	}
	c.Set(fiber.HeaderContentType, fiber.MIMETextHTMLCharsetUTF8)
	return c.Send(out.Bytes())
}
