package field

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"

	"klammer/core/office"
	"klammer/core/wording"
	"klammer/mishap"
)

// What a device tells is believed up to here. All of a device's words come through this
// file: how much it may send and how long it may take ([line]), what of a reading can be so
// ([Reading.believe]), and what of its words is shown ([said]).
const (
	MostTime    = 60 * time.Second // that one reading of a device may take, or one setting of it
	MostBytes   = 8 << 20          // that it may send meanwhile
	mostRows    = 1 << 17          // of one table, and of all objects in a JSON document
	mostValues  = 1 << 20          // in a JSON document
	mostFront   = 4096             // ports
	mostHeard   = 4096             // neighbours
	mostOwn     = 256              // its own addresses
	mostTrouble = 50               // things that it told and that cannot be
	mostSaid    = 500              // letters of one of them, and of an error
	mostMbps    = 10_000_000

	grace = 3 * time.Second // for whoever is in the middle of something when its connection is closed
)

// errTooMuch is a device that does not end.
var errTooMuch = fmt.Errorf("it sends more than %d MB: that is not believed", MostBytes>>20)

// line is the connection to a device. It ends when the device has sent more than is believed.
type line struct {
	mu   sync.Mutex
	conn net.Conn
	left int
	over bool
}

func newLine(conn net.Conn) *line { return &line{conn: conn, left: MostBytes} }

// now is the connection as it is: a session that begins anew may have another.
func (l *line) now() net.Conn {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.conn
}

// again puts another connection in the place of one that was closed.
func (l *line) again(conn net.Conn) *line {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.conn = conn
	return l
}

// Read reads no more than is left.
func (l *line) Read(p []byte) (int, error) {
	n, err := l.now().Read(p)
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.left -= n; l.left < 0 {
		l.over = true
		_ = l.conn.Close()
		return 0, errTooMuch
	}
	return n, err
}

func (l *line) Write(p []byte) (int, error)         { return l.now().Write(p) }
func (l *line) Close() error                        { return l.now().Close() }
func (l *line) LocalAddr() net.Addr                 { return l.now().LocalAddr() }
func (l *line) RemoteAddr() net.Addr                { return l.now().RemoteAddr() }
func (l *line) SetDeadline(at time.Time) error      { return l.now().SetDeadline(at) }
func (l *line) SetReadDeadline(at time.Time) error  { return l.now().SetReadDeadline(at) }
func (l *line) SetWriteDeadline(at time.Time) error { return l.now().SetWriteDeadline(at) }

// during does one thing over the line within its bounds. When the time is over, or nobody
// waits any more, the connection is closed, whatever the protocol does at that moment.
func (l *line) during(ctx context.Context, do func(context.Context) error) error {
	l.mu.Lock()
	l.left, l.over = MostBytes, false
	l.mu.Unlock()
	ctx, cancel := context.WithTimeout(ctx, MostTime)
	defer cancel()
	stop := context.AfterFunc(ctx, func() { _ = l.Close() })
	defer stop()
	ended := make(chan error, 1)
	mishap.Go(slog.Default(), "speaking to a device", func() { ended <- mishap.Try(func() error { return do(ctx) }) })
	var err error
	select {
	case err = <-ended:
	case <-ctx.Done():
		select {
		case err = <-ended:
		case <-time.After(grace): // a library may wait for ever for what cannot come any more: without us
			err = ctx.Err()
		}
	}
	l.mu.Lock()
	over := l.over
	l.mu.Unlock()
	switch {
	case err == nil:
		return nil
	case over:
		return errTooMuch
	case errors.Is(ctx.Err(), context.DeadlineExceeded):
		return fmt.Errorf("it took more than %s: it was given up", MostTime)
	case ctx.Err() != nil:
		return ctx.Err()
	}
	return said(err)
}

// bounded is a device that is spoken to within bounds, and of which what can be is believed.
type bounded struct {
	Device
	line *line
	over func() // ends the conversation for others; nil where nobody waits
}

// Close ends the connection.
func (b *bounded) Close() error {
	if b.over != nil {
		defer b.over()
	}
	return b.Device.Close()
}

