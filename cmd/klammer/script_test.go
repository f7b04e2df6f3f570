package main

import (
	"context"
	"os"
	"path/filepath"
	"regexp"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/testscript"

	"klammer/store"
	"klammer/store/cluster"
)

func TestMain(m *testing.M) {
	testscript.Main(m, map[string]func(){"klammer": main})
}

// TestCommandLine runs the scripts of testdata/script.
func TestCommandLine(t *testing.T) {
	clinic, err := filepath.Abs("../../demo/clinic.klm")
	if err != nil {
		t.Fatal(err)
	}
	testscript.Run(t, testscript.Params{
		Dir: "testdata/script",
		Setup: func(e *testscript.Env) error {
			text, err := os.ReadFile(clinic)
			if err != nil {
				return err
			}
			// A folder for a private database: where root runs this, postgres has to get into it.
			data, err := os.MkdirTemp("", "klammer-script-")
			if err != nil {
				return err
			}
			e.Defer(func() { os.RemoveAll(data) })
			if err := os.Chmod(data, 0o755); err != nil {
				return err
			}
			e.Setenv("DATA", filepath.Join(data, "klammer"))
			return os.WriteFile(filepath.Join(e.WorkDir, "clinic.klm"), text, 0o644)
		},
		Cmds: map[string]func(*testscript.TestScript, bool, []string){
			"waitfor": func(ts *testscript.TestScript, _ bool, args []string) { // FILE: until something is in it
				until(ts, args[0]+" is not there", func() bool {
					info, err := os.Stat(ts.MkAbs(args[0]))
					return err == nil && info.Size() > 0
				})
			},
			"waituntil": func(ts *testscript.TestScript, _ bool, args []string) { // FOLDER: until a server runs with it
				until(ts, "no server runs with "+args[0], func() bool {
					url, ok := cluster.Running(args[0])
					if !ok {
						return false
					}
					st, err := store.Open(context.Background(), url)
					if err != nil {
						return false
					}
					defer st.Close()
					all, err := st.Offices(context.Background())
					return err == nil && len(all) > 0
				})
			},
			"change": func(ts *testscript.TestScript, _ bool, args []string) { // FROM TO PATTERN TEXT
				text := regexp.MustCompile("(?m)"+args[2]).ReplaceAllString(ts.ReadFile(args[0]), args[3])
				ts.Check(os.WriteFile(ts.MkAbs(args[1]), []byte(text), 0o644))
			},
		},
		UpdateScripts: os.Getenv("UPDATE") != "",
	})
}

// until waits for what is meant, for a minute; otherwise is what the script fails with.
func until(ts *testscript.TestScript, otherwise string, is func() bool) {
	pace := time.NewTicker(20 * time.Millisecond)
	defer pace.Stop()
	for end := time.Now().Add(time.Minute); !is(); <-pace.C {
		if time.Now().After(end) {
			ts.Fatalf("%s", otherwise)
		}
	}
}
