package office

// mostRules bounds the lists that are compared rule by rule; of longer ones the middle
// that differs counts as other as a whole.
const mostRules = 2000

// KeptRules says of each rule of a list where another list has it, in order, -1 for
// one that it has not: a longest common part, so that a rule that was put in, taken out
// or moved leaves the others where they are. same says when two are one rule. History,
// orders and talk tell lists of rules apart by this.
func KeptRules(was, is []Rule, same func(rule, other *Rule) bool) []int {
	kept := make([]int, len(was))
	for i := range kept {
		kept[i] = -1
	}
	head := 0
	for head < min(len(was), len(is)) && same(&was[head], &is[head]) {
		kept[head] = head
		head++
	}
	tail := 0
	for tail < min(len(was), len(is))-head && same(&was[len(was)-1-tail], &is[len(is)-1-tail]) {
		tail++
		kept[len(was)-tail] = len(is) - tail
	}
	a, b := was[head:len(was)-tail], is[head:len(is)-tail]
	if len(a)*len(b) > mostRules*mostRules {
		return kept
	}
	best := make([][]int32, len(a)+1) // the longest common part from here on
	for i := range best {
		best[i] = make([]int32, len(b)+1)
	}
	for i := len(a) - 1; i >= 0; i-- {
		for j := len(b) - 1; j >= 0; j-- {
			if same(&a[i], &b[j]) {
				best[i][j] = best[i+1][j+1] + 1
			} else {
				best[i][j] = max(best[i+1][j], best[i][j+1])
			}
		}
	}
	for i, j := 0, 0; i < len(a) && j < len(b); {
		switch {
		case same(&a[i], &b[j]):
			kept[head+i] = head + j
			i, j = i+1, j+1
		case best[i+1][j] >= best[i][j+1]:
			i++
		default:
			j++
		}
	}
	return kept
}

// RulesApart is the places of the rules that one list has and another has not, and of
// those that the other has and it has not, ascending.
func RulesApart(was, is []Rule) (gone, come []int) {
	have := make([]bool, len(is))
	for i, at := range KeptRules(was, is, (*Rule).Equal) {
		if at < 0 {
			gone = append(gone, i)
		} else {
			have[at] = true
		}
	}
	for i := range is {
		if !have[i] {
			come = append(come, i)
		}
	}
	return gone, come
}
