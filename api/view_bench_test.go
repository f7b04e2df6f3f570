package api_test

import (
	"os"
	"testing"

	"klammer/api"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/span"
)

// BenchmarkView is what an edit costs the server beside the database: the view;
// and what trying the mends of all findings would cost, which nobody waits for.
func BenchmarkView(b *testing.B) {
	text, err := os.ReadFile("../demo/clinic.klm")
	if err != nil {
		b.Fatal(err)
	}
	f, err := notation.Read("clinic", string(text))
	if err != nil {
		b.Fatal(err)
	}
	r := finding.Check(span.Compile(f.Office))
	b.Run("whole", func(b *testing.B) {
		for b.Loop() {
			api.View(1, 1, r, nil)
		}
	})
	b.Run("mends", func(b *testing.B) {
		for b.Loop() {
			api.Findings(r, r.List(), 60)
		}
	})
}
