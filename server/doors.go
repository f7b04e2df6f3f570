package server

import (
	"net"
	"net/netip"
	"sync"
)

// Doors is a listener that lets so many connections in from one address at once that
// others find room; what comes beyond is closed unheard. An address of IPv6 counts with
// its network of 64 bits, as that is what one machine has. This machine's own are let in:
// a proxy may stand on it.
func Doors(listener net.Listener) net.Listener {
	return &doors{Listener: listener, inside: map[netip.Prefix]int{}}
}

type doors struct {
	net.Listener
	mu     sync.Mutex
	inside map[netip.Prefix]int
}

// Accept waits for the next that is let in.
func (d *doors) Accept() (net.Conn, error) {
	for {
		conn, err := d.Listener.Accept()
		if err != nil {
			return nil, err
		}
		from, ok := whence(conn.RemoteAddr())
		if !ok {
			return conn, nil
		}
		if d.count(from, 1) <= mostOfAddress {
			return &visitor{Conn: conn, left: sync.OnceFunc(func() { d.count(from, -1) })}, nil
		}
		d.count(from, -1)
		_ = conn.Close()
	}
}

func (d *doors) count(from netip.Prefix, by int) int {
	d.mu.Lock()
	defer d.mu.Unlock()
	n := d.inside[from] + by
	if n == 0 {
		delete(d.inside, from)
	} else {
		d.inside[from] = n
	}
	return n
}

// whence is what an address is counted as; false for one that is not counted.
func whence(addr net.Addr) (netip.Prefix, bool) {
	tcp, ok := addr.(*net.TCPAddr)
	if !ok {
		return netip.Prefix{}, false
	}
	at := tcp.AddrPort().Addr().Unmap().WithZone("")
	bits := 32
	if at.Is6() {
		bits = 64
	}
	from, err := at.Prefix(bits)
	return from, err == nil && !at.IsLoopback()
}

// visitor is a connection that is counted until it is closed.
type visitor struct {
	net.Conn
	left func()
}

// Close closes it, and makes room for another.
func (v *visitor) Close() error {
	v.left()
	return v.Conn.Close()
}

// NetConn is the connection itself.
func (v *visitor) NetConn() net.Conn { return v.Conn }
