// Package equality finds fields that a comparison forgets.
package equality

import (
	"fmt"
	"reflect"
)

// Uncounted lists the exported fields of a struct that its equality does not
// look at: each is made another than in the zero value, and the two compared.
// Fields in but are left out, for a reason that the test says.
func Uncounted[T any](equal func(a, b T) bool, but ...string) (out []string) {
	var zero T
	t := reflect.TypeOf(zero)
fields:
	for i := range t.NumField() {
		f := t.Field(i)
		for _, b := range but {
			if b == f.Name {
				continue fields
			}
		}
		if !f.IsExported() {
			continue
		}
		var other T
		if !another(reflect.ValueOf(&other).Elem().Field(i)) {
			out = append(out, fmt.Sprintf("%s (no other value is known of %s)", f.Name, f.Type))
			continue
		}
		if equal(zero, other) || equal(other, zero) {
			out = append(out, f.Name)
		}
	}
	return out
}

// another makes a value another than its zero.
func another(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.Bool:
		v.SetBool(true)
	case reflect.String:
		v.SetString("x")
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		v.SetInt(1)
	case reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		v.SetUint(1)
	case reflect.Slice:
		one := reflect.MakeSlice(v.Type(), 1, 1)
		another(one.Index(0))
		v.Set(one)
	case reflect.Array:
		return another(v.Index(0))
	case reflect.Struct:
		return another(v.Field(0))
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
	default:
		return false
	}
	return true
}
