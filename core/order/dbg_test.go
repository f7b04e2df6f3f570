package order

import (
	"fmt"
	"testing"
)

func TestDbg(t *testing.T) {
	plan := clinic(t)
	was := fromFactory(plan)
	p, err := newProblem(was, plan)
	if err != nil {
		t.Fatal(err)
	}
	p.stop = func() bool { return false }
	p.forget()
	p.beside = p.neighbours()
	p.findCut()
	p.order = p.fromFar()
	p.lendAt(5)
	p.j = newJudge(p.was, p.plan, p.lent)
	for _, l := range p.lent {
		fmt.Println(l.dev, l.port)
	}
	n := &node{w: p.start(), dev: -1}
	for {
		n = n.flow()
		if n.w.done() {
			break
		}
		fmt.Println("stuck", n.depth, n.w.at, n.w.v.cut, n.w.v.leaks)
		for i, d := range n.w.o.Devices {
			fmt.Println(" ", d.Name, n.w.left[i], n.w.dirty[i], n.w.reaches(i), len(n.w.spots(i)), n.w.differs(i))
		}
		m := n.onward()
		if m == nil {
			break
		}
		for k := m; k != n && k != nil && k.depth > n.depth; k = k.prev {
			fmt.Println("    ", k.act, k.price, k.blind)
		}
		n = m
	}
	for _, i := range p.order {
		if n.w.left[i] == 0 || !n.w.reaches(i) {
			continue
		}
		n.w.trials(i, func(t *trial) bool {
			m := n.then(t.act, t.to)
			_, jn := p.j.who(m.w.n, m.w.ports)
			if m.w.v.leaks > 0 && t.act.kind == Manage {
				for li := range m.w.n.Topo.Links {
					for _, a := range m.w.n.Carry(li).Cross {
						l := m.w.n.Topo.Links[li]
						fmt.Println("   X", m.w.n.Ref(l.A), m.w.n.Ref(l.B), a)
					}
				}
			}
			fmt.Println(jn, t.act, m.w.v.cut-n.w.v.cut, m.w.v.leaks, m.w.v.rings(), m.blind, m.w.alive(), m.w.remaining()-n.w.remaining())
			return true
		})
	}
}
