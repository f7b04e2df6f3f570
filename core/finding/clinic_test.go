package finding

import (
	"fmt"
	"os"
	"testing"

	"klammer/core/notation"
	"klammer/core/span"
)

func TestTry(t *testing.T) {
	b, _ := os.ReadFile("../../demo/clinic.klm")
	f, err := notation.Read("clinic.klm", string(b))
	if err != nil {
		t.Fatal(err)
	}
	r := Check(span.Compile(f.Office))
	for _, x := range r.List() {
		fmt.Println(x.Severity, x.Code, x.VLANs, x.Ports, x.Text, "|", x.Cause, "|", r.Mends(x), len(x.Mends))
	}
	if f.String() != string(b) {
		fmt.Println(f.String())
	}
}
