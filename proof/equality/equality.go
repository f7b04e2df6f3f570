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
		field := t.Field(i)
		for _, b := range but {
			if b == field.Name {
				continue fields
			}
		}
		if !field.IsExported() {
			continue
		}
		var other T
		if !another(reflect.ValueOf(&other).Elem().Field(i)) {
			out = append(out, fmt.Sprintf("%s (no other value is known of %s)", field.Name, field.Type))
			continue
		}
		if equal(zero, other) || equal(other, zero) {
			out = append(out, field.Name)
		}
	}
	return out
}

// another makes a value another than its zero.
func another(value reflect.Value) bool {
	switch value.Kind() {
	case reflect.Bool:
		value.SetBool(true)
	case reflect.String:
		value.SetString("x")
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		value.SetInt(1)
	case reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		value.SetUint(1)
	case reflect.Slice:
		one := reflect.MakeSlice(value.Type(), 1, 1)
		another(one.Index(0))
		value.Set(one)
	case reflect.Array:
		return another(value.Index(0))
	case reflect.Struct:
		return another(value.Field(0))
	case reflect.Pointer:
		value.Set(reflect.New(value.Type().Elem()))
	default:
		return false
	}
	return true
}
