package server

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"math/big"
	"net"
	"os"
	"strings"
	"sync"
	"time"
)

// Certificate is what a server shows that it is the one that is asked for. Its files are
// read again when they change.
type Certificate struct {
	file, key string
	log       *slog.Logger

	mu     sync.Mutex
	now    *tls.Certificate
	of     [2]time.Time // when its files were written
	looked time.Time
}

// lookAgain is how often the files are looked at.
const lookAgain = 10 * time.Second

// LoadCertificate reads a certificate and its key, in PEM. The errors say what is wrong with
// them: not there, not of each other, over, or that others can read the key.
func LoadCertificate(file, key string, log *slog.Logger) (*Certificate, error) {
	certificate := &Certificate{file: file, key: key, log: log}
	return certificate, certificate.read()
}

func (c *Certificate) read() error {
	var of [2]time.Time
	for k, name := range []string{c.file, c.key} {
		info, err := os.Stat(name)
		if err != nil {
			return fmt.Errorf("the certificate: %w", err)
		}
		if mode := info.Mode().Perm(); k == 1 && mode&0o077 != 0 {
			return fmt.Errorf("%s, the key of the certificate, can be read by others (mode %o): chmod 600 %s", name, mode, name)
		}
		of[k] = info.ModTime()
	}
	pair, err := tls.LoadX509KeyPair(c.file, c.key)
	if err != nil {
		return fmt.Errorf("%s and %s are no certificate and its key: %w", c.file, c.key, err)
	}
	now := time.Now()
	if now.After(pair.Leaf.NotAfter) {
		return fmt.Errorf("the certificate %s ended on %s: get another, or start with --tls self", c.file, pair.Leaf.NotAfter.Format(time.DateOnly))
	}
	if now.Before(pair.Leaf.NotBefore) {
		return fmt.Errorf("the certificate %s begins on %s: is the clock right?", c.file, pair.Leaf.NotBefore.Format(time.DateOnly))
	}
	c.now, c.of = &pair, of
	return nil
}

// current is the certificate, read again where its files changed; what cannot be read then
// is said in the log, and the one before goes on.
func (c *Certificate) current() *tls.Certificate {
	c.mu.Lock()
	defer c.mu.Unlock()
	if time.Since(c.looked) < lookAgain {
		return c.now
	}
	c.looked = time.Now()
	info, err1 := os.Stat(c.file)
	other, err2 := os.Stat(c.key)
	if err1 == nil && err2 == nil && info.ModTime().Equal(c.of[0]) && other.ModTime().Equal(c.of[1]) {
		return c.now
	}
	if err := c.read(); err != nil {
		c.log.Error("the certificate changed, and the new one is not taken", "error", err)
	} else {
		c.log.Info("the certificate was read again", "until", c.now.Leaf.NotAfter)
	}
	return c.now
}

// Config is TLS with it, 1.2 or newer.
func (c *Certificate) Config() *tls.Config {
	return &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: func(*tls.ClientHelloInfo) (*tls.Certificate, error) { return c.current(), nil }}
}

// Host says whether the certificate has a name.
func (c *Certificate) Host(name string) bool { return c.current().Leaf.VerifyHostname(name) == nil }

// Fingerprint is what one compares to know it, of SHA-256.
func (c *Certificate) Fingerprint() string {
	sum := sha256.Sum256(c.current().Certificate[0])
	return strings.ReplaceAll(fmt.Sprintf("% X", sum), " ", ":")
}

// SelfMade is a certificate that the server makes for itself, for a year, and keeps in two
// files; it makes another where that is over in a month, or lacks a name.
func SelfMade(file, key string, names []string, log *slog.Logger) (*Certificate, error) {
	certificate, err := LoadCertificate(file, key, log)
	fits := err == nil && time.Until(certificate.now.Leaf.NotAfter) > 30*24*time.Hour
	for _, name := range names {
		fits = fits && certificate.Host(name)
	}
	if fits {
		return certificate, nil
	}
	if _, err := os.Stat(key); err == nil {
		if err := os.Remove(key); err != nil {
			return nil, err
		}
	} else if !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	if err := makeCertificate(file, key, names, time.Now(), 366*24*time.Hour); err != nil {
		return nil, fmt.Errorf("a certificate cannot be made: %w", err)
	}
	return LoadCertificate(file, key, log)
}

func makeCertificate(file, key string, names []string, from time.Time, lasts time.Duration) error {
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	number, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		return err
	}
	certificate := &x509.Certificate{
		SerialNumber: number, Subject: pkix.Name{CommonName: "Klammer"}, NotBefore: from.Add(-time.Hour), NotAfter: from.Add(lasts),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}, BasicConstraintsValid: true,
	}
	for _, name := range names {
		if ip := net.ParseIP(name); ip != nil {
			certificate.IPAddresses = append(certificate.IPAddresses, ip)
		} else {
			certificate.DNSNames = append(certificate.DNSNames, name)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, certificate, certificate, private.Public(), private)
	if err != nil {
		return err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	if err != nil {
		return err
	}
	if err := os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600); err != nil {
		return err
	}
	return os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o644)
}
