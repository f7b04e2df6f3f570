package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/spf13/pflag"
	"github.com/stretchr/testify/require"
)

// TestConfiguration: the file that the package brings has every word of klammer serve, and
// no other; what it says is taken, the environment goes before it, and a flag before both.
func TestConfiguration(t *testing.T) {
	text, err := os.ReadFile("../../packaging/klammer.toml")
	require.NoError(t, err)
	words := map[string]bool{}
	for _, m := range regexp.MustCompile(`(?m)^#?([a-z-]+) = `).FindAllStringSubmatch(string(text), -1) {
		require.False(t, words[m[1]], "%s stands twice", m[1])
		words[m[1]] = true
	}
	serveCmd().LocalFlags().VisitAll(func(f *pflag.Flag) {
		if f.Name != "config" && f.Name != "help" {
			require.True(t, words[f.Name], "%s is not in klammer.toml", f.Name)
			delete(words, f.Name)
		}
	})
	require.Empty(t, words, "these are no words of klammer serve")

	all := filepath.Join(t.TempDir(), "all.toml") // every line of it counts
	require.NoError(t, os.WriteFile(all, []byte(regexp.MustCompile(`(?m)^#([a-z-]+ = )`).ReplaceAllString(string(text), "$1")), 0o600))
	t.Setenv("KLAMMER_BACKUP_KEEP", "7")
	t.Setenv("KLAMMER_METRICS", "")
	cmd := serveCmd()
	require.NoError(t, cmd.ParseFlags([]string{"--listen", "127.0.0.1:1"}))
	require.NoError(t, configured(cmd, all))
	for name, want := range map[string]string{"listen": "127.0.0.1:1", "backup-keep": "7", "backup-every": "24h0m0s", "host": "[klammer.office]", "tls": "self", "metrics": "127.0.0.1:9180", "accounts": "true"} {
		require.Equal(t, want, cmd.Flags().Lookup(name).Value.String(), name)
	}
	t.Setenv("KLAMMER_BACKUP_KEEP", "many")
	require.ErrorContains(t, configured(serveCmd(), all), "KLAMMER_BACKUP_KEEP: backup-keep")
}

// TestUnit: systemd finds nothing wrong with the unit, and little that the server might do.
func TestUnit(t *testing.T) {
	if _, err := exec.LookPath("systemd-analyze"); err != nil {
		t.Skip("systemd-analyze is not here")
	}
	text, err := os.ReadFile("../../packaging/klammer.service")
	require.NoError(t, err)
	self, err := os.Executable()
	require.NoError(t, err)
	unit := filepath.Join(t.TempDir(), "klammer.service")
	require.NoError(t, os.WriteFile(unit, []byte(strings.Replace(string(text), "/usr/bin/klammer", self, 1)), 0o644))
	out, err := exec.Command("systemd-analyze", "verify", "--man=no", unit).CombinedOutput()
	require.NoError(t, err, "%s", out)
	require.NotContains(t, string(out), "klammer.service:", "of this unit nothing is said")
	out, err = exec.Command("systemd-analyze", "security", "--offline=true", "--threshold=20", "--no-pager", unit).CombinedOutput() // 2.0 of 10
	require.NoError(t, err, "%s", out)
	t.Logf("%s", out[strings.LastIndex(strings.TrimSpace(string(out)), "\n")+1:])
}
