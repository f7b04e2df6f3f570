package notices

import (
	"cmp"
	"context"
	"fmt"
	"net"
	"net/url"
	"os"
	"strings"
)

// facility is local0 (RFC 5424 table 1).
const facility = 16

// log sends each thing as a line of its own: a datagram by UDP (RFC 5426), counted octets by TCP
// (RFC 6587 section 3.4.1).
func (s *Senders) log(ctx context.Context, to string, message *Message) error {
	at, err := url.Parse(to)
	if err != nil {
		return err
	}
	var dialer net.Dialer
	conn, err := dialer.DialContext(ctx, at.Scheme, at.Host)
	if err != nil {
		return err
	}
	defer conn.Close()
	if end, ok := ctx.Deadline(); ok {
		if err := conn.SetDeadline(end); err != nil {
			return err
		}
	}
	for _, item := range message.Items {
		text := s.line(message, item)
		if at.Scheme == "tcp" {
			text = fmt.Sprintf("%d %s", len(text), text)
		}
		if _, err := conn.Write([]byte(text)); err != nil {
			return err
		}
	}
	return nil
}

// line is a message of RFC 5424: <PRI>1 TIME HOST APP PROCID MSGID - BOM MSG.
func (s *Senders) line(message *Message, item Item) string {
	host := strings.Map(func(r rune) rune { // PRINTUSASCII
		if r > ' ' && r < 0x7f {
			return r
		}
		return -1
	}, s.Host)
	return fmt.Sprintf("<%d>1 %s %s klammer %d %s - \ufeff%s: %s",
		facility*8+item.Kind.Severity(), item.At.UTC().Format("2006-01-02T15:04:05.000000Z07:00"), cmp.Or(host, "-"), os.Getpid(), item.Kind, line(message.Office), line(item.Said))
}
