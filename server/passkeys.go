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

func (s *Server) holderOf(c fiber.Ctx, person *store.Person) (*holder, error) {
	all, err := s.store.Passkeys(c.Context(), person.ID)
	if err != nil {
		return nil, err
	}
	one := &holder{Person: person}
	for _, passkey := range all {
		var credential webauthn.Credential
		if err := json.Unmarshal(passkey.Data, &credential); err != nil {
			return nil, err
		}
		one.keys = append(one.keys, credential)
	}
	return one, nil
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
func (s *Server) answered(c fiber.Ctx, person int64) (answer api.PasskeyAnswer, session webauthn.SessionData, response []byte, err error) {
	if err = body(c, &answer); err != nil {
		return
	}
	data, err := s.store.Asked(c.Context(), answer.Ceremony, person)
	if errors.Is(err, store.ErrNobody) {
		err = fiber.NewError(fiber.StatusForbidden, "that was too long ago, or was answered already: begin again")
	}
	if err == nil {
		err = json.Unmarshal(data, &session)
	}
	if err == nil {
		response, err = json.Marshal(answer.Response)
	}
	return
}

func (s *Server) passkeyNew(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	var password api.OwnPassword
	if err := body(c, &password); err != nil {
		return err
	}
	authn, err := party(c)
	if err != nil {
		return err
	}
	if err := s.ownPassword(c, whoAsks(c), "password", password.Password); err != nil {
		return err
	}
	holder, err := s.holderOf(c, whoAsks(c).person)
	if err != nil {
		return err
	}
	options, session, err := authn.BeginRegistration(holder, webauthn.WithExclusions(webauthn.Credentials(holder.keys).CredentialDescriptors()))
	if err != nil {
		return err
	}
	return s.asks(c, holder.ID, options.Response, session)
}

func (s *Server) passkeyKeep(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	asker := whoAsks(c)
	answer, session, response, err := s.answered(c, asker.person.ID)
	if err != nil {
		return err
	}
	name, err := checkName(answer.Name)
	if err != nil {
		return err
	}
	authn, err := party(c)
	if err != nil {
		return err
	}
	holder, err := s.holderOf(c, asker.person)
	if err != nil {
		return err
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(response)
	if err != nil {
		return bad("response", "this is no answer of a browser to what it was asked")
	}
	key, err := authn.CreateCredential(holder, session, parsed)
	if err != nil {
		return bad("response", "this is no answer of a browser to what it was asked")
	}
	data, err := json.Marshal(key)
	if err != nil {
		return err
	}
	if err := s.store.KeepPasskey(c.Context(), asker.person.ID, key.ID, data, name); errors.Is(err, store.ErrPasskeys) {
		return &tooMuch{"you have 20 passkeys, the most that are kept: forget some of them first"}
	} else if err != nil {
		return err
	}
	s.note(c, asker.name, "made a passkey", 0, name)
	return s.passkeys(c)
}

func (s *Server) passkeys(c fiber.Ctx) error {
	out := []api.PasskeyView{}
	if asker := whoAsks(c); asker.person != nil {
		all, err := s.store.Passkeys(c.Context(), asker.person.ID)
		if err != nil {
			return err
		}
		for _, passkey := range all {
			out = append(out, api.PasskeyView{ID: passkey.ID, Name: passkey.Name, At: passkey.At, Used: passkey.Used})
		}
	}
	return c.JSON(out)
}

func (s *Server) passkeyDrop(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	var forget api.PasskeyForget
	if err := body(c, &forget); err != nil {
		return err
	}
	if err := s.ownPassword(c, whoAsks(c), "password", forget.Password); err != nil {
		return err
	}
	ok, err := s.store.DropPasskey(c.Context(), whoAsks(c).person.ID, forget.Passkey)
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
	asker := whoAsks(c)
	var alone api.PasskeysAlone
	if err := body(c, &alone); err != nil {
		return err
	}
	if err := s.ownPassword(c, asker, "password", alone.Password); err != nil {
		return err
	}
	if err := s.store.Alone(c.Context(), asker.person.ID, alone.Alone); errors.Is(err, store.ErrLastPasskey) {
		return fiber.NewError(fiber.StatusConflict, "you have no passkey yet: make one, better two, first")
	} else if err != nil {
		return err
	}
	says := "let the password open the account"
	if alone.Alone {
		says = "let passkeys alone open the account"
	}
	s.note(c, asker.name, says, 0, "")
	asker.person.Alone = alone.Alone
	return c.JSON(s.meOf(asker))
}

// passkeyAsk asks whoever is at a browser for a passkey.
func (s *Server) passkeyAsk(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	authn, err := party(c)
	if err != nil {
		return err
	}
	guess, err := s.guessAt(c, "", 0)
	if err == nil {
		err = s.waits(c, guess)
	}
	if err != nil {
		return err
	}
	options, session, err := authn.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return err
	}
	return s.asks(c, 0, options.Response, session)
}

func (s *Server) passkeyEnter(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	guess, err := s.guessAt(c, "", 0)
	if err == nil {
		err = s.waits(c, guess)
	}
	if err != nil {
		return err
	}
	_, session, response, err := s.answered(c, 0)
	if err != nil {
		var refused *fiber.Error
		if errors.As(err, &refused) { // an answer to what was not asked is a guess, too
			if err := s.failed(c, guess); err != nil {
				return err
			}
		}
		return err
	}
	authn, err := party(c)
	if err != nil {
		return err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(response)
	if err != nil {
		if err := s.failed(c, guess); err != nil {
			return err
		}
		return bad("response", "this is no answer of a browser to what it was asked")
	}
	var broken error // of the database, and not of the answer
	who, key, err := authn.ValidatePasskeyLogin(func(_, handle []byte) (webauthn.User, error) {
		if len(handle) != 8 {
			return nil, store.ErrNobody
		}
		person, err := s.store.PersonAt(c.Context(), int64(binary.BigEndian.Uint64(handle)))
		if err == nil && person == nil {
			return nil, store.ErrNobody
		}
		var one *holder
		if err == nil {
			one, err = s.holderOf(c, person)
		}
		broken = err
		return one, err
	}, session, parsed)
	if broken != nil {
		return broken
	}
	if err != nil || key.Authenticator.CloneWarning {
		if err := s.failed(c, guess); err != nil {
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
	other := who.(*holder).Person
	s.note(c, other.Name, "signed in", 0, "with a passkey, "+browser(c))
	return s.letIn(c, other)
}
