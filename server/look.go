package server

import (
	"fmt"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/bridge"
	"klammer/core/command"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
)

type explainQuery struct {
	Ports []string `query:"ports" description:"ports, each by itself; of one that is no port, the parts between commas"`
	VLAN  int      `query:"vlan"`
	At    int64    `query:"at" description:"the revision to look at, now if it is not said"`
}

func (s *Server) explain(c fiber.Ctx) error {
	report, err := s.reportThen(c)
	if err != nil {
		return err
	}
	vid, err := intQuery(c, "vlan", 0)
	if err != nil {
		return err
	}
	var names []string
	for _, q := range c.RequestCtx().QueryArgs().PeekMulti("ports") {
		name := string(q)
		if _, err := notation.PortRef(report.Net.Office, name); err == nil || !strings.Contains(name, ",") { // a name may have a comma
			names = append(names, name)
		} else {
			names = append(names, strings.Split(name, ",")...)
		}
	}
	names = slices.DeleteFunc(names, func(name string) bool { return name == "" })
	one, err := explanation(report.Net, names, int(vid))
	if err != nil {
		return err
	}
	return c.JSON(one)
}

// explanation says some ports and a VLAN in plain words, each where it is asked
// for.
func explanation(net *span.Net, names []string, vid int) (*api.Explanation, error) {
	var refs []office.PortRef
	var err error
	if len(names) > 0 {
		if refs, err = command.Ports(net.Office, names); err != nil {
			return nil, err
		}
	}
	var one office.VID
	if vid != 0 {
		if one, err = office.VIDOf(vid); err != nil {
			return nil, bad("vlan", "%s", err)
		}
	}
	return api.ExplanationOf(net, refs, one), nil
}

type walkQuery struct {
	From string `query:"from" required:"true" description:"the port that the frame is sent into, as north.1 or north 1, or the name of what is plugged in"`
	Wire string `query:"wire" description:"untagged, priority, or a VID; else as what is plugged in wants it"`
	To   string `query:"to" description:"what to say the way to: a port, a plug, a device, the gateway"`
	At   int64  `query:"at" description:"the revision to look at, now if it is not said"`
}

func (s *Server) walk(c fiber.Ctx) error {
	report, err := s.reportThen(c)
	if err != nil {
		return err
	}
	net := report.Net
	from, err := notation.PlaceOf(net.Office, c.Query("from"))
	if err == nil && from.Port.Device == "" {
		err = fmt.Errorf("a frame starts at a port or at what is plugged in: name one")
	}
	if err != nil {
		return bad("from", "%s", err)
	}
	wire := c.Query("wire")
	if wire == "" {
		wire = plugged(net.Office, from)
	}
	one, err := bridge.ParseWire(wire)
	if err != nil {
		return bad("wire", "%s", err)
	}
	way, err := walk.Broadcast(net, from.Port, one)
	if err != nil {
		return bad("from", "%s", err)
	}
	out := api.WalkView{Walk: api.WalkOf(way), From: from.Port.String(), Wire: wire}
	hand, err := walk.HandsOut(net, from.Port, one)
	if err != nil {
		return bad("from", "%s", err)
	}
	out.Address = hand.Text
	if q := c.Query("to"); q != "" {
		to, err := notation.PlaceOf(net.Office, q)
		if err != nil {
			return bad("to", "%s", err)
		}
		var journey *walk.Journey
		if to.Gateway || to.Device != "" {
			journey, err = walk.ToDevice(net, from.Port, one, to.Device)
			out.To = map[bool]string{true: "the gateway", false: to.Device}[to.Gateway]
		} else {
			journey, err = walk.To(net, from.Port, one, to.Port)
			out.To = to.Port.String()
		}
		if err != nil {
			return bad("to", "%s", err)
		}
		x := api.JourneyOf(journey)
		out.Journey = &x
	}
	return c.JSON(out)
}

// plugged is what a frame wears that is sent from a place: as the plug there
// wants it, else nothing.
func plugged(o *office.Office, at notation.Place) string {
	plug := at.Plug
	for i := range o.Plugs {
		if plug == nil && o.Plugs[i].Port == at.Port {
			plug = &o.Plugs[i]
		}
	}
	if plug != nil && plug.Tagged {
		return fmt.Sprint(plug.Wants)
	}
	return "untagged"
}

type proposeQuery struct {
	Name string `query:"name" required:"true" description:"the name of the new VLAN"`
	VID  int    `query:"vid" description:"its number, if it is not to be the next"`
}

func (s *Server) propose(c fiber.Ctx) error {
	report, err := s.report(c)
	if err != nil {
		return err
	}
	k, err := intQuery(c, "vid", 0)
	if err != nil {
		return err
	}
	var vid office.VID
	if k != 0 {
		if vid, err = office.VIDOf(int(k)); err != nil {
			return bad("vid", "%s", err)
		}
	}
	proposal, err := command.Next(report.Net.Office, c.Query("name"), vid)
	if err != nil {
		field := "name"
		if office.PartOf(err) == office.OfVID {
			field = "vid"
		}
		return bad(field, "%s", err)
	}
	return c.JSON(api.ProposalView{VID: int(proposal.VID), Like: int(proposal.Like), Lines: proposal.Statements})
}
