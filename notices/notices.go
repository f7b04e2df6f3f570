// Package notices sends words out of the house: by e-mail (SMTP), by webhook (CloudEvents 1.0,
// signed) and by syslog (RFC 5424). It sends one message and says whether it was taken; who
// wants to hear what, and what is tried again, is the server's.
//
//	err := senders.Send(ctx, notices.Target{Way: notices.Mail, To: "ida@clinic.example"}, message)
package notices

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/wneessen/go-mail"
)

// Way is how something is sent.
type Way string

// The ways.
const (
	Mail    Way = "mail"
	Webhook Way = "webhook"
	Syslog  Way = "syslog"
)

// Kind is what something is about.
type Kind string

// What is sent. A test is sent by who asks for one.
const (
	Drift   Kind = "drift"   // a device was found otherwise than before, not by an order
	Silent  Kind = "silent"  // a device that was read before does not answer
	Order   Kind = "order"   // an order began, or ended
	Backup  Kind = "backup"  // a backup failed
	Checkup Kind = "checkup" // the office was checked by the timer
	Test    Kind = "test"
)

// Kinds are those that one can choose.
var Kinds = []Kind{Drift, Silent, Order, Checkup, Backup}

// Severity is how bad it is, as syslog counts (RFC 5424 table 2): 4 warning, 5 notice, 6
// informational.
func (k Kind) Severity() int {
	switch k {
	case Drift, Silent, Backup:
		return 4
	case Order, Checkup:
		return 5
	}
	return 6
}

// Item is one thing that happened.
type Item struct {
	Kind Kind
	Said string // in a sentence
	At   time.Time
}

// Message is what is sent at once: one thing, or several that came together. ID is the same
// where it is sent again.
type Message struct {
	ID     string
	Office string // its title
	Link   string // to the office; "" where nobody knows by which name the server is called
	Items  []Item
}

// Subject is what it is about, in a line.
func (m *Message) Subject() string {
	if len(m.Items) == 1 {
		return line(m.Office + ": " + m.Items[0].Said)
	}
	return line(fmt.Sprintf("%s: %d things", m.Office, len(m.Items)))
}

// Text is all of it, for people.
func (m *Message) Text() string {
	var out strings.Builder
	for _, item := range m.Items {
		fmt.Fprintf(&out, "%s  %s\n", item.At.Format("2006-01-02 15:04"), line(item.Said))
	}
	if m.Link != "" {
		fmt.Fprintf(&out, "\n%s\n", m.Link)
	}
	fmt.Fprintf(&out, "\nSent by Klammer, for %s. Who hears what is set under Keep, Notices.\n", line(m.Office))
	return out.String()
}

// line is a text as one line, at most 200 letters of it: what is in it came from devices and
// people.
func line(text string) string {
	text = strings.Join(strings.Fields(strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return ' '
		}
		return r
	}, text)), " ")
	if letters := []rune(text); len(letters) > 200 {
		text = string(letters[:199]) + "…"
	}
	return text
}

// Target is where something is sent.
type Target struct {
	Way    Way
	To     string // an e-mail address; an http or https URL; udp://host:514 or tcp://host:514
	Secret []byte // signs webhooks
}

// Check says what would be right where a target is none.
func (t Target) Check() error {
	switch t.Way {
	case Mail:
		message := mail.NewMsg()
		if err := message.To(t.To); err != nil || !strings.Contains(t.To, "@") || strings.ContainsAny(t.To, "<>,;\r\n") {
			return fmt.Errorf("%q is no e-mail address: one as ida@clinic.example", t.To)
		}
	case Webhook:
		at, err := url.Parse(t.To)
		if err != nil || at.Scheme != "http" && at.Scheme != "https" || at.Host == "" || at.User != nil {
			return fmt.Errorf("%q is no address of a webhook: one as https://desk.example/klammer", t.To)
		}
	case Syslog:
		at, err := url.Parse(t.To)
		if err != nil || !slices.Contains([]string{"udp", "tcp"}, at.Scheme) || at.Hostname() == "" || at.Port() == "" || at.Path != "" {
			return fmt.Errorf("%q is no syslog server: one as udp://log.clinic.example:514 or tcp://log.clinic.example:601", t.To)
		}
	default:
		return fmt.Errorf("%q is none of mail, webhook, syslog", t.Way)
	}
	return nil
}

// Senders know how to send.
type Senders struct {
	Mail SMTP
	Host string // what this machine is called, in syslog
}

// ErrNoMail says that the server was not told by which mail server it sends.
var ErrNoMail = errors.New("no mail server is set: start Klammer with --mail-server and --mail-from")

// Patience is how long one message may take.
const Patience = 30 * time.Second

// Send sends a message; nil where it was taken.
func (s *Senders) Send(ctx context.Context, to Target, message *Message) error {
	ctx, stop := context.WithTimeout(ctx, Patience)
	defer stop()
	switch to.Way {
	case Mail:
		return s.Mail.send(ctx, to.To, message)
	case Webhook:
		return post(ctx, to, message)
	case Syslog:
		return s.log(ctx, to.To, message)
	}
	return fmt.Errorf("there is no way %q", to.Way)
}
