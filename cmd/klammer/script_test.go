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
				for end := time.Now().Add(10 * time.Second); ; time.Sleep(10 * time.Millisecond) {
					if info, err := os.Stat(ts.MkAbs(args[0])); err == nil && info.Size() > 0 {
						return
					}
					if time.Now().After(end) {
						ts.Fatalf("%s is not there", args[0])
					}
				}
			},
			"waituntil": func(ts *testscript.TestScript, _ bool, args []string) { // FOLDER: until a server runs with it
				for end := time.Now().Add(60 * time.Second); ; time.Sleep(20 * time.Millisecond) {
					if url, ok := cluster.Running(args[0]); ok {
						st, err := store.Open(context.Background(), url)
						if err == nil {
							all, err := st.Offices(context.Background())
							st.Close()
							if err == nil && len(all) > 0 {
								return
							}
						}
					}
					if time.Now().After(end) {
						ts.Fatalf("no server runs with %s", args[0])
					}
				}
			},
			"change": func(ts *testscript.TestScript, _ bool, args []string) { // FROM TO PATTERN TEXT
				text := regexp.MustCompile("(?m)"+args[2]).ReplaceAllString(ts.ReadFile(args[0]), args[3])
				ts.Check(os.WriteFile(ts.MkAbs(args[1]), []byte(text), 0o644))
			},
		},
		UpdateScripts: os.Getenv("UPDATE") != "",
	})
}
