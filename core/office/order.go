package office

import (
	"fmt"
	"slices"
	"strings"
)

// Order is the order of one of an office's lists, as a Thing: its things by
// their keys, without the kind.
type Order struct {
	List  string // one of Lists
	Items []string
}

// Lists are the lists of an office whose order was given by people.
var Lists = []string{"uses", "plans", "devices", "cables", "plugs", "services", "wishes"}

func (o Order) Key() Key { return Key("order:" + o.List) }

// OrderOf is the order of a list as it is.
func OrderOf(o *Office, list string) Order {
	switch list {
	case "uses":
		return Order{list, items(o.Uses)}
	case "plans":
		return Order{list, items(o.Plans)}
	case "devices":
		return Order{list, items(o.Devices)}
	case "cables":
		return Order{list, items(o.Cables)}
	case "plugs":
		return Order{list, items(o.Plugs)}
	case "services":
		return Order{list, items(o.Services)}
	case "wishes":
		return Order{list, items(o.Wishes)}
	}
	return Order{list, []string{}}
}

// items is the names of things, without what kind of thing they are.
func items[T Thing](xs []T) []string {
	out := make([]string, len(xs))
	for i, x := range xs {
		_, out[i], _ = strings.Cut(string(x.Key()), ":")
	}
	return out
}

// arrange puts a list into an order of the things that it has.
func (d *Draft) arrange(order Order) error {
	was := OrderOf(&d.o, order.List)
	if slices.Equal(was.Items, order.Items) {
		return nil
	}
	at := map[string]int{}
	for i, x := range was.Items {
		at[x] = i
	}
	if len(was.Items) != len(order.Items) || !slices.Contains(Lists, order.List) {
		return fmt.Errorf("the order of the %s is of %d things, and there are %d", order.List, len(order.Items), len(was.Items))
	}
	places := make([]int, 0, len(order.Items))
	for _, x := range order.Items {
		i, ok := at[x]
		if !ok {
			return fmt.Errorf("the order of the %s has %s, which is not there", order.List, x)
		}
		delete(at, x)
		places = append(places, i)
	}
	d.take()
	d.note(was, order, 0)
	switch order.List {
	case "uses":
		d.o.Uses = arranged(d.o.Uses, places)
	case "plans":
		d.o.Plans = arranged(d.o.Plans, places)
	case "devices":
		d.o.Devices = arranged(d.o.Devices, places)
	case "cables":
		d.o.Cables = arranged(d.o.Cables, places)
	case "plugs":
		d.o.Plugs = arranged(d.o.Plugs, places)
	case "services":
		d.o.Services = arranged(d.o.Services, places)
	case "wishes":
		d.o.Wishes = arranged(d.o.Wishes, places)
	}
	d.ix = draftIndex{}
	return nil
}

// arranged is a list in another order: places are the old indexes, in the new order.
func arranged[T any](xs []T, places []int) []T {
	out := make([]T, len(xs))
	for i, p := range places {
		out[i] = xs[p]
	}
	return out
}
