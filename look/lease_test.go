package look

import (
	"errors"
	"net/netip"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/round"
)

func text(t *testing.T, file string) string {
	data, err := os.ReadFile("testdata/" + file)
	require.NoError(t, err)
	return string(data)
}

// TestReaders: what systems say of a network card is read from answers in the form that they
// document. Those of Windows and macOS are written down by hand: nobody here could ask one.
func TestReaders(t *testing.T) {
	a := netip.MustParseAddr
	whole := Lease{Addr: a("10.61.110.51"), Bits: 24, Gateway: a("10.61.110.1"), Server: a("10.61.110.1"), DNS: []netip.Addr{a("10.61.110.1"), a("9.9.9.9")}}
	on := func(l Lease, card string) Lease { l.On = card; return l }
	must := func(all []Lease, err error) []Lease { require.NoError(t, err); return all }
	for _, x := range []struct {
		name  string
		is    Lease
		reads Lease
	}{
		{"systemd-networkd", whole, networkd(text(t, "networkd.lease"))},
		{"NetworkManager", whole, dhcpOptions(text(t, "nmcli.txt"))},
		{"dhcpcd", whole, dhcpOptions(text(t, "dhcpcd.txt"))},
		{"dhclient, the newest of the card", whole, dhclient(text(t, "dhclient.leases"), "eth0")},
		{"dhclient, another card", Lease{}, dhclient(text(t, "dhclient.leases"), "eth9")},
		{"Windows, two cards", on(whole, "Ethernet adapter of a laptop"), must(windows([]byte(text(t, "windows-two.json"))))[0]},
		{"Windows, one card, single texts", on(Lease{Addr: a("10.61.140.60"), Bits: 24, Gateway: a("10.61.140.1"), DNS: []netip.Addr{a("10.61.140.1")}}, "Karte"), must(windows([]byte(text(t, "windows-one.json"))))[0]},
		{"macOS", whole, macPacket(text(t, "macos-packet.txt"))},
	} {
		require.Equal(t, x.is, x.reads, x.name)
	}
	require.Len(t, must(windows([]byte(text(t, "windows-two.json")))), 2)
	_, err := windows([]byte("Access denied"))
	require.Error(t, err)
	card, gateway := macRoute(text(t, "macos-route.txt"))
	require.Equal(t, "en0", card)
	require.Equal(t, a("10.61.110.1"), gateway)
	card, gateway = routes(text(t, "route.txt"))
	require.Equal(t, "eth0", card, "the one with the least metric")
	require.Equal(t, a("10.61.110.1"), gateway)
	require.Equal(t, []netip.Addr{a("10.61.110.1")}, resolvers("# made by something\nnameserver 127.0.0.53\nnameserver 10.61.110.1\noptions edns0\nnameserver\n"))

	// What one knows and another does not is put together; what is known stays.
	l := Lease{Addr: a("10.61.110.51")}
	l.hold(whole)
	require.Equal(t, whole, l)
	l.hold(Lease{Gateway: a("10.9.9.9"), Bits: 8})
	require.Equal(t, whole, l)
}

// TestPinged: an answer is known in every language; that a router says that nothing is there
// is none, though Windows counts it.
func TestPinged(t *testing.T) {
	failed := errors.New("exit status 1")
	for _, x := range []struct {
		says  string
		err   error
		ended round.Ended
	}{
		{"64 bytes from 10.61.110.1: icmp_seq=1 ttl=64 time=0.3 ms", nil, round.Answered},
		{"Antwort von 10.61.110.1: Bytes=32 Zeit<1ms TTL=64", nil, round.Answered},
		{"16 bytes from fd61::1, icmp_seq=0 hlim=64 time=1.2 ms", nil, round.Answered},
		{"Reply from 10.61.110.51: Destination host unreachable.", failed, round.Silent},
		{"2 packets transmitted, 0 received, 100% packet loss", failed, round.Silent},
		{"", failed, round.Silent},
		{"", errors.New(`exec: "ping": executable file not found in $PATH`), round.Untold},
	} {
		ended, how := pinged(x.says, x.err)
		require.Equal(t, x.ended, ended, "%q: %s", x.says, how)
	}
}

// FuzzReaders: whatever a system or somebody on it writes there, a reader gives what is an
// address, or nothing.
func FuzzReaders(f *testing.F) {
	for _, file := range []string{"networkd.lease", "nmcli.txt", "dhcpcd.txt", "dhclient.leases", "windows-two.json", "macos-packet.txt", "route.txt"} {
		data, err := os.ReadFile("testdata/" + file)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(string(data))
	}
	f.Fuzz(func(t *testing.T, text string) {
		all, _ := windows([]byte(text))
		_, gateway := routes(text)
		_, other := macRoute(text)
		for _, l := range append(all, networkd(text), dhcpOptions(text), dhclient(text, "eth0"), macPacket(text), Lease{Gateway: gateway}, Lease{Gateway: other, DNS: resolvers(text)}) {
			if l.Bits < 0 || l.Bits > 128 || l.Addr.Zone() != "" {
				t.Fatalf("%+v", l)
			}
		}
	})
}
