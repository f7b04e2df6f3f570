// Package proof holds a plain second version of what core computes: maps and
// sets, one frame at a time, no cleverness. Property tests compare the two on
// generated offices, and benchmarks measure the one against the other.
package proof
