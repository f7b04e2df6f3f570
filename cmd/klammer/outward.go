package main

import (
	"fmt"
	"net"
	"net/url"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"klammer/notices"
	"klammer/server"
)

// outward is how words leave the house: what a drift, a silent device, an order or a backup is
// told by.
type outward struct {
	server, from, user, password string // of mail; password is a file
	plain                        bool
	at                           string
	hour                         int
}

func (w *outward) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&w.server, "mail-server", "", "the server that mail is handed to, as mail.clinic.example:587")
	cmd.Flags().StringVar(&w.from, "mail-from", "", "who mail comes from, as klammer@clinic.example")
	cmd.Flags().StringVar(&w.user, "mail-user", "", "the name that the mail server asks for")
	cmd.Flags().StringVar(&w.password, "mail-password-file", "", "the file with its password")
	cmd.Flags().BoolVar(&w.plain, "mail-plain", false, "hand mail over without TLS: to a server on this machine")
	cmd.Flags().StringVar(&w.at, "url", "", "the address by which people open Klammer, for links in messages, as https://klammer.clinic.example")
	cmd.Flags().IntVar(&w.hour, "daily-hour", 7, "the hour at which those are told who want to hear once a day")
}

// out says what is wrong with the flags, or how words leave the house.
func (w *outward) out() (out server.Out, err error) {
	out.Senders.Host, _ = os.Hostname()
	out.At, out.Hour = strings.TrimSuffix(w.at, "/"), w.hour
	if at, err := url.Parse(out.At); out.At != "" && (err != nil || at.Scheme != "http" && at.Scheme != "https" || at.Host == "") {
		return out, fmt.Errorf("--url %s: an address as https://klammer.clinic.example", w.at)
	}
	if w.hour < 0 || w.hour > 23 {
		return out, fmt.Errorf("--daily-hour %d: an hour from 0 to 23", w.hour)
	}
	if w.server == "" {
		return out, nil
	}
	host, _, err := net.SplitHostPort(w.server)
	if err != nil {
		return out, fmt.Errorf("--mail-server %s: a name and a port, as mail.clinic.example:587", w.server)
	}
	if err := (notices.Target{Way: notices.Mail, To: w.from}).Check(); err != nil {
		return out, fmt.Errorf("--mail-from: %w", err)
	}
	out.Senders.Mail = notices.SMTP{Server: w.server, From: w.from, User: w.user, Plain: w.plain}
	if ip := net.ParseIP(host); w.plain && w.user != "" && host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return out, fmt.Errorf("--mail-plain with --mail-user: a password goes without TLS to a server on this machine alone")
	}
	if w.password != "" {
		text, err := os.ReadFile(w.password)
		if err != nil {
			return out, fmt.Errorf("--mail-password-file: %w", err)
		}
		out.Senders.Mail.Password = strings.TrimRight(string(text), "\r\n")
	}
	return out, nil
}
