package notices

import (
	"context"
	"fmt"
	"net"
	"strconv"
	"time"

	"github.com/wneessen/go-mail"
)

// SMTP is the server that mail is handed to (RFC 5321).
type SMTP struct {
	Server   string // host:port; "" where there is none
	From     string
	User     string // "" where the server asks for nobody
	Password string
	Plain    bool // without TLS: for a server on this machine or in the office's own network
}

func (s SMTP) send(ctx context.Context, to string, message *Message) error {
	if s.Server == "" {
		return ErrNoMail
	}
	host, number, err := net.SplitHostPort(s.Server)
	if err != nil {
		return fmt.Errorf("the mail server %s: %w", s.Server, err)
	}
	port, err := strconv.Atoi(number)
	if err != nil {
		return fmt.Errorf("the mail server %s: %w", s.Server, err)
	}
	options := []mail.Option{mail.WithPort(port), mail.WithTimeout(Patience - 5*time.Second), mail.WithoutNoop()}
	switch {
	case s.Plain:
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	case port == 465: // TLS from the first byte (RFC 8314 section 3.3)
		options = append(options, mail.WithSSL())
	default:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	}
	if s.User != "" {
		options = append(options, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(s.User), mail.WithPassword(s.Password))
	}
	client, err := mail.NewClient(host, options...)
	if err != nil {
		return err
	}
	letter := mail.NewMsg()
	if err := letter.From(s.From); err != nil {
		return fmt.Errorf("the sender %q is no address: %w", s.From, err)
	}
	if err := letter.To(to); err != nil {
		return err
	}
	letter.Subject(message.Subject())
	letter.SetMessageIDWithValue(message.ID + "@klammer.invalid")
	letter.SetDate()
	letter.SetGenHeader("Auto-Submitted", "auto-generated") // nobody answers it by himself (RFC 3834)
	letter.SetBodyString(mail.TypeTextPlain, message.Text())
	return client.DialAndSendWithContext(ctx, letter)
}
