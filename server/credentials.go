package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/office"
	"klammer/field"
	"klammer/secrets"
	"klammer/store"
)

// place is what a secret is sealed for.
func place(office int64, name string) string { return fmt.Sprintf("credentials/%d/%s", office, name) }

// Rekey seals the credentials of all offices, and what signs their webhooks, with another key.
func Rekey(ctx context.Context, st *store.Store, old, next *secrets.Key) (int, error) {
	return st.Reseal(ctx, old.ID(), next.ID(), func(office int64, name string, sealed []byte) ([]byte, error) {
		text, err := old.Open(sealed, old.ID(), place(office, name))
		if err != nil {
			return nil, fmt.Errorf("%s of office %d cannot be opened: %w", name, office, err)
		}
		return next.Seal(text, place(office, name))
	})
}

// dialer opens the devices of an office, and notes for a usage, nil for none, which
// credentials it takes.
func (s *Server) dialer(ctx context.Context, id int64, usage *usage) field.Dialer {
	return field.Dialer{At: s.field.At[id], Used: usage.took, Secrets: func(name string) (*field.Credentials, error) {
		sealed, key, err := s.store.Sealed(ctx, id, name)
		if err != nil {
			return nil, err
		}
		if sealed == nil {
			return nil, fmt.Errorf("there are no credentials %s: enter them under Field", name)
		}
		if s.field.Key == nil {
			return nil, fmt.Errorf("this server was started without a key for its secrets")
		}
		text, err := s.field.Key.Open(sealed, key, place(id, name))
		if err != nil {
			return nil, fmt.Errorf("the credentials %s cannot be opened: %w", name, err)
		}
		credentials := &field.Credentials{}
		return credentials, json.Unmarshal(text, credentials)
	}}
}

// usage is what somebody had done with credentials, for the record. What the timer does is
// none: the record has who set it.
type usage struct {
	mu sync.Mutex
	by map[string][]string // devices, by the name of the credentials
}

func (u *usage) took(name, device string) {
	if u == nil {
		return
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.by == nil {
		u.by = map[string][]string{}
	}
	if !slices.Contains(u.by[name], device) {
		u.by[name] = append(u.by[name], device)
	}
}

// noteUsage writes into the record which credentials somebody had sent where.
func (s *Server) noteUsage(usage *usage, who, address string, office int64) {
	usage.mu.Lock()
	defer usage.mu.Unlock()
	for name, devices := range usage.by {
		slices.Sort(devices)
		s.noteFrom(context.WithoutCancel(s.stop), store.Entry{Who: who, What: "used credentials", Office: &office, About: name + ": " + strings.Join(devices, ", "), Address: address})
	}
}

// credentialAbout is what is told of credentials.
type credentialAbout struct {
	Kind  string   `json:"kind"`
	User  string   `json:"user"`
	Hosts []string `json:"hosts,omitempty"`
}

func kindOf(credentials *field.Credentials) string {
	switch {
	case credentials.Cert != "":
		return "TLS"
	case credentials.Password != "" || credentials.Key != "":
		return "SSH"
	case credentials.User != "":
		return "SNMP v3"
	}
	return "SNMP v2c"
}

// credentialsTold is the credentials of an office without their secrets.
func (s *Server) credentialsTold(ctx context.Context, id int64) ([]api.CredentialView, error) {
	all, err := s.store.Credentials(ctx, id)
	out := []api.CredentialView{}
	for _, credential := range all {
		var about credentialAbout
		if err := json.Unmarshal(credential.About, &about); err != nil {
			return nil, err
		}
		out = append(out, api.CredentialView{Name: credential.Name, Kind: about.Kind, User: about.User, Hosts: about.Hosts, Author: credential.Author, At: credential.At})
	}
	return out, err
}

// places is the networks of the register that devices are managed in, and the addresses
// that are in none: where the credentials of an office are to go.
func places(o *office.Office) []string {
	out := []string{}
	for _, device := range o.Devices {
		var at netip.Addr
		if device.Manage != nil {
			at = device.Manage.Addr
		}
		if !at.IsValid() {
			continue
		}
		place := at.String()
		for _, vlan := range o.VLANs {
			if i := slices.IndexFunc(vlan.Nets, func(prefix netip.Prefix) bool { return prefix.Contains(at) }); i >= 0 {
				place = vlan.Nets[i].String()
			}
		}
		if !slices.Contains(out, place) {
			out = append(out, place)
		}
	}
	return out
}

func (s *Server) putCredential(c fiber.Ctx) error {
	var request api.CredentialRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	if !office.PlainName(request.Name) {
		return bad("name", "%q cannot name credentials: letters, digits, - _ and .", request.Name)
	}
	if s.field.Key == nil {
		return bad("name", "this server was started without a key for its secrets: it keeps none")
	}
	credentials := field.Credentials{
		Community: request.Community, User: request.User, Auth: request.Auth, AuthKey: request.AuthKey, Privacy: request.Privacy, PrivKey: request.PrivKey, Password: request.Password, Key: request.Key, Cert: request.Cert, HostKey: request.HostKey, Hosts: request.Hosts,
		Timeout: request.Timeout, Retries: request.Retries,
	}
	if err := credentials.Check(); err != nil {
		return bad(string(office.PartOf(err)), "%s", err)
	}
	about, err := json.Marshal(credentialAbout{kindOf(&credentials), credentials.User, credentials.Hosts})
	if err != nil {
		return err
	}
	text, err := json.Marshal(credentials)
	if err != nil {
		return err
	}
	sealed, err := s.field.Key.Seal(text, place(room.id, request.Name))
	if err != nil {
		return err
	}
	if err := s.store.PutCredential(c.Context(), room.id, store.Credential{Name: request.Name, About: about, Author: name}, sealed, s.field.Key.ID()); err != nil {
		return err
	}
	return s.readingTold(c, room)
}

type credentialQuery struct {
	Name string `query:"name" required:"true"`
}

func (s *Server) dropCredential(c fiber.Ctx) error {
	if _, err := author(c); err != nil {
		return err
	}
	room, err := s.room(c)
	if err != nil {
		return err
	}
	if err := s.store.DropCredential(c.Context(), room.id, c.Query("name")); err != nil {
		return err
	}
	return s.readingTold(c, room)
}
