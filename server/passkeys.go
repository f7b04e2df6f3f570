package server

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"net"
	"strings"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/store"
)

// holder is a person as WebAuthn has him.
type holder struct {
	*store.Person
	keys []webauthn.Credential
}

func (h *holder) WebAuthnID() []byte                         { return binary.BigEndian.AppendUint64(nil, uint64(h.ID)) }
func (h *holder) WebAuthnName() string                       { return h.Name }
func (h *holder) WebAuthnDisplayName() string                { return h.Name }
func (h *holder) WebAuthnCredentials() []webauthn.Credential { return h.keys }

func (s *Server) holderOf(c fiber.Ctx, p *store.Person) (*holder, error) {
	all, err := s.store.Passkeys(c.Context(), p.ID)
	if err != nil {
		return nil, err
	}
	h := &holder{Person: p}
	for _, x := range all {
		var k webauthn.Credential
		if err := json.Unmarshal(x.Data, &k); err != nil {
			return nil, err
		}
		h.keys = append(h.keys, k)
	}
	return h, nil
}

// party is this server as WebAuthn has it: by the name that it is asked for, which is one of
// its own, as guard saw to.
func party(c fiber.Ctx) (*webauthn.WebAuthn, error) {
	host := c.Host()
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	if net.ParseIP(strings.Trim(host, "[]")) != nil {
		return nil, bad("host", "passkeys are for names: open this server by the name that its certificate has, and not by its address")
	}
	need := true
	return webauthn.New(&webauthn.Config{RPID: host, RPDisplayName: "Klammer", RPOrigins: []string{"https://" + c.Host()}, AuthenticatorSelection: protocol.AuthenticatorSelection{
		ResidentKey: protocol.ResidentKeyRequirementRequired, RequireResidentKey: &need, UserVerification: protocol.VerificationRequired,
	}})
}

// asks asks a browser, and keeps what.
func (s *Server) asks(c fiber.Ctx, person int64, options any, session *webauthn.SessionData) error {
	data, err := json.Marshal(session)
	if err != nil {
		return err
	}
	ceremony, err := s.store.Ask(c.Context(), person, data)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.JSON(api.PasskeyAsked{Ceremony: ceremony, Options: options})
}

// answered takes a browser's answer, and what it was asked.
func (s *Server) answered(c fiber.Ctx, person int64) (q api.PasskeyAnswer, session webauthn.SessionData, response []byte, err error) {
	if err = body(c, &q); err != nil {
		return
	}
	data, err := s.store.Asked(c.Context(), q.Ceremony, person)
	if errors.Is(err, store.ErrNobody) {
		err = fiber.NewError(fiber.StatusForbidden, "that was too long ago, or was answered already: begin again")
	}
	if err == nil {
		err = json.Unmarshal(data, &session)
	}
	if err == nil {
		response, err = json.Marshal(q.Response)
	}
	return
}

func (s *Server) passkeyNew(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	var q api.OwnPassword
	if err := body(c, &q); err != nil {
		return err
	}
	w, err := party(c)
	if err != nil {
		return err
	}
	if err := s.ownPassword(c, whoAsks(c), "password", q.Password); err != nil {
		return err
	}
	h, err := s.holderOf(c, whoAsks(c).person)
	if err != nil {
		return err
	}
	options, session, err := w.BeginRegistration(h, webauthn.WithExclusions(webauthn.Credentials(h.keys).CredentialDescriptors()))
	if err != nil {
		return err
	}
	return s.asks(c, h.ID, options.Response, session)
}

