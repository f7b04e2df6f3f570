package field_test

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/base64"
	"encoding/pem"
	"math/big"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/field"
)

// signed makes a certificate that signs itself, with its key, both PEM, and its fingerprint.
func signed(t *testing.T, name string) (cert, key []byte, print string) {
	own, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	x := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: name}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true, BasicConstraintsValid: true}
	der, err := x509.CreateCertificate(rand.Reader, x, x, &own.PublicKey, own)
	require.NoError(t, err)
	text, err := x509.MarshalPKCS8PrivateKey(own)
	require.NoError(t, err)
	sum := sha256.Sum256(der)
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: text}), "SHA256:" + base64.RawStdEncoding.EncodeToString(sum[:])
}

// TestOVSDBOverTLS: a real database server that wants a certificate is read by who has it and
// has pinned the server's own; before that nothing is sent.
func TestOVSDBOverTLS(t *testing.T) {
	for _, p := range []string{"ovsdb-server", "ovsdb-tool", "ovs-vsctl"} {
		if _, err := exec.LookPath(p); err != nil {
			t.Skipf("a real switch needs %s: apt-get install openvswitch-switch (./run test does)", p)
		}
	}
	dir := t.TempDir()
	put := func(name string, text []byte) string {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, text, 0o600))
		return file
	}
	theirs, theirKey, print := signed(t, "switch")
	ours, ourKey, _ := signed(t, "klammer")
	_, _, other := signed(t, "another")
	run := func(name string, args ...string) {
		out, err := exec.Command(name, args...).CombinedOutput()
		require.NoError(t, err, "%s: %s", name, out)
	}
	run("ovsdb-tool", "create", dir+"/conf.db", "/usr/share/openvswitch/vswitch.ovsschema")
	l, err := net.Listen("tcp", "127.0.0.1:0") // a port that is free
	require.NoError(t, err)
	_, port, err := net.SplitHostPort(l.Addr().String())
	require.NoError(t, err)
	require.NoError(t, l.Close())
	cmd := exec.Command("ovsdb-server", dir+"/conf.db", "--remote=punix:"+dir+"/db.sock", "--remote=pssl:"+port+":127.0.0.1", "--unixctl="+dir+"/ctl",
		"--private-key="+put("key.pem", theirKey), "--certificate="+put("cert.pem", theirs), "--ca-cert="+put("ours.pem", ours))
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	require.Eventually(t, func() bool { _, err := os.Stat(dir + "/db.sock"); return err == nil }, 20*time.Second, 20*time.Millisecond)
	run("ovs-vsctl", "--db=unix:"+dir+"/db.sock", "--no-wait", "--timeout=20", "--retry", "init", "--", "add-br", "br0", "--", "add-port", "br0", "p1", "tag=10")
	f, err := notation.Read("office", "vlan 10 staff\ndevice br0 switch\n  ports p1\n  speaks ovsdb at ssl:127.0.0.1:"+port+" with tls\n")
	require.NoError(t, err)
	read := func(c field.Credentials) (*field.Reading, error) {
		require.NoError(t, c.Check())
		ctx, stop := context.WithTimeout(t.Context(), 30*time.Second)
		defer stop()
		dev, r, err := field.Dialer{Secrets: func(string) (*field.Credentials, error) { return &c, nil }}.Talk(ctx, f.Office, f.Office.Devices[0])
		if err == nil {
			_ = dev.Close()
		}
		return r, err
	}
	right := field.Credentials{Cert: string(ours), Key: string(ourKey), HostKey: print}
	r, err := read(right)
	require.NoError(t, err)
	require.Equal(t, office.VID(10), r.Ports[field.MatchPorts(f.Office.Devices[0], r)[0]].Set.PVID)
	unknown := right
	unknown.HostKey = ""
	_, err = read(unknown)
	require.ErrorContains(t, err, "it shows the certificate "+print)
	unknown.HostKey = other
	_, err = read(unknown)
	require.ErrorContains(t, err, "Nothing was sent to it")
	_, err = read(field.Credentials{User: "robin", Password: "secret-word"})
	require.ErrorContains(t, err, "it wants a certificate (cert) with its private key (key)")
	require.Error(t, (&field.Credentials{Cert: string(ours), Key: string(theirKey)}).Check())
}
