package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/rogpeppe/go-internal/testscript"
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
			return os.WriteFile(filepath.Join(e.WorkDir, "clinic.klm"), text, 0o644)
		},
		UpdateScripts: os.Getenv("UPDATE") != "",
	})
}