func (s *Server) passkeyKeep(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	a := whoAsks(c)
	q, session, response, err := s.answered(c, a.person.ID)
	if err != nil {
		return err
	}
	name, err := checkName(q.Name)
	if err != nil {
		return err
	}
	w, err := party(c)
	if err != nil {
		return err
	}
	h, err := s.holderOf(c, a.person)
	if err != nil {
		return err
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(response)
	if err != nil {
		return bad("response", "this is no answer of a browser to what it was asked")
	}
	key, err := w.CreateCredential(h, session, parsed)
	if err != nil {
		return bad("response", "this is no answer of a browser to what it was asked")
	}
	data, err := json.Marshal(key)
	if err != nil {
		return err
	}
	if err := s.store.KeepPasskey(c.Context(), a.person.ID, key.ID, data, name); errors.Is(err, store.ErrPasskeys) {
		return &tooMuch{"you have 20 passkeys, the most that are kept: forget some of them first"}
	} else if err != nil {
		return err
	}
	s.note(c, a.name, "made a passkey", 0, name)
	return s.passkeys(c)
}

func (s *Server) passkeys(c fiber.Ctx) error {
	out := []api.PasskeyView{}
	if a := whoAsks(c); a.person != nil {
		all, err := s.store.Passkeys(c.Context(), a.person.ID)
		if err != nil {
			return err
		}
		for _, x := range all {
			out = append(out, api.PasskeyView{ID: x.ID, Name: x.Name, At: x.At, Used: x.Used})
		}
	}
	return c.JSON(out)
}

func (s *Server) passkeyDrop(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	var q api.PasskeyForget
	if err := body(c, &q); err != nil {
		return err
	}
	if err := s.ownPassword(c, whoAsks(c), "password", q.Password); err != nil {
		return err
	}
	ok, err := s.store.DropPasskey(c.Context(), whoAsks(c).person.ID, q.Passkey)
	if errors.Is(err, store.ErrLastPasskey) {
		return fiber.NewError(fiber.StatusConflict, "passkeys alone open your account, and this is the last one: let the password open it first")
	}
	if err != nil {
		return err
	}
	if !ok {
		return fiber.NewError(fiber.StatusNotFound, "you have no passkey of that number")
	}
	s.note(c, whoAsks(c).name, "forgot a passkey", 0, "")
	return s.passkeys(c)
}

// passkeysAlone says whether one's password opens the account beside passkeys.
func (s *Server) passkeysAlone(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	a := whoAsks(c)
	var q api.PasskeysAlone
	if err := body(c, &q); err != nil {
		return err
	}
	if err := s.ownPassword(c, a, "password", q.Password); err != nil {
		return err
	}
	if err := s.store.Alone(c.Context(), a.person.ID, q.Alone); errors.Is(err, store.ErrLastPasskey) {
		return fiber.NewError(fiber.StatusConflict, "you have no passkey yet: make one, better two, first")
	} else if err != nil {
		return err
	}
	says := "let the password open the account"
	if q.Alone {
		says = "let passkeys alone open the account"
	}
	s.note(c, a.name, says, 0, "")
	a.person.Alone = q.Alone
	return c.JSON(s.meOf(a))
}

// passkeyAsk asks whoever is at a browser for a passkey.
func (s *Server) passkeyAsk(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	w, err := party(c)
	if err != nil {
		return err
	}
	g, err := s.guessAt(c, "", 0)
	if err == nil {
		err = s.waits(c, g)
	}
	if err != nil {
		return err
	}
	options, session, err := w.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return err
	}
	return s.asks(c, 0, options.Response, session)
}

func (s *Server) passkeyEnter(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	g, err := s.guessAt(c, "", 0)
	if err == nil {
		err = s.waits(c, g)
	}
	if err != nil {
		return err
	}
	_, session, response, err := s.answered(c, 0)
	if err != nil {
		var refused *fiber.Error
		if errors.As(err, &refused) { // an answer to what was not asked is a guess, too
			if err := s.failed(c, g); err != nil {
				return err
			}
		}
		return err
	}
	w, err := party(c)
	if err != nil {
		return err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(response)
	if err != nil {
		if err := s.failed(c, g); err != nil {
			return err
		}
		return bad("response", "this is no answer of a browser to what it was asked")
	}
	var broken error // of the database, and not of the answer
	who, key, err := w.ValidatePasskeyLogin(func(_, handle []byte) (webauthn.User, error) {
		if len(handle) != 8 {
			return nil, store.ErrNobody
		}
		p, err := s.store.PersonAt(c.Context(), int64(binary.BigEndian.Uint64(handle)))
		if err == nil && p == nil {
			return nil, store.ErrNobody
		}
		var h *holder
		if err == nil {
			h, err = s.holderOf(c, p)
		}
		broken = err
		return h, err
	}, session, parsed)
	if broken != nil {
		return broken
	}
	if err != nil || key.Authenticator.CloneWarning {
		if err := s.failed(c, g); err != nil {
			return err
		}
		s.note(c, "somebody", "sign-in failed", 0, "with a passkey")
		return fiber.NewError(fiber.StatusForbidden, "this passkey is not known here")
	}
	data, err := json.Marshal(key)
	if err != nil {
		return err
	}
	if err := s.store.UsedPasskey(c.Context(), key.ID, data); err != nil {
		return err
	}
	p := who.(*holder).Person
	s.note(c, p.Name, "signed in", 0, "with a passkey, "+browser(c))
	return s.letIn(c, p)
}
