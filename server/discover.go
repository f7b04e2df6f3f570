package server

import (
	"context"
	"fmt"
	"net/netip"
	"strconv"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/office"
	"klammer/field"
)

// mostDiscovered is how many addresses are asked at once, and for how long.
const (
	mostDiscovered = 64
	slowestToFind  = 25 * time.Second
)

// discover reads what answers SNMP at some addresses, and proposes it. Nothing is kept.
func (s *Server) discover(c fiber.Ctx) error {
	var request api.DiscoverRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	var at []string
	for i, a := range request.Addresses {
		more, err := addresses(a)
		if err != nil {
			return bad(fmt.Sprintf("addresses[%d]", i), "%s", err)
		}
		at = append(at, more...)
	}
	if len(at) > mostDiscovered {
		return bad("addresses", "%d addresses: at most %d at once", len(at), mostDiscovered)
	}
	ctx, stop := context.WithTimeout(s.stop, slowestToFind)
	defer stop()
	job, err := s.readings.begin(ctx, room.id, name, personOf(c))
	if err != nil {
		return err
	}
	defer s.readings.end(room.id, job)
	ctx = job.ctx
	job.far(0, len(at))
	o := now.report.Net.Office
	asked := &office.Office{}
	ways := map[string]office.Speaks{}
	for _, a := range at { // each under its address, as nobody knows its name yet
		device := &office.Device{Name: a, Speaks: []office.Speaks{{Protocol: office.SNMP, At: a, With: request.With}}}
		ways[a] = device.Speaks[0]
		asked.Devices = append(asked.Devices, device)
	}
	one := &usage{}
	dial := s.dialer(ctx, room.id, one)
	dial.At = nil
	by := map[string]*field.Reading{}
	out := api.DiscoverAnswer{Failed: []api.Silent{}, Parts: []field.Part{}}
	dial.ReadAll(ctx, asked, asked.Devices, func(res field.Result) {
		job.done.Add(1)
		if res.Err != nil {
			out.Failed = append(out.Failed, api.Silent{At: res.Device, Why: strings.ReplaceAll(res.Err.Error(), "\n", "; ")})
			return
		}
		by[res.Device] = res.Reading
	})
	s.noteUsage(one, name, s.askedFrom(c).String(), room.id)
	var all []field.Read
	for _, a := range at { // in the order that they were named in
		if by[a] != nil {
			all = append(all, field.Read{Speaks: ways[a], Reading: by[a]})
		}
	}
	out.Parts = append(out.Parts, field.Propose(o, all)...)
	return c.JSON(out)
}

// addresses is HOST, HOST:PORT, or a range 10.0.0.2-20 one by one.
func addresses(text string) ([]string, error) {
	text = strings.TrimSpace(text)
	first, last, ranged := strings.Cut(text, "-")
	from, err := netip.ParseAddr(first)
	n, wrong := strconv.ParseUint(last, 10, 8)
	if !ranged || err != nil || wrong != nil || !from.Is4() {
		if _, _, err := office.HostPort(text, 161); err != nil {
			return nil, err
		}
		return []string{text}, nil
	}
	b := from.As4()
	if int(n) < int(b[3]) {
		return nil, fmt.Errorf("the range %s runs backwards", text)
	}
	var out []string
	for k := int(b[3]); k <= int(n); k++ {
		b[3] = byte(k)
		out = append(out, netip.AddrFrom4(b).String())
	}
	return out, nil
}
