package main

import (
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

// madeCmd writes what a package has beside the program, from the commands themselves.
func madeCmd(root *cobra.Command) *cobra.Command {
	return &cobra.Command{
		Use: "made DIR", Short: "Write man pages and completions into a folder", Hidden: true, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			man := filepath.Join(args[0], "man")
			if err := os.MkdirAll(man, 0o755); err != nil {
				return err
			}
			root.DisableAutoGenTag = true
			if err := doc.GenManTree(root, &doc.GenManHeader{Title: "KLAMMER", Section: "1", Source: "Klammer", Manual: "Klammer"}, man); err != nil {
				return err
			}
			for file, write := range map[string]func(string) error{
				"klammer.bash": func(f string) error { return root.GenBashCompletionFileV2(f, true) },
				"_klammer":     root.GenZshCompletionFile,
				"klammer.fish": func(f string) error { return root.GenFishCompletionFile(f, true) },
			} {
				if err := write(filepath.Join(args[0], file)); err != nil {
					return fmt.Errorf("%s: %w", file, err)
				}
			}
			return nil
		},
	}
}
