package server

import (
	"encoding/json"
	"net/http"
	"reflect"
	"strings"

	"github.com/swaggest/openapi-go"
	"github.com/swaggest/openapi-go/openapi31"

	"klammer/api"
)

// Description is the OpenAPI 3.1 description of the HTTP interface, made from
// the routes and the types of their handlers.
func Description() ([]byte, error) {
	reflector := openapi31.NewReflector()
	reflector.Spec.Info.WithTitle("Klammer").WithVersion("1")
	var server Server
	for _, route := range server.routes() {
		path := strings.NewReplacer(":id", "{id}", ":revision", "{revision}").Replace(route.path)
		op, err := reflector.NewOperationContext(route.method, path)
		if err != nil {
			return nil, err
		}
		op.SetSummary(route.summary)
		if strings.Contains(path, "{revision}") {
			op.AddReqStructure(struct {
				ID       int64 `path:"id"`
				Revision int64 `path:"revision"`
			}{})
		} else if strings.Contains(path, "{id}") {
			op.AddReqStructure(struct {
				ID int64 `path:"id"`
			}{})
		}
		if route.query != nil {
			op.AddReqStructure(route.query)
		}
		if route.in != nil {
			op.AddReqStructure(route.in)
		}
		if route.out != nil {
			op.AddRespStructure(route.out)
		} else {
			op.AddRespStructure(reflect.New(reflect.TypeFor[string]()).Interface(), openapi.WithContentType("text/plain"))
		}
		op.AddRespStructure(api.Problem{}, openapi.WithHTTPStatus(http.StatusBadRequest))
		if err := reflector.AddOperation(op); err != nil {
			return nil, err
		}
	}
	text, err := json.MarshalIndent(reflector.Spec, "", "  ")
	return append(text, '\n'), err
}
