// Package nftables reads what a Linux host's packet filter does, from what
// `nft -j list ruleset` prints (libnftables-json(5)): not the rules one by one but what they
// come to, for packets of a new connection from an interface and an address to another.
package nftables

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Family is of what packets a table is.
type Family string

const (
	Inet Family = "inet" // IPv4 and IPv6
	IPv4 Family = "ip"
	IPv6 Family = "ip6"
)

// Hook is where in the way of a packet a chain is asked.
type Hook string

const (
	Forward Hook = "forward" // what is for others
	Input   Hook = "input"   // what is for the host itself
)

// Chain is a list of rules.
type Chain struct {
	Family   Family
	Table    string
	Name     string
	Hook     Hook // "" for one that others jump to
	Priority int
	Accepts  bool // what no rule decides
	Rules    []*Rule

	kind   string
	within *table
}

// String is the chain as nft calls it.
func (c *Chain) String() string {
	return fmt.Sprintf("chain %s %s %s", c.Family, clean(c.Table), clean(c.Name))
}

// Rule is a rule of a chain.
type Rule struct {
	Chain   *Chain
	Comment string
	Place   int // in its chain, from 1
	expr    []expression
}

// String says which rule it is.
func (r *Rule) String() string {
	text := fmt.Sprintf("rule %d of %s", r.Place, r.Chain)
	if r.Comment != "" {
		text += fmt.Sprintf(" %q", r.Comment)
	}
	return text
}

// expression is one of the words of a rule, and what follows it.
type expression struct {
	word string
	body json.RawMessage
}

// UnmarshalJSON reads an expression, an object of exactly one member: {"match": {…}}.
func (e *expression) UnmarshalJSON(text []byte) error {
	var m map[string]json.RawMessage
	if err := json.Unmarshal(text, &m); err != nil {
		return err
	}
	if len(m) != 1 {
		return fmt.Errorf("an expression is one word, and this has %d", len(m))
	}
	for e.word, e.body = range m {
	}
	return nil
}

// table is what the chains of one table may name.
type table struct {
	chains map[string]*Chain
	sets   map[string][]json.RawMessage
}

// Ruleset is all that the filter of a host has.
type Ruleset struct {
	Chains []*Chain // base chains of the hooks that are asked, by priority
	Led    []string // what is led to another address (dnat), in words
	Other  []string // what may stop packets, or lead them elsewhere, and is not understood

	translates bool
	vague      []*Rule
	asked      int // rules that flows came to
}

// mostAsked bounds how many rules the flows of one ruleset come to, as chains may jump to one
// another often: a clinic of ten VLANs asks 5,000.
const mostAsked = 20_000_000

// Tired says that flows came to so many rules that the last ones were not asked.
func (rs *Ruleset) Tired() bool { return rs.asked > mostAsked }

// most bounds a ruleset.
const most = 20000

// ErrMany says that a ruleset is longer than what is looked at.
var ErrMany = errors.New("there are more rules than are looked at")

// Parse reads what nft -j list ruleset prints.
func Parse(text []byte) (*Ruleset, error) {
	var doc struct {
		All []struct {
			Chain *struct {
				Family, Table, Name, Type, Policy string
				Hook                              Hook
				Prio                              int
			}
			Rule *struct {
				Family, Table, Chain, Comment string
				Expr                          []expression
			}
			Set, Map *struct {
				Family, Table, Name string
				Elem                []json.RawMessage
			}
		} `json:"nftables"`
	}
	if err := json.Unmarshal(text, &doc); err != nil {
		return nil, fmt.Errorf("nft -j list ruleset cannot be read: %w", err)
	}
	if len(doc.All) > most {
		return nil, ErrMany
	}
	rs, tables := &Ruleset{}, map[string]*table{}
	of := func(family, name string) *table {
		key := family + " " + name
		if tables[key] == nil {
			tables[key] = &table{map[string]*Chain{}, map[string][]json.RawMessage{}}
		}
		return tables[key]
	}
	for _, x := range doc.All { // chains and sets, which rules before them may name
		if c := x.Chain; c != nil {
			is := &Chain{Family: Family(c.Family), Table: c.Table, Name: c.Name, Hook: c.Hook, Priority: c.Prio, Accepts: c.Policy != "drop", kind: c.Type, within: of(c.Family, c.Table)}
			is.within.chains[c.Name] = is
			switch {
			case c.Hook == "":
			case (c.Family == "bridge" || c.Family == "netdev") && !is.Accepts:
				rs.Other = append(rs.Other, is.String()+" stops frames before they are routed")
			case c.Hook == Forward || c.Hook == Input:
				if slices.Contains([]Family{Inet, IPv4, IPv6}, is.Family) {
					rs.Chains = append(rs.Chains, is)
				}
			case c.Type == "filter" && !is.Accepts:
				rs.Other = append(rs.Other, fmt.Sprintf("%s, at %s, drops what no rule lets pass", is, c.Hook))
			}
		}
		for _, s := range []*struct {
			Family, Table, Name string
			Elem                []json.RawMessage
		}{x.Set, x.Map} {
			if s != nil {
				of(s.Family, s.Table).sets[s.Name] = s.Elem
			}
		}
	}
	for _, x := range doc.All {
		if x.Rule == nil {
			continue
		}
		chain := of(x.Rule.Family, x.Rule.Table).chains[x.Rule.Chain]
		if chain == nil {
			return nil, fmt.Errorf("nft -j list ruleset has a rule of %s %s %s, and no such chain", x.Rule.Family, x.Rule.Table, x.Rule.Chain)
		}
		rule := &Rule{chain, clean(x.Rule.Comment), len(chain.Rules) + 1, x.Rule.Expr}
		chain.Rules = append(chain.Rules, rule)
		rs.elsewhere(rule)
	}
	slices.SortStableFunc(rs.Chains, func(a, b *Chain) int { return a.Priority - b.Priority })
	return rs, nil
}

// elsewhere notes what a rule does that is none of the questions here: it leads packets to
// other addresses, or drops them at another hook.
func (rs *Ruleset) elsewhere(rule *Rule) {
	for _, expression := range rule.expr {
		switch expression.word {
		case "dnat", "redirect":
			rs.translates = true
			rs.Led = append(rs.Led, fmt.Sprintf("%s leads packets to another address: %s", rule, clean(string(expression.body))))
		case "drop", "reject":
			if hook := rule.Chain.Hook; hook != "" && hook != Forward && hook != Input {
				rs.Other = append(rs.Other, fmt.Sprintf("%s, at %s, drops packets", rule, hook))
			}
		}
	}
}

// clean is text of a host as it may be shown.
func clean(text string) string {
	text = strings.Map(func(c rune) rune {
		if c < ' ' || c == 0x7f || c > 0x7e {
			return ' '
		}
		return c
	}, text)
	return text[:min(len(text), 100)]
}
