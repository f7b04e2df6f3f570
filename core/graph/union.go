package graph

// Union is disjoint sets of the numbers from 0 on (Tarjan, 1975): each number
// points towards the one that stands for its set.
type Union []int32

// NewUnion is n numbers, each a set of its own.
func NewUnion(n int) Union {
	union := make(Union, n)
	for i := range union {
		union[i] = int32(i)
	}
	return union
}

// Find is the number that stands for x's set.
func (u Union) Find(x int32) int32 {
	for u[x] != x {
		u[x] = u[u[x]]
		x = u[x]
	}
	return x
}

// Join makes the sets of x and y one, for which x's number stands; gone is the
// number that stood for y's. ok is false where they were one already.
func (u Union) Join(x, y int32) (stays, gone int32, ok bool) {
	stays, gone = u.Find(x), u.Find(y)
	if stays == gone {
		return stays, gone, false
	}
	u[gone] = stays
	return stays, gone, true
}
