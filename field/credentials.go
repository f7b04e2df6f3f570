package field

import (
	"context"
	"crypto/tls"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"
	"golang.org/x/crypto/ssh"

	"klammer/core/office"
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
	Cert      string `toml:"cert,omitempty" json:"cert,omitempty"`             // of TLS, with its key above, PEM
	HostKey   string `toml:"host_key,omitempty" json:"hostKey,omitempty"`      // SHA256:… of the host, where it is pinned

	// Hosts is the addresses and networks that they may be sent to; none: wherever a device
	// is said to be, so that who says that may have them sent to a host of his own.
	Hosts []string `toml:"hosts,omitempty" json:"hosts,omitempty"`

	// Timeout is how long a device has for an answer ("5s"; "": 2 s, and more where it turns
	// out to be slow), and Retries how often SNMP asks again (nil: twice).
	Timeout string `toml:"timeout,omitempty" json:"timeout,omitempty"`
	Retries *int   `toml:"retries,omitempty" json:"retries,omitempty"`
}

// Bounds of what credentials may say of patience.
const (
	leastTimeout = 100 * time.Millisecond
	mostTimeout  = 30 * time.Second
	mostRetries  = 5
)

// patience is how long a device has for an answer, and how often it is asked again.
func (c *Credentials) patience() (timeout time.Duration, retries int, err error) {
	timeout, retries = snmpTimeout, snmpRetries
	if c == nil {
		return timeout, retries, nil
	}
	if c.Timeout != "" {
		if timeout, err = time.ParseDuration(c.Timeout); err != nil || timeout < leastTimeout || timeout > mostTimeout {
			return 0, 0, office.FaultOf("timeout", "%q is no time for an answer, as 5s or 500ms: %s to %s", c.Timeout, leastTimeout, mostTimeout)
		}
	}
	if c.Retries != nil {
		if retries = *c.Retries; retries < 0 || retries > mostRetries {
			return 0, 0, office.FaultOf("retries", "%d is not how often something is asked again: 0 to %d", retries, mostRetries)
		}
	}
	return timeout, retries, nil
}

// networks is where credentials may be sent.
func (c *Credentials) networks() ([]netip.Prefix, error) {
	all, err := Networks(c.Hosts)
	if err != nil {
		return nil, office.FaultOf("hosts", "%s", err)
	}
	return all, nil
}

// Networks is addresses and networks, each as a network: 10.0.0.2 is 10.0.0.2/32. The error
// names the text that is neither.
func Networks(texts []string) (all []netip.Prefix, err error) {
	for _, text := range texts {
		prefix, err := netip.ParsePrefix(text)
		if addr, single := netip.ParseAddr(text); single == nil {
			prefix, err = addr.Prefix(addr.BitLen())
		}
		if err != nil {
			return nil, fmt.Errorf("%q is no address and no network, as 10.0.0.2 or 10.0.0.0/24", text)
		}
		all = append(all, prefix.Masked())
	}
	return all, nil
}

// within is where a device is, as an address, where credentials may be sent there. A name
// is looked up once, so that what was held against the networks is what is spoken to.
func (c *Credentials) within(ctx context.Context, at string) (string, error) {
	nets, err := c.networks()
	if err != nil || len(nets) == 0 {
		return at, err
	}
	host, port, err := office.HostPort(at, 0)
	if err != nil {
		return "", err
	}
	found := []netip.Addr{}
	if addr, err := netip.ParseAddr(host); err == nil {
		found = append(found, addr)
	} else if found, err = net.DefaultResolver.LookupNetIP(ctx, "ip", host); err != nil {
		return "", err
	}
	for _, addr := range found {
		if plain := addr.Unmap().WithZone(""); !slices.ContainsFunc(nets, func(prefix netip.Prefix) bool { return prefix.Contains(plain) }) {
			return "", fmt.Errorf("these credentials are sent to %s alone, and %s is elsewhere: who keeps them can enter them for there, too", strings.Join(c.Hosts, ", "), host)
		}
	}
	if port == 0 {
		return found[0].String(), nil
	}
	return netip.AddrPortFrom(found[0], port).String(), nil
}

var authProtocols = map[string]gosnmp.SnmpV3AuthProtocol{
	"SHA": gosnmp.SHA, "SHA-224": gosnmp.SHA224, "SHA-256": gosnmp.SHA256, "SHA-384": gosnmp.SHA384, "SHA-512": gosnmp.SHA512,
}

var privProtocols = map[string]gosnmp.SnmpV3PrivProtocol{"AES": gosnmp.AES, "AES-192": gosnmp.AES192, "AES-256": gosnmp.AES256}

// names is the names there are, for the mistake that asks for one.
func names[T any](m map[string]T) string {
	var out []string
	for key := range m {
		out = append(out, key)
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

// Check says what is wrong with credentials, without a word of their secrets; the part
// ([office.PartOf]) is what the field is called in JSON.
//
// Many branches: one a field, each with its own message.
func (c *Credentials) Check() error {
	if c.Community != "" && c.User != "" {
		return office.FaultOf("community", "a community (SNMP v2c) and a user (v3, SSH): one of both")
	}
	if c.Cert != "" {
		if _, err := tls.X509KeyPair([]byte(c.Cert), []byte(c.Key)); err != nil {
			return office.FaultOf("cert", "the certificate and the private key do not belong together, or are no PEM")
		}
	} else if c.Community == "" && c.User == "" {
		return office.FaultOf("user", "a community (SNMP v2c) or a user (SNMP v3, SSH) is missing")
	}
	if _, ok := authProtocols[c.Auth]; c.Auth != "" && !ok {
		return office.FaultOf("auth", "%q is no way to authenticate: %s", c.Auth, names(authProtocols))
	}
	if _, ok := privProtocols[c.Privacy]; c.Privacy != "" && !ok {
		return office.FaultOf("privacy", "%q is no way to encrypt: %s", c.Privacy, names(privProtocols))
	}
	for _, x := range []struct {
		way, key, what string
		part           office.Part
	}{{c.Auth, c.AuthKey, "authentication", "authKey"}, {c.Privacy, c.PrivKey, "privacy", "privacyKey"}} {
		switch {
		case x.way != "" && len(x.key) < 8:
			return office.FaultOf(x.part, "the key of %s has at least 8 letters (RFC 3414)", x.what)
		case x.way == "" && x.key != "":
			return office.FaultOf(x.part, "there is a key of %s, and not how it is used", x.what)
		}
	}
	if c.Privacy != "" && c.Auth == "" {
		return office.FaultOf("auth", "privacy needs authentication (RFC 3414)")
	}
	if c.Key != "" && c.Cert == "" {
		if _, err := ssh.ParsePrivateKey([]byte(c.Key)); err != nil {
			return office.FaultOf("key", "this private key cannot be read: a key without a passphrase, PEM, from BEGIN to END")
		}
	}
	if sum, ok := strings.CutPrefix(c.HostKey, "SHA256:"); c.HostKey != "" && (!ok || len(sum) != 43) {
		return office.FaultOf("hostKey", "%q is no host's key: SHA256: and 43 letters, as ssh-keygen -lf says it", c.HostKey)
	}
	if _, _, err := c.patience(); err != nil {
		return err
	}
	_, err := c.networks()
	return err
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
