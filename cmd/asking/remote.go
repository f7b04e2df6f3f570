package asking

import (
	"bytes"
	"context"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"klammer/api"
)

// AServer is a plan that a server has.
type AServer struct {
	at     *url.URL
	token  string
	client http.Client
}

// ServerAt is a server that is reached safely: its answers and the token stay between the
// two. Known is the SHA-256 of the certificate that it has, where nobody vouches for it; ""
// for one that somebody known vouches for.
func ServerAt(to, token, known string) (*AServer, error) {
	u, err := url.Parse(to)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
		return nil, fmt.Errorf("--to is the address of a Klammer server, as https://klammer.office:8443: found %q", to)
	}
	if ip := net.ParseIP(u.Hostname()); u.Scheme == "http" && u.Hostname() != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return nil, fmt.Errorf("%s would carry the token where everybody can read it: use https, or a tunnel to a port of this machine (ssh -L)", to)
	}
	if token == "" {
		return nil, errors.New("--to needs a token, with --token or in KLAMMER_TOKEN: the view Round makes one")
	}
	s := &AServer{at: u, token: strings.TrimSpace(token)}
	s.client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	if known != "" {
		sum, err := hex.DecodeString(strings.NewReplacer(":", "", " ", "").Replace(known))
		if err != nil || len(sum) != sha256.Size {
			return nil, fmt.Errorf("--fingerprint is a SHA-256, of 32 bytes as AB:CD:…, as klammer serve prints it: found %q", known)
		}
		transport := http.DefaultTransport.(*http.Transport).Clone()
		transport.TLSClientConfig = &tls.Config{MinVersion: tls.VersionTLS12, InsecureSkipVerify: true, VerifyConnection: func(c tls.ConnectionState) error {
			if is := sha256.Sum256(c.PeerCertificates[0].Raw); !bytes.Equal(is[:], sum) {
				return fmt.Errorf("the certificate is not the one of --fingerprint, but % X: somebody may stand between", is)
			}
			return nil
		}}
		s.client.Transport = transport
	}
	return s, nil
}

// Ask asks the server what to try.
func (s *AServer) Ask(ctx context.Context, q api.ProbeAsk) (*api.ProbeLooks, error) {
	x := &api.ProbeLooks{}
	return x, s.post(ctx, "/api/probe/looks", q, x)
}

// Judge reports to the server.
func (s *AServer) Judge(ctx context.Context, r api.ProbeReport) (*api.Probed, error) {
	x := &api.Probed{}
	if err := s.post(ctx, "/api/probe/reports", r, x); err != nil {
		return nil, fmt.Errorf("what was seen is not kept: %w", err)
	}
	return x, nil
}

func (s *AServer) post(ctx context.Context, path string, q, into any) error {
	body, err := json.Marshal(q)
	if err != nil {
		return err
	}
	ctx, stop := context.WithTimeout(ctx, time.Minute)
	defer stop()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, s.at.JoinPath(path).String(), bytes.NewReader(body))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Authorization", "Bearer "+s.token)
	answer, err := s.client.Do(r)
	if unknown := (x509.UnknownAuthorityError{}); errors.As(err, &unknown) {
		return fmt.Errorf("nobody vouches for the certificate of %s: where Klammer made it itself, say by what it is known, --fingerprint, as klammer serve and the view Round tell it", s.at.Host)
	}
	if err != nil {
		return fmt.Errorf("the server does not answer: %w", err)
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(io.LimitReader(answer.Body, 16<<20))
	if err != nil {
		return err
	}
	if answer.StatusCode != http.StatusOK {
		var p api.Problem
		if json.Unmarshal(data, &p) == nil && p.Error != "" {
			return errors.New(p.Error)
		}
		return fmt.Errorf("%s answers %s: is it a Klammer server?", s.at.Host, answer.Status)
	}
	if err := json.Unmarshal(data, into); err != nil {
		return fmt.Errorf("%s answers something else than a Klammer server does", s.at.Host)
	}
	return nil
}
