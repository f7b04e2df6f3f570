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
	one, err := url.Parse(to)
	if err != nil || one.Host == "" || one.Scheme != "https" && one.Scheme != "http" {
		return nil, fmt.Errorf("--to is the address of a Klammer server, as https://klammer.office:8443: found %q", to)
	}
	if ip := net.ParseIP(one.Hostname()); one.Scheme == "http" && one.Hostname() != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return nil, fmt.Errorf("%s would carry the token where everybody can read it: use https, or a tunnel to a port of this machine (ssh -L)", to)
	}
	if token == "" {
		return nil, errors.New("--to needs a token, with --token or in KLAMMER_TOKEN: the view Round makes one")
	}
	aserver := &AServer{at: one, token: strings.TrimSpace(token)}
	aserver.client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	if known != "" {
		sum, err := hex.DecodeString(strings.NewReplacer(":", "", " ", "").Replace(known))
		if err != nil || len(sum) != sha256.Size {
			return nil, fmt.Errorf("--fingerprint is a SHA-256, of 32 bytes as AB:CD:…, as klammer serve prints it: found %q", known)
		}
		transport := http.DefaultTransport.(*http.Transport).Clone()
		transport.TLSClientConfig = &tls.Config{MinVersion: tls.VersionTLS12, InsecureSkipVerify: true, VerifyConnection: func(state tls.ConnectionState) error {
			if is := sha256.Sum256(state.PeerCertificates[0].Raw); !bytes.Equal(is[:], sum) {
				return fmt.Errorf("the certificate is not the one of --fingerprint, but % X: somebody may stand between", is)
			}
			return nil
		}}
		aserver.client.Transport = transport
	}
	return aserver, nil
}

// Ask asks the server what to try.
func (s *AServer) Ask(ctx context.Context, ask api.ProbeAsk) (*api.ProbeLooks, error) {
	looks := &api.ProbeLooks{}
	return looks, s.post(ctx, "/api/probe/looks", ask, looks)
}

// Judge reports to the server.
func (s *AServer) Judge(ctx context.Context, report api.ProbeReport) (*api.Probed, error) {
	probed := &api.Probed{}
	if err := s.post(ctx, "/api/probe/reports", report, probed); err != nil {
		return nil, fmt.Errorf("what was seen is not kept: %w", err)
	}
	return probed, nil
}

func (s *AServer) post(ctx context.Context, path string, q, into any) error {
	body, err := json.Marshal(q)
	if err != nil {
		return err
	}
	ctx, stop := context.WithTimeout(ctx, time.Minute)
	defer stop()
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, s.at.JoinPath(path).String(), bytes.NewReader(body))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Authorization", "Bearer "+s.token)
	answer, err := s.client.Do(request)
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
		var problem api.Problem
		if json.Unmarshal(data, &problem) == nil && problem.Error != "" {
			return errors.New(problem.Error)
		}
		return fmt.Errorf("%s answers %s: is it a Klammer server?", s.at.Host, answer.Status)
	}
	if err := json.Unmarshal(data, into); err != nil {
		return fmt.Errorf("%s answers something else than a Klammer server does", s.at.Host)
	}
	return nil
}
