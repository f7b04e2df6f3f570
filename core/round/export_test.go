package round

import "fmt"

// Against is what of some results speaks against a mistake, by place: for whoever wonders why
// it is no suspect.
func (r *Round) Against(results []Seen, m int) (out []string) {
	for _, s := range results {
		if _, ok := r.explains([]Seen{s}, m); !s.Passed && !ok || !r.lets([]Seen{s}, m) {
			now, differs := r.world.seen[m][s.Test.at]
			text := fmt.Sprintf("%s %d: passed %t", s.Test.Port, s.Test.Wire, s.Passed)
			if differs {
				text += fmt.Sprintf(", and would see %s", r.world.called(r.answering(now, s.Test.at)))
			}
			out = append(out, fmt.Sprintf("%s; saw %s, tried %v of %v", text, s.Instead, s.Tried, s.Test.Reach))
		}
	}
	return out
}

// Sees is who would answer at a test under a mistake, by name or address.
func (r *Round) Sees(mistake int, test Test) []string {
	s, ok := r.world.seen[mistake][test.at]
	if !ok {
		s = r.world.plan[test.at]
	}
	return r.world.called(r.answering(s, test.at))
}
