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
	r := openapi31.NewReflector()
	r.Spec.Info.WithTitle("Klammer").WithVersion("1")
	var s Server
	for _, x := range s.routes() {
		path := strings.NewReplacer(":id", "{id}", ":revision", "{revision}").Replace(x.path)
		op, err := r.NewOperationContext(x.method, path)
		if err != nil {
			return nil, err
		}
		op.SetSummary(x.summary)
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
		if x.query != nil {
			op.AddReqStructure(x.query)
		}
		if x.in != nil {
			op.AddReqStructure(x.in)
		}
		if x.out != nil {
			op.AddRespStructure(x.out)
		} else {
			op.AddRespStructure(reflect.New(reflect.TypeFor[string]()).Interface(), openapi.WithContentType("text/plain"))
		}
		op.AddRespStructure(api.Problem{}, openapi.WithHTTPStatus(http.StatusBadRequest))
		if err := r.AddOperation(op); err != nil {
			return nil, err
		}
	}
	text, err := json.MarshalIndent(r.Spec, "", "  ")
	return append(text, '\n'), err
}
