package main

import (
	"bytes"
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/proof/short"
	"klammer/server"
	"klammer/store/cluster"
	"klammer/store/cluster/clustertest"
)

// said is what a command prints, while it runs.
type said struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (s *said) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.Write(p)
}

func (s *said) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.String()
}

// TestConfigurationLines starts the server with the packaged configuration, with each line of
// it that is commented out taken in, one by one, and with each group of such lines: it starts,
// or says what is missing, and that is so.
func TestConfigurationLines(t *testing.T) {
	short.Skip(t)
	dir, err := os.MkdirTemp("", "klammer-lines-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	c, err := cluster.Start(t.Context(), filepath.Join(dir, "db"), "fsync=off")
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Stop() })
	etc, lib := filepath.Join(dir, "etc"), filepath.Join(dir, "lib")
	for _, d := range []string{etc, filepath.Join(lib, "backups")} {
		require.NoError(t, os.MkdirAll(d, 0o755))
	}
	_, err = server.SelfMade(filepath.Join(etc, "klammer.pem"), filepath.Join(etc, "klammer.key"), []string{"klammer.office"}, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(etc, "mail-password"), []byte("hush\n"), 0o600))
	text, err := os.ReadFile("../../packaging/klammer.toml")
	require.NoError(t, err)
	there := strings.NewReplacer("/etc/klammer", etc, "/var/lib/klammer", lib, "/usr/share/doc/klammer", "../../demo", ":8080", ":0", ":9180", ":0").Replace(string(text))
	lines := strings.Split(there, "\n")
	commented := regexp.MustCompile(`^#([a-z-]+) = `)

	alone := map[string]string{ // what a line by itself lacks
		"cert":            "name both, with --cert and --key",
		"key":             "name both, with --cert and --key",
		"trusted-proxies": "start with --accounts, too",
		"mail-server":     "--mail-from",
		"stand-ins":       "there is no office to play yet: name one with --load",
	}
	type trial struct {
		name  string
		take  []int
		lacks string
	}
	trials := []trial{{name: "as it is installed"}}
	var group []int
	var names []string
	for i, l := range append(lines, "") {
		m := commented.FindStringSubmatch(l)
		if m != nil {
			trials = append(trials, trial{m[1], []int{i}, alone[m[1]]})
			group, names = append(group, i), append(names, m[1])
			continue
		}
		if len(group) > 1 {
			trials = append(trials, trial{strings.Join(names, " and "), group, ""})
		}
		group, names = nil, nil
	}
	require.Greater(t, len(trials), 14)
	for _, x := range trials {
		t.Run(x.name, func(t *testing.T) {
			own := append([]string{}, lines...)
			for _, i := range x.take {
				own[i] = strings.TrimPrefix(own[i], "#")
			}
			address := regexp.MustCompile(`(?m)^database-url = .*$`)
			file := filepath.Join(t.TempDir(), "klammer.toml")
			require.NoError(t, os.WriteFile(file, []byte(address.ReplaceAllLiteralString(strings.Join(own, "\n"), fmt.Sprintf("database-url = %q", clustertest.New(t, c.URL)))), 0o600))
			ctx, stop := context.WithCancel(t.Context())
			defer stop()
			out := &said{}
			cmd := serveCmd()
			cmd.SetArgs([]string{"--config", file})
			cmd.SetOut(out)
			cmd.SetErr(out)
			cmd.SilenceErrors, cmd.SilenceUsage = true, true
			ended := make(chan error, 1)
			go func() { ended <- cmd.ExecuteContext(ctx) }()
			if x.lacks != "" {
				require.Error(t, <-ended, out.String())
				require.Contains(t, out.String(), x.lacks)
				return
			}
			for until := time.After(60 * time.Second); !strings.Contains(out.String(), "Klammer is at"); {
				select {
				case err := <-ended:
					t.Fatalf("it does not start: %v\n%s", err, out)
				case <-until:
					t.Fatalf("it does not start:\n%s", out)
				case <-time.After(10 * time.Millisecond):
				}
			}
			require.NotContains(t, out.String(), "can be reached from elsewhere")
			stop()
			require.NoError(t, <-ended, out.String())
		})
	}
}
