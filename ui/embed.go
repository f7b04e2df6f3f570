// Package ui holds the front end as it was last built. Until it is built, Dist
// has only a placeholder, and the server says so.
package ui

import "embed"

// Dist is the built front end, under dist.
//
//go:embed all:dist
var Dist embed.FS
