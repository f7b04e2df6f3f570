package server

import (
	"fmt"
	"strings"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/bridge"
	"klammer/core/command"
	"klammer/core/explain"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
)

// Explanation is what ports do in plain words, and where a VLAN goes.
type Explanation struct {
	Title string     `json:"title" required:"true" description:"the ports, folded: ward-east 5-6"`
	Shape string     `json:"shape" required:"true" description:"their shape in bracket notation, empty where they differ"`
	Words []string   `json:"words" required:"true" nullable:"false"`
	Reach *ReachView `json:"reach,omitempty"`
}

// ReachView is where one VLAN goes.
type ReachView struct {
	VID   int          `json:"vid" required:"true"`
	Roots []BranchView `json:"roots" required:"true" nullable:"false"`
	Ports []string     `json:"ports" required:"true" nullable:"false" description:"all ports of its spans"`
	Cut   []string     `json:"cut" required:"true" nullable:"false" description:"those that its gateway does not reach"`
}

// BranchView is a device in a VLAN's reach, seen from the gateway outwards.
type BranchView struct {
	Device   string       `json:"device" required:"true"`
	Port     string       `json:"port" required:"true"`
	Via      string       `json:"via" required:"true"`
	Broken   bool         `json:"broken" required:"true"`
	Cut      bool         `json:"cut" required:"true"`
	Ends     string       `json:"ends" required:"true" description:"the ports where it ends there, folded"`
	Count    int          `json:"count" required:"true" description:"how many they are"`
	Branches []BranchView `json:"branches" required:"true" nullable:"false"`
	Places   []PlaceView  `json:"places" required:"true" nullable:"false"`
}

// PlaceView is a port where a VLAN ends, and what is there.
type PlaceView struct {
	Port  string   `json:"port" required:"true"`
	As    string   `json:"as" required:"true" enum:"untagged,tagged,none"`
	Kind  string   `json:"kind" required:"true" enum:"physical,bundle,inner"`
	Plugs []string `json:"plugs" required:"true" nullable:"false"`
}

type explainQuery struct {
	Ports string `query:"ports" description:"ports, joined by commas"`
	VLAN  int    `query:"vlan"`
	At    int64  `query:"at" description:"the revision to look at, now if it is not said"`
}

func (s *Server) explain(c fiber.Ctx) error {
	report, err := s.reportThen(c)
	if err != nil {
		return err
	}
	n := report.Net
	x := Explanation{Words: []string{}}
	if q := c.Query("ports"); q != "" {
		refs, err := command.Ports(n.Office, strings.Split(q, ","))
		if err != nil {
			return err
		}
		describe(n, refs, &x)
	}
	vid, err := intQuery(c, "vlan", 0)
	if err != nil {
		return err
	}
	if vid != 0 {
		v, err := office.VIDOf(int(vid))
		if err != nil {
			return bad("vlan", "%s", err)
		}
		x.Reach = reach(n, v)
	}
	return c.JSON(x)
}

func describe(n *span.Net, refs []office.PortRef, x *Explanation) {
	x.Title = command.PortNames(n.Office, refs)
	for k, r := range refs {
		i := n.Topo.DeviceIndex(r.Device)
		w, _ := n.Shape(i, n.Office.Devices[i].Port(r.Port))
		if s := notation.Shape(*w); k == 0 {
			x.Shape = s
		} else if x.Shape != s {
			x.Shape = ""
			break
		}
	}
	if explain.Same(n, refs) {
		x.Words = explain.Port(n, refs[0])
	} else {
		x.Words = []string{fmt.Sprintf("%d ports, which differ. What you set is set on all of them.", len(refs))}
	}
}

func places(n *span.Net, v office.VID, refs []office.PortRef) []PlaceView {
	out := []PlaceView{}
	for _, r := range refs {
		i := n.Topo.DeviceIndex(r.Device)
		d := n.Office.Devices[i]
		p := d.Port(r.Port)
		as := map[office.Membership]string{office.Untagged: "untagged", office.Tagged: "tagged", office.NotMember: "none"}[n.Tables[i].Ports[d.Logical(p)].Of(v)]
		x := PlaceView{r.Port, as, portKinds[d.Ports[p].Kind], []string{}}
		for _, k := range n.Topo.PlugsAt(i) {
			if g := n.Office.Plugs[k]; g.Port.Port == r.Port && g.Wants == v {
				x.Plugs = append(x.Plugs, g.Name)
			}
		}
		out = append(out, x)
	}
	return out
}

