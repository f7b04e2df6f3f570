package field

import (
	"fmt"
	"slices"
	"strings"

	"github.com/gosnmp/gosnmp"
)

// Credentials are what a device is spoken to with. Which fields count, the protocol
// says: a community is SNMP v2c, a user with an authentication is v3, a user with a
// password or a key is SSH.
type Credentials struct {
	Community string `toml:"community,omitempty" json:"community,omitempty" secret:"true"`
	User      string `toml:"user,omitempty" json:"user,omitempty"`
	Auth      string `toml:"auth,omitempty" json:"auth,omitempty"` // SHA, SHA-224, SHA-256, SHA-384, SHA-512
	AuthKey   string `toml:"auth_key,omitempty" json:"authKey,omitempty" secret:"true"`
	Privacy   string `toml:"privacy,omitempty" json:"privacy,omitempty"` // AES, AES-192, AES-256
	PrivKey   string `toml:"privacy_key,omitempty" json:"privacyKey,omitempty" secret:"true"`
	Password  string `toml:"password,omitempty" json:"password,omitempty" secret:"true"`
	Key       string `toml:"key,omitempty" json:"key,omitempty" secret:"true"` // a private key, PEM
	HostKey   string `toml:"host_key,omitempty" json:"hostKey,omitempty"`      // SHA256:… of the host, where it is pinned
}

var authProtocols = map[string]gosnmp.SnmpV3AuthProtocol{
	"SHA": gosnmp.SHA, "SHA-224": gosnmp.SHA224, "SHA-256": gosnmp.SHA256, "SHA-384": gosnmp.SHA384, "SHA-512": gosnmp.SHA512,
}

var privProtocols = map[string]gosnmp.SnmpV3PrivProtocol{"AES": gosnmp.AES, "AES-192": gosnmp.AES192, "AES-256": gosnmp.AES256}

func names[T any](m map[string]T) string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

// Check says what is wrong with credentials, without a word of their secrets.
func (c *Credentials) Check() error {
	if c.Community != "" && c.User != "" {
		return fmt.Errorf("a community (SNMP v2c) and a user (v3, SSH): one of both")
	}
	if c.Community == "" && c.User == "" {
		return fmt.Errorf("a community (SNMP v2c) or a user (SNMP v3, SSH) is missing")
	}
	if _, ok := authProtocols[c.Auth]; c.Auth != "" && !ok {
		return fmt.Errorf("%q is no way to authenticate: %s", c.Auth, names(authProtocols))
	}
	if _, ok := privProtocols[c.Privacy]; c.Privacy != "" && !ok {
		return fmt.Errorf("%q is no way to encrypt: %s", c.Privacy, names(privProtocols))
	}
	for _, x := range []struct{ way, key, what string }{{c.Auth, c.AuthKey, "authentication"}, {c.Privacy, c.PrivKey, "privacy"}} {
		switch {
		case x.way != "" && len(x.key) < 8:
			return fmt.Errorf("the key of %s has at least 8 letters (RFC 3414)", x.what)
		case x.way == "" && x.key != "":
			return fmt.Errorf("there is a key of %s, and not how it is used", x.what)
		}
	}
	if c.Privacy != "" && c.Auth == "" {
		return fmt.Errorf("privacy needs authentication (RFC 3414)")
	}
	return nil
}

// Hide takes every secret of credentials out of a text.
func (c *Credentials) Hide(text string) string {
	if c == nil {
		return text
	}
	for _, s := range []string{c.Community, c.AuthKey, c.PrivKey, c.Password, c.Key} {
		if len(s) > 3 {
			text = strings.ReplaceAll(text, s, "…")
		}
	}
	return text
}