// Read reads with a limit of time and of bytes, and takes out of what came whatever cannot be true.
func (b *bounded) Read(ctx context.Context) (reading *Reading, err error) {
	err = b.line.during(ctx, func(ctx context.Context) (err error) {
		if reading, err = b.Device.Read(ctx); err == nil {
			reading.believe()
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	return reading, nil
}

func (b *bounded) Set(ctx context.Context, device *office.Device, match Match, from, to wording.State) error {
	return b.line.during(ctx, func(ctx context.Context) error { return b.Device.Set(ctx, device, match, from, to) })
}

func (b *bounded) Save(ctx context.Context) error {
	return b.line.during(ctx, b.Device.Save)
}

// shortened is an error whose words a device had a part in, as they may be shown.
type shortened struct {
	text string
	err  error
}

func (s *shortened) Error() string { return s.text }
func (s *shortened) Unwrap() error { return s.err }

// said is an error in words that can be shown and kept: on one line, without anything that a
// terminal or a page would take for more than letters, and with an end.
func said(err error) error {
	if err == nil {
		return nil
	}
	whole := err.Error()
	if text := clipped(whole); text != whole {
		return &shortened{text, err}
	}
	return err
}

// clipped is a text of a device as it may be shown, of [mostSaid] letters.
func clipped(text string) string {
	var b strings.Builder
	n := 0
	for _, c := range strings.ToValidUTF8(text[:min(len(text), 8*mostSaid)], "") {
		switch {
		case c == '\n':
			b.WriteString("; ")
		case unicode.IsControl(c) || unicode.Is(unicode.Cf, c) || c == unicode.ReplacementChar:
			continue
		default:
			b.WriteRune(c)
		}
		if n++; n == mostSaid {
			b.WriteString(" …")
			break
		}
	}
	return b.String()
}

// believable says whether a JSON document is one that is read: what it comes to in memory is
// many times its length where it is nothing but empty objects.
func believable(text []byte) error {
	if n := bytes.Count(text, []byte("{")); n > mostRows {
		return fmt.Errorf("it tells of %d things, more than %d: that is not believed", n, mostRows)
	}
	if n := bytes.Count(text, []byte(",")); n > mostValues {
		return fmt.Errorf("it tells of %d values, more than %d: that is not believed", n, mostValues)
	}
	return nil
}

// believe leaves of a reading what can be so. Whatever comes after may rely on it: every VID
// is 1 to 4094, every place is one of the reading's ports, every text can be shown.
//
// Many branches: one a part of a reading that may lie.
func (r *Reading) believe() {
	r.Name, r.About = plain(r.Name), plain(r.About)
	if len(r.Ports) > mostFront {
		r.wrong("it tells of %d ports, more than %d: the others are left out", len(r.Ports), mostFront)
		r.Ports = r.Ports[:mostFront]
	}
	place := func(at int) bool { return at >= 0 && at < len(r.Ports) }
	valid := func(vid office.VID) bool { _, err := office.VIDOf(int(vid)); return err == nil }
	for port := range r.Ports {
		one := &r.Ports[port]
		one.Name, one.Alias, one.Descr = plain(one.Name), plain(one.Alias), plain(one.Descr)
		one.Members = slices.DeleteFunc(one.Members, func(m int) bool { return !place(m) || m == port })
		if one.Link != "up" && one.Link != "down" {
			one.Link = ""
		}
		if one.Mbps < 0 || one.Mbps > mostMbps {
			one.Mbps = 0
		}
		for _, s := range []*office.Set{&one.Set.Untagged, &one.Set.Tagged} {
			s.Remove(0)
			s.Remove(4095)
		}
		if one.Set.PVID != 0 && !valid(one.Set.PVID) {
			r.wrong("port %s has PVID %d, which is no VLAN: taken for none", one.Name, one.Set.PVID)
			one.Set.PVID, one.NoPVID = 0, true
		}
	}
	seen := office.Set{}
	r.VLANs = slices.DeleteFunc(r.VLANs, func(vlan VLAN) bool {
		if !valid(vlan.VID) || seen.Has(vlan.VID) {
			return true
		}
		seen.Add(vlan.VID)
		return false
	})
	for k := range r.VLANs {
		r.VLANs[k].Name = plain(r.VLANs[k].Name)
	}
	r.Learnt = slices.DeleteFunc(r.Learnt, func(learnt Learnt) bool { return !place(learnt.Port) || !valid(learnt.VID) })
	r.Neighbours = slices.DeleteFunc(r.Neighbours, func(neighbour Neighbour) bool { return !place(neighbour.Port) })
	if len(r.Neighbours) > mostHeard {
		r.wrong("it hears %d devices, more than %d: the others are left out", len(r.Neighbours), mostHeard)
		r.Neighbours = r.Neighbours[:mostHeard]
	}
	for k := range r.Neighbours {
		r.Neighbours[k].Device, r.Neighbours[k].RemotePort = plain(r.Neighbours[k].Device), plain(r.Neighbours[k].RemotePort)
	}
	r.Addresses = r.Addresses[:min(len(r.Addresses), mostOwn)]
	for k, a := range r.Addresses {
		r.Addresses[k] = plain(a)
	}
	slices.Sort(r.NotTold)
	r.NotTold = slices.Compact(r.NotTold)
	told := [][]string{r.Trouble}
	if x := r.Router; x != nil {
		x.NotTold, x.Unsaid = x.NotTold[:min(len(x.NotTold), mostTrouble)], x.Unsaid[:min(len(x.Unsaid), mostTrouble)]
		told = append(told, x.NotTold, x.Unsaid)
	}
	for _, all := range told {
		for k, text := range all {
			all[k] = clipped(text)
		}
	}
}
