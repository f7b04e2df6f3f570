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
	for _, chain := range rs.Chains {
		if chain.Hook == hook && chain.Table != Own && (len(chain.Rules) > 0 || !chain.Accepts) {
			all = append(all, chain)
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
func (rs *Ruleset) Write(policy Policy) (string, error) {
	chain, err := rs.place(Forward)
	if err != nil {
		return "", fmt.Errorf("%w: %w", ErrKept, err)
	}
	var text strings.Builder
	forward, input := "inet "+Own+" forward", "inet "+Own+" input"
	if chain == nil || policy.Input != nil {
		fmt.Fprintf(&text, "table inet %s\ndelete table inet %s\ntable inet %s {\n}\n", Own, Own, Own)
	}
	if chain != nil {
		if err := chain.replaceable(rs, policy); err != nil {
			return "", fmt.Errorf("%w: %w", ErrKept, err)
		}
		forward = fmt.Sprintf("%s %s %s", chain.Family, chain.Table, chain.Name)
		fmt.Fprintf(&text, "flush chain %s\n", forward)
	} else {
		fmt.Fprintf(&text, "add chain %s { type filter hook forward priority 0; policy accept; }\n", forward)
	}
	if policy.Keeps {
		fmt.Fprintf(&text, "add rule %s ct state established,related accept\nadd rule %s ct state invalid drop\n", forward, forward)
	}
	for _, line := range policy.Forward {
		line.write(&text, forward)
	}
	(&Line{In: policy.Links, Out: policy.Links}).write(&text, forward)
	if policy.Input == nil {
		return text.String(), nil
	}
	if other, err := rs.place(Input); err != nil || other != nil {
		return "", fmt.Errorf("%w: what the host itself answers is decided by %s", ErrKept, other)
	}
	fmt.Fprintf(&text, "add chain %s { type filter hook input priority 0; policy accept; }\nadd rule %s ct state established,related accept\n", input, input)
	for _, line := range policy.Input {
		line.write(&text, input)
	}
	return text.String(), nil
}

// replaceable says why a chain is not written anew.
func (c *Chain) replaceable(rs *Ruleset, policy Policy) error {
	for _, word := range []string{c.Table, c.Name} {
		if !name.MatchString(word) {
			return fmt.Errorf("%s has a name that is not written", c)
		}
	}
	for _, family := range policy.Families {
		if c.Family != Inet && c.Family != family {
			return fmt.Errorf("%s is for other packets than the addresses here are", c)
		}
	}
	for _, rule := range rs.vague {
		if rule.Chain.within == c.within {
			return fmt.Errorf("%s is not understood", rule)
		}
	}
	for _, chain := range c.within.chains {
		for _, rule := range chain.Rules {
			for _, name := range policy.Foreign {
				if rule.mentions(name) {
					return fmt.Errorf("%s is for %s, which is in no VLAN", rule, name)
				}
			}
		}
	}
	return nil
}

// mentions says whether a rule names an interface.
func (r *Rule) mentions(name string) bool {
	return slices.ContainsFunc(r.expr, func(expression expression) bool {
		return (expression.word == "match" || expression.word == "vmap") && bytes.Contains(expression.body, []byte(`"`+name+`"`))
	})
}

// write writes a line, as rules: one for each kind of service that it names.
func (l *Line) write(text *strings.Builder, chain string) {
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
		fmt.Fprintf(text, "%s %s\n", head, do)
		return
	}
	ports := map[office.Protocol][]string{}
	for _, service := range l.Services {
		switch {
		case service.Protocol == office.Ping:
			for _, proto := range []string{"icmp", "icmpv6"} {
				if of := cmp.Or(l.Src, l.Dst); !of.IsValid() || of.Addr().Is4() == (proto == "icmp") {
					fmt.Fprintf(text, "%s %s type { echo-request, echo-reply } %s\n", head, proto, do)
				}
			}
		case service.First == service.Last:
			ports[service.Protocol] = append(ports[service.Protocol], fmt.Sprint(service.First))
		default:
			ports[service.Protocol] = append(ports[service.Protocol], fmt.Sprintf("%d-%d", service.First, service.Last))
		}
	}
	for _, proto := range []office.Protocol{office.TCP, office.UDP} {
		if list := ports[proto]; list != nil {
			fmt.Fprintf(text, "%s %s dport { %s } %s\n", head, proto, strings.Join(list, ", "), do)
		}
	}
}

// quoted is names as nftables writes them. They are made by Klammer (see router_set.go) and hold no quote.
func quoted(names []string) string {
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = `"` + n + `"`
	}
	return strings.Join(out, ", ")
}
