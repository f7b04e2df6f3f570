// Package short is what go test -short leaves out: what a developer runs after each
// change takes a minute and a half, and ./run test runs all of it.
package short

import "testing"

// Skip leaves a long test out of a short run.
func Skip(t testing.TB) {
	t.Helper()
	if testing.Short() {
		t.Skip("this takes long: ./run test runs it")
	}
}

// Met says that drawn cases met each thing that they are drawn for: without, a test says
// nothing. A short run draws a fifth of them, and need not.
func Met(t testing.TB, counts ...int) {
	t.Helper()
	for i, n := range counts {
		if n == 0 && !testing.Short() {
			t.Fatalf("the drawn cases did not meet what they are for: number %d of %d counts is 0", i+1, len(counts))
		}
	}
}
