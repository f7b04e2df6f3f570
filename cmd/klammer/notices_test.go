package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestNotices: the notices that the program brings name every module that is built into it, and
// every package that its pages are made of, with a text for each.
func TestNotices(t *testing.T) {
	text, err := os.ReadFile("../../ui/public/notices.txt")
	require.NoError(t, err)
	all := string(text)
	out, err := exec.Command("go", "list", "-deps", "-f", "{{with .Module}}{{if not .Main}}{{.Path}}{{end}}{{end}}", ".").Output()
	require.NoError(t, err)
	modules := map[string]bool{}
	for path := range strings.FieldsSeq(string(out)) {
		modules[path] = true
		require.Regexp(t, `(?m)^`+regexp.QuoteMeta(path)+`(/\S+)? \(Go\)$`, all, "./run notices")
	}
	require.Greater(t, len(modules), 50)
	var pages struct {
		Dependencies map[string]string `json:"dependencies"`
	}
	text, err = os.ReadFile("../../ui/package.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &pages))
	for name := range pages.Dependencies {
		require.Contains(t, all, "\n"+name+" (npm)\n", "./run notices")
	}
	require.NotRegexp(t, `(?m)^-{72}\n\s*\n={72}$`, all, "none is without a text")
}
