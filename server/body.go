package server

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// body reads a JSON body as the description has it: what the tags of its type
// say (required, minimum, maxLength, enum …) is checked here, and nowhere else;
// an unknown field is an error, too. Each names its field.
func body(c fiber.Ctx, into any) error {
	text, err := received(c)
	if err != nil {
		return err
	}
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.DisallowUnknownFields()
	err = decoder.Decode(into)
	if err == nil && decoder.More() {
		err = errors.New("something follows the JSON document")
	}
	var shape *json.UnmarshalTypeError
	if name, ok := strings.CutPrefix(fmt.Sprint(err), "json: unknown field "); ok { // encoding/json has no type for it
		return bad(strings.Trim(name, `"`), "no such field is known here")
	} else if err != nil && !errors.As(err, &shape) {
		return bad("body", "this is not the JSON that is wanted: %s", strings.TrimPrefix(err.Error(), "json: "))
	}
	if wrong := described(into, text); wrong != nil {
		return wrong
	}
	if shape != nil {
		return bad(shape.Field, "a %s does not fit here", shape.Value)
	}
	return nil
}

// received reads a request's body, up to its limit and never unpacked. The guard may have read
// it before the handler does.
func received(c fiber.Ctx) ([]byte, error) {
	type came struct {
		text []byte
		err  error
	}
	was, ok := c.Locals("body").(came)
	if !ok { // what is too long is so whoever asks
		was.text, was.err = comesIn(c)
		c.Locals("body", was)
	}
	return was.text, was.err
}

func comesIn(c fiber.Ctx) ([]byte, error) {
	stream := c.Request().BodyStream()
	if stream == nil {
		return bytes.Clone(c.Request().Body()), nil
	}
	text, err := io.ReadAll(io.LimitReader(stream, bodyLimit+1))
	if err != nil {
		return nil, fiber.NewError(fiber.StatusRequestTimeout, "the request did not come in whole")
	}
	if len(text) > bodyLimit {
		_, _ = io.Copy(io.Discard, io.LimitReader(stream, 8*bodyLimit)) // what is a little too much is read past, to be answered
		return nil, fiber.ErrRequestEntityTooLarge
	}
	return text, nil
}

// description is what [Description] makes, kept as a file for the front end; a
// test holds the two together.
//
//go:embed openapi.json
var description []byte

// schemas are the description's, compiled: by the name of a type.
var schemas = sync.OnceValues(func() (func(name string) (*jsonschema.Schema, error), error) {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(description))
	if err != nil {
		return nil, err
	}
	compiler := jsonschema.NewCompiler()
	if err := compiler.AddResource("klammer:///description", doc); err != nil {
		return nil, err
	}
	var turn sync.Mutex // the compiler keeps what it has made
	return func(name string) (*jsonschema.Schema, error) {
		turn.Lock()
		defer turn.Unlock()
		return compiler.Compile("klammer:///description#/components/schemas/" + name)
	}, nil
})

// described holds a body against the description of its type; nil where it fits.
func described(into any, text []byte) error {
	t := reflect.TypeOf(into).Elem()
	pkg := t.PkgPath()[strings.LastIndexByte(t.PkgPath(), '/')+1:]
	find, err := schemas()
	if err != nil {
		return err
	}
	schema, err := find(strings.ToUpper(pkg[:1]) + pkg[1:] + t.Name())
	if err != nil {
		return err
	}
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	if err != nil {
		return bad("body", "this is not the JSON that is wanted")
	}
	var wrong *jsonschema.ValidationError
	if !errors.As(schema.Validate(doc), &wrong) {
		return nil
	}
	for len(wrong.Causes) > 0 { // the innermost says what is wrong
		wrong = wrong.Causes[0]
	}
	field, what := fieldName(wrong.InstanceLocation), misfit(wrong.ErrorKind)
	if required, ok := wrong.ErrorKind.(*kind.Required); ok {
		field = fieldName(append(wrong.InstanceLocation, required.Missing[0]))
	}
	if field == "" {
		field = "body"
	}
	return bad(field, "%s", what)
}

// fieldName is a place in a JSON document as people write it: commands[0].lines.
func fieldName(path []string) string {
	var text strings.Builder
	for _, p := range path {
		switch {
		case p != "" && p[0] >= '0' && p[0] <= '9':
			fmt.Fprintf(&text, "[%s]", p)
		case text.Len() > 0:
			text.WriteString("." + p)
		default:
			text.WriteString(p)
		}
	}
	return text.String()
}

// misfit says what would be right.
func misfit(one jsonschema.ErrorKind) string {
	switch k := one.(type) {
	case *kind.Required:
		return "it is missing"
	case *kind.Type:
		var want []string
		for _, word := range k.Want {
			if word != "null" {
				want = append(want, typeNames[word])
			}
		}
		return fmt.Sprintf("a %s does not fit here: %s is wanted", k.Got, strings.Join(want, " or "))
	case *kind.Minimum:
		return fmt.Sprintf("%s is too little: it is at least %s", k.Got.RatString(), k.Want.RatString())
	case *kind.Maximum:
		return fmt.Sprintf("%s is too much: it is at most %s", k.Got.RatString(), k.Want.RatString())
	case *kind.MaxLength:
		return fmt.Sprintf("it has %d letters: at most %d", k.Got, k.Want)
	case *kind.MinItems:
		return "the list is empty: it has at least one"
	case *kind.MaxItems:
		return fmt.Sprintf("the list has %d: at most %d", k.Got, k.Want)
	case *kind.Enum:
		var want []string
		for _, w := range k.Want {
			want = append(want, fmt.Sprint(w))
		}
		last := len(want) - 1
		return fmt.Sprintf("%q is not it: %s or %s", fmt.Sprint(k.Got), strings.Join(want[:last], ", "), want[last])
	}
	return one.LocalizedString(message.NewPrinter(language.English))
}

var typeNames = map[string]string{"integer": "a whole number", "number": "a number", "string": "a text", "boolean": "true or false", "array": "a list", "object": "an object"}
