package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"klammer/secrets"
	"klammer/server"
	"klammer/store"
)

func rekeyCmd() *cobra.Command {
	var at where
	var key string
	cmd := &cobra.Command{
		Use:   "rekey",
		Short: "Seal what is secret with a new key",
		Long: `Credentials are sealed with a key in a file of its own. This makes another, seals all of
them anew in one step, and puts it in the place of the old one, which is kept beside it
(.before) until you remove it: backups from before need it. No server may run meanwhile.`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return sayFailure(cmd, onDatabase(cmd, &at, true, func(ctx context.Context, url string) error {
				file := key
				if file == "" {
					dir, err := filepath.Abs(at.data)
					if err != nil {
						return err
					}
					file = dir + ".key"
				}
				if _, err := os.Stat(file); err != nil {
					return fmt.Errorf("there is no key yet: %w", err)
				}
				old, err := secrets.Load(file)
				if err != nil {
					return err
				}
				next, err := secrets.Load(file + ".next") // one that was left is taken up
				if err != nil {
					return err
				}
				st, err := store.Open(ctx, url)
				if err != nil {
					return err
				}
				defer st.Close()
				n, err := server.Rekey(ctx, st, old, next)
				if err != nil {
					return err
				}
				if err := os.Rename(file, file+".before"); err != nil {
					return err
				}
				if err := os.Rename(file+".next", file); err != nil {
					return err
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%d credentials are sealed with the key %s; the old key is in %s.before\n", n, next.ID(), file)
				return nil
			}))
		},
	}
	at.flags(cmd)
	cmd.Flags().StringVar(&key, "seal-key", "", "the file with the key; beside --data where none is said")
	return cmd
}