func reach(n *span.Net, v office.VID) *ReachView {
	out := &ReachView{VID: int(v), Roots: []BranchView{}, Ports: []string{}, Cut: []string{}}
	var convert func(bs []*explain.Branch) []BranchView
	convert = func(bs []*explain.Branch) []BranchView {
		r := []BranchView{}
		for _, b := range bs {
			r = append(r, BranchView{b.Device, b.Port, b.Via, b.Broken, b.Cut, strings.TrimPrefix(command.PortNames(n.Office, b.Ends), b.Device+" "), len(b.Ends), convert(b.Branches), places(n, v, b.Ends)})
		}
		return r
	}
	out.Roots = convert(explain.Reach(n, v))
	if x := n.VLAN(v); x != nil {
		for i, s := range x.Spans {
			refs := api.Refs(n.Reaches(s))
			out.Ports = append(out.Ports, refs...)
			if i > 0 {
				out.Cut = append(out.Cut, refs...)
			}
		}
	}
	return out
}

type walkQuery struct {
	From string `query:"from" required:"true" description:"the port that the frame is sent into, as north.1 or north 1, or the name of what is plugged in"`
	Wire string `query:"wire" description:"untagged, priority, or a VID; else as what is plugged in wants it"`
	To   string `query:"to" description:"what to say the way to: a port, a plug, a device, the gateway"`
	At   int64  `query:"at" description:"the revision to look at, now if it is not said"`
}

// WalkView is what becomes of a frame, and its way to one port if one is asked
// for.
type WalkView struct {
	Walk    api.Walk     `json:"walk" required:"true"`
	Journey *api.Journey `json:"journey,omitempty"`
	From    string       `json:"from" required:"true" description:"the port that was meant"`
	Wire    string       `json:"wire" required:"true" description:"what the frame wears"`
	To      string       `json:"to,omitempty" description:"what was meant to be reached"`
	Address string       `json:"address" required:"true" description:"whether what is at the port gets an address, and from whom"`
}

func (s *Server) walk(c fiber.Ctx) error {
	report, err := s.reportThen(c)
	if err != nil {
		return err
	}
	n := report.Net
	from, err := notation.PlaceOf(n.Office, c.Query("from"))
	if err == nil && from.Port.Device == "" {
		err = fmt.Errorf("a frame starts at a port or at what is plugged in: name one")
	}
	if err != nil {
		return bad("from", "%s", err)
	}
	wire := c.Query("wire")
	if wire == "" {
		wire = plugged(n.Office, from)
	}
	w, err := bridge.ParseWire(wire)
	if err != nil {
		return bad("wire", "%s", err)
	}
	way, err := walk.Broadcast(n, from.Port, w)
	if err != nil {
		return bad("from", "%s", err)
	}
	out := WalkView{Walk: api.WalkOf(way), From: from.Port.String(), Wire: wire}
	hand, err := walk.HandsOut(n, from.Port, w)
	if err != nil {
		return bad("from", "%s", err)
	}
	out.Address = hand.Text
	if q := c.Query("to"); q != "" {
		to, err := notation.PlaceOf(n.Office, q)
		if err != nil {
			return bad("to", "%s", err)
		}
		var j *walk.Journey
		if to.Gateway || to.Device != "" {
			j, err = walk.ToDevice(n, from.Port, w, to.Device)
			out.To = map[bool]string{true: "the gateway", false: to.Device}[to.Gateway]
		} else {
			j, err = walk.To(n, from.Port, w, to.Port)
			out.To = to.Port.String()
		}
		if err != nil {
			return bad("to", "%s", err)
		}
		x := api.JourneyOf(j)
		out.Journey = &x
	}
	return c.JSON(out)
}

// plugged is what a frame wears that is sent from a place: as the plug there
// wants it, else nothing.
func plugged(o *office.Office, at notation.Place) string {
	p := at.Plug
	for i := range o.Plugs {
		if p == nil && o.Plugs[i].Port == at.Port {
			p = &o.Plugs[i]
		}
	}
	if p != nil && p.Tagged {
		return fmt.Sprint(p.Wants)
	}
	return "untagged"
}

type proposeQuery struct {
	Name string `query:"name" required:"true" description:"the name of the new VLAN"`
	VID  int    `query:"vid" description:"its number, if it is not to be the next"`
}

// ProposalView is the next VLAN like the others.
type ProposalView struct {
	VID   int      `json:"vid" required:"true"`
	Like  int      `json:"like" required:"true" description:"the VLAN that it was made after, 0 for none"`
	Lines []string `json:"lines" required:"true" nullable:"false"`
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
	p, err := command.Next(report.Net.Office, c.Query("name"), vid)
	if err != nil {
		field := "name"
		if strings.HasPrefix(err.Error(), "VLAN "+fmt.Sprint(vid)+" is ") {
			field = "vid"
		}
		return bad(field, "%s", err)
	}
	return c.JSON(ProposalView{int(p.VID), int(p.Like), p.Statements})
}
