package server

import (
	"bufio"
	"encoding/hex"
	"fmt"
	"net"
	"net/netip"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"
)

// forwardedBy are headers that a proxy adds, each of them by one maker or another (RFC 7239;
// Via, RFC 9110, 7.6.3).
var forwardedBy = []string{"Forwarded", "Via", "X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "X-Real-Ip"}

// peer is the address at the other end of a request's connection.
func peer(c fiber.Ctx) netip.Addr {
	addr, _ := netip.AddrFromSlice(c.RequestCtx().RemoteIP())
	return addr.Unmap()
}

// trusts says whether an address is a proxy whose word counts.
func (s *Server) trusts(addr netip.Addr) bool {
	return slices.ContainsFunc(s.access.Proxies, func(prefix netip.Prefix) bool { return prefix.Contains(addr) })
}

// askedFrom is the address of who asks: of a proxy that is trusted, whom it names last that is
// no such proxy itself. What comes before that, anybody can write.
func (s *Server) askedFrom(c fiber.Ctx) netip.Addr {
	at := peer(c)
	if !s.trusts(at) {
		return at
	}
	var chain []string
	for _, line := range c.GetReqHeaders()["X-Forwarded-For"] {
		chain = append(chain, strings.Split(line, ",")...)
	}
	for _, said := range slices.Backward(chain) {
		addr, err := netip.ParseAddr(strings.TrimSpace(said))
		if err != nil {
			return at
		}
		if at = addr.Unmap().WithZone(""); !s.trusts(at) {
			return at
		}
	}
	return at
}

// placeOf is what an address counts as: of IPv6 a network of 64 bits, as that is what one
// machine has.
func placeOf(addr netip.Addr) string {
	if !addr.Is6() {
		return addr.String()
	}
	prefix, err := addr.WithZone("").Prefix(64)
	if err != nil {
		return addr.String()
	}
	return prefix.String()
}

// throughProxy says that a request came over a proxy that nobody said may stand there. Where
// nobody signs in, whoever reaches this machine's own address may everything: so a proxy that
// lets others reach it is refused, whatever it passes on of them. One that tells nothing of
// itself is known by HTTP/1.0, which no browser speaks any more, or by its process, which is
// one of the system's and nobody's own.
func (s *Server) throughProxy(c fiber.Ctx) error {
	told := ""
	for _, name := range forwardedBy {
		if c.Get(name) != "" {
			told = name
		}
	}
	if s.access.Accounts {
		if told == "" || s.trusts(peer(c)) {
			return nil
		}
		return fiber.NewError(fiber.StatusForbidden, fmt.Sprintf("this came over a proxy (%s) at %s, whose word does not count here: say --trusted-proxies %[2]s, or trusted-proxies in the configuration", told, peer(c)))
	}
	own, _ := c.RequestCtx().Conn().(*neighbour)
	if told == "" && !strings.HasSuffix(c.Protocol(), "/1.0") && (own == nil || !own.service()) {
		return nil
	}
	return fiber.NewError(fiber.StatusForbidden, "this came over a proxy, and nobody signs in here: whoever reaches the proxy would be let do everything. Start Klammer with --accounts and --trusted-proxies (docs/service.md has the lines for the proxy)")
}

// neighbours is a listener on this machine's own address that can tell whose process is at the
// other end of a connection.
type neighbours struct{ net.Listener }

func (n neighbours) Accept() (net.Conn, error) {
	conn, err := n.Listener.Accept()
	if err != nil {
		return nil, err
	}
	own := &neighbour{Conn: conn}
	own.service = sync.OnceValue(func() bool { return serviceAt(conn) })
	return own, nil
}

type neighbour struct {
	net.Conn
	service func() bool // whether the process at the other end is one of the system's
}

// NetConn is the connection itself.
func (n *neighbour) NetConn() net.Conn { return n.Conn }

// firstPerson is the first number of a user that is a person; below are those of services
// (Debian Policy, 9.2.2).
const firstPerson = 1000

// serviceAt says whether the process at the other end of a connection within this machine
// runs as a user of the system, other than root and ourselves. Where that is not to be found
// out it is none.
func serviceAt(conn net.Conn) bool {
	far, ok := conn.RemoteAddr().(*net.TCPAddr)
	if !ok {
		return false
	}
	near, ok := conn.LocalAddr().(*net.TCPAddr)
	if !ok {
		return false
	}
	uid, ok := ownerOf(far.AddrPort(), near.AddrPort())
	return ok && uid != 0 && uid != os.Geteuid() && (uid < firstPerson || uid == 65534)
}

// ownerTries is how often the kernel's list of sockets is read for one: it is given piece by
// piece, and what is in it may slip by while others come and go.
const ownerTries = 20

// ownerOf is the user whose process has the socket of a connection on this machine that is
// at one address and leads to another. Both count: one port may have several, and those that
// were closed a moment ago are listed as root's.
func ownerOf(at, to netip.AddrPort) (uid int, ok bool) {
	for range ownerTries {
		if uid, ok = ownerListed(plainly(at), plainly(to)); ok {
			break
		}
	}
	return uid, ok
}

// ownerListed looks once (proc_net_tcp(5)).
func ownerListed(at, to netip.AddrPort) (uid int, ok bool) {
	for _, file := range []string{"/proc/self/net/tcp", "/proc/self/net/tcp6"} {
		one, err := os.Open(file)
		if err != nil {
			continue
		}
		defer one.Close()
		for lines := bufio.NewScanner(one); lines.Scan(); {
			fields := strings.Fields(lines.Text())
			if len(fields) < 8 {
				continue
			}
			own, err := procAddr(fields[1])
			if err != nil || own != at {
				continue
			}
			if other, err := procAddr(fields[2]); err == nil && other == to {
				uid, err := strconv.Atoi(fields[7])
				return uid, err == nil
			}
		}
	}
	return 0, false
}

// plainly is an address without what is not part of it in the kernel's list.
func plainly(port netip.AddrPort) netip.AddrPort {
	return netip.AddrPortFrom(port.Addr().Unmap().WithZone(""), port.Port())
}

// procAddr is an address as /proc has it: words of 32 bits in the machine's own order, in hex.
func procAddr(text string) (netip.AddrPort, error) {
	host, port, _ := strings.Cut(text, ":")
	b, err := hex.DecodeString(host)
	if err != nil || len(b)%4 != 0 {
		return netip.AddrPort{}, fmt.Errorf("%q is no address", text)
	}
	for k := 0; k < len(b); k += 4 {
		slices.Reverse(b[k : k+4]) // as on every machine that this is built for
	}
	addr, ok := netip.AddrFromSlice(b)
	n, err := strconv.ParseUint(port, 16, 16)
	if !ok || err != nil {
		return netip.AddrPort{}, fmt.Errorf("%q is no address", text)
	}
	return netip.AddrPortFrom(addr.Unmap(), uint16(n)), nil
}
