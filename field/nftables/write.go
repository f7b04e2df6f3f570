package nftables

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"klammer/core/office"
)

// Own is the table that is made where a host has no chain of its own for what it forwards.
const Own = "klammer"

// Line is a rule as it is written: what is not said is any.
type Line struct {
	In, Out  []string // interfaces
	Src, Dst netip.Prefix
	Services []office.Service // none of them named
	Accept   bool
}

// Policy is what a host is to let pass.
type Policy struct {
	Keeps    bool     // it remembers what it let pass
	Forward  []Line   // the first that fits decides
	Links    []string // interfaces that the lines decide all of; what others forward stays as it was
	Input    []Line   // what the host itself answers; nil leaves that as it is
	Foreign  []string // interfaces that the lines say nothing of
	Families []Family // of the addresses that it has
}

// place is the chain that a policy is written to.
func (rs *Ruleset) place(hook Hook) (*Chain, error) {
	var all []*Chain
	for _, c := range rs.Chains {
		if c.Hook == hook && c.Table != Own && (len(c.Rules) > 0 || !c.Accepts) {
			all = append(all, c)
		}
	}
	switch len(all) {
	case 0:
		return nil, nil
	case 1:
		return all[0], nil
	}
	return nil, fmt.Errorf("%s and %s both decide there: rules are written where one chain does", all[0], all[1])
}

// name is what a table or a chain can be called in a script: nothing of it is another word.
var name = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_.-]*$`)

// ErrKept is what is not overwritten.
var ErrKept = errors.New("what is there is not overwritten")

// Write says how a ruleset is led to a policy, as nft -f takes it: all of it or nothing. The
// chain that the host has is written anew; where it has none, a table of its own is made. What
// is in the way, and not understood or of others, is not overwritten.
func (rs *Ruleset) Write(p Policy) (string, error) {
	c, err := rs.place(Forward)
	if err != nil {
		return "", fmt.Errorf("%w: %w", ErrKept, err)
	}
	var b strings.Builder
	forward, input := "inet "+Own+" forward", "inet "+Own+" input"
	if c == nil || p.Input != nil {
		fmt.Fprintf(&b, "table inet %s\ndelete table inet %s\ntable inet %s {\n}\n", Own, Own, Own)
	}
	if c != nil {
		if err := c.replaceable(rs, p); err != nil {
			return "", fmt.Errorf("%w: %w", ErrKept, err)
		}
		forward = fmt.Sprintf("%s %s %s", c.Family, c.Table, c.Name)
		fmt.Fprintf(&b, "flush chain %s\n", forward)
	} else {
		fmt.Fprintf(&b, "add chain %s { type filter hook forward priority 0; policy accept; }\n", forward)
	}
	if p.Keeps {
		fmt.Fprintf(&b, "add rule %s ct state established,related accept\nadd rule %s ct state invalid drop\n", forward, forward)
	}
	for _, l := range p.Forward {
		l.write(&b, forward)
	}
	(&Line{In: p.Links, Out: p.Links}).write(&b, forward)
	if p.Input == nil {
		return b.String(), nil
	}
	if c, err := rs.place(Input); err != nil || c != nil {
		return "", fmt.Errorf("%w: what the host itself answers is decided by %s", ErrKept, c)
	}
	fmt.Fprintf(&b, "add chain %s { type filter hook input priority 0; policy accept; }\nadd rule %s ct state established,related accept\n", input, input)
	for _, l := range p.Input {
		l.write(&b, input)
	}
	return b.String(), nil
}

// replaceable says why a chain is not written anew.
func (c *Chain) replaceable(rs *Ruleset, p Policy) error {
	for _, word := range []string{c.Table, c.Name} {
		if !name.MatchString(word) {
			return fmt.Errorf("%s has a name that is not written", c)
		}
	}
	for _, f := range p.Families {
		if c.Family != Inet && c.Family != f {
			return fmt.Errorf("%s is for other packets than the addresses here are", c)
		}
	}
	for _, r := range rs.vague {
		if r.Chain.within == c.within {
			return fmt.Errorf("%s is not understood", r)
		}
	}
	for _, x := range c.within.chains {
		for _, r := range x.Rules {
			for _, name := range p.Foreign {
				if r.mentions(name) {
					return fmt.Errorf("%s is for %s, which is in no VLAN", r, name)
				}
			}
		}
	}
	return nil
}

// mentions says whether a rule names an interface.
func (r *Rule) mentions(name string) bool {
	return slices.ContainsFunc(r.expr, func(e expression) bool {
		return (e.word == "match" || e.word == "vmap") && bytes.Contains(e.body, []byte(`"`+name+`"`))
	})
}

// write writes a line, as rules: one for each kind of service that it names.
func (l *Line) write(b *strings.Builder, chain string) {
	head := "add rule " + chain
	for _, x := range []struct {
		word  string
		names []string
	}{{"iifname", l.In}, {"oifname", l.Out}} {
		if len(x.names) > 0 {
			head += fmt.Sprintf(" %s { %s }", x.word, quoted(x.names))
		}
	}
	for _, x := range []struct {
		word string
		net  netip.Prefix
	}{{"saddr", l.Src}, {"daddr", l.Dst}} {
		if x.net.IsValid() {
			head += fmt.Sprintf(" %s %s %s", map[bool]string{true: "ip", false: "ip6"}[x.net.Addr().Is4()], x.word, x.net)
		}
	}
	do := map[bool]string{true: "accept", false: "drop"}[l.Accept]
	if len(l.Services) == 0 || office.AnyService(l.Services) {
		fmt.Fprintf(b, "%s %s\n", head, do)
		return
	}
	ports := map[office.Protocol][]string{}
	for _, s := range l.Services {
		switch {
		case s.Protocol == office.Ping:
			for _, proto := range []string{"icmp", "icmpv6"} {
				if of := cmp.Or(l.Src, l.Dst); !of.IsValid() || of.Addr().Is4() == (proto == "icmp") {
					fmt.Fprintf(b, "%s %s type { echo-request, echo-reply } %s\n", head, proto, do)
				}
			}
		case s.First == s.Last:
			ports[s.Protocol] = append(ports[s.Protocol], fmt.Sprint(s.First))
		default:
			ports[s.Protocol] = append(ports[s.Protocol], fmt.Sprintf("%d-%d", s.First, s.Last))
		}
	}
	for _, proto := range []office.Protocol{office.TCP, office.UDP} {
		if list := ports[proto]; list != nil {
			fmt.Fprintf(b, "%s %s dport { %s } %s\n", head, proto, strings.Join(list, ", "), do)
		}
	}
}

func quoted(names []string) string {
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = `"` + n + `"`
	}
	return strings.Join(out, ", ")
}
