package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"klammer/backup"
	"klammer/cmd/asking"
	"klammer/store/cluster"
)

// where is the database of a server, as its own flags and its configuration say it.
type where struct{ config, data, url string }

func (w *where) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&w.data, "data", defaultData(), "folder of the private database")
	cmd.Flags().StringVar(&w.url, "database-url", "", "the address of a database of your own, instead of a private one; better in the file or the environment")
	cmd.Flags().StringVar(&w.config, "config", "", "the file that the server is started with, as /etc/klammer/klammer.toml")
}

// onDatabase does something on the database that a server would serve. Alone says that
// no server may run on it meanwhile.
func onDatabase(cmd *cobra.Command, where *where, alone bool, do func(ctx context.Context, url string) error) error {
	ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := configured(cmd, where.config); err != nil {
		return err
	}
	if where.url != "" {
		return do(ctx, where.url)
	}
	dir, err := filepath.Abs(where.data)
	if err != nil {
		return err
	}
	if url, ok := cluster.Running(dir); ok && !alone {
		return do(ctx, url)
	}
	if _, err := os.Stat(filepath.Join(dir, "postgres")); err != nil && !alone {
		return fmt.Errorf("there is no database in %s: name its folder with --data, its address with --database-url, or the server's file with --config", dir)
	}
	one, err := cluster.Start(ctx, dir)
	if err != nil {
		return err
	}
	err = do(ctx, one.URL)
	return errors.Join(err, one.Stop())
}

func backupCmd() *cobra.Command {
	var at where
	cmd := &cobra.Command{
		Use:   "backup FILE",
		Short: "Keep everything in one file, and try it",
		Long: `Offices, their histories, what was found, orders, tests, people and the record, as they
are at one moment; a server may run meanwhile. The file is there whole or not at all:
it was restored into a scratch database and compared, table by table, before.

The key that credentials are sealed with (beside --data, .key) is not in it: keep it
elsewhere, or enter credentials again after a restore.`,
		Example: "  klammer backup klammer-monday.backup\n  sudo -u klammer klammer backup --config /etc/klammer/klammer.toml /var/lib/klammer/backups/monday.backup",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return sayFailure(cmd, onDatabase(cmd, &at, false, func(ctx context.Context, url string) error {
				if _, err := os.Stat(args[0]); err == nil {
					return fmt.Errorf("%s is there already: a backup takes nobody's place", args[0])
				}
				about, err := backup.Write(ctx, url, args[0])
				if err == nil {
					fmt.Fprintf(cmd.OutOrStdout(), "%s: %d tables, each tried\n", args[0], len(about.Rows))
				}
				return err
			}))
		},
	}
	at.flags(cmd)
	return cmd
}

func restoreCmd() *cobra.Command {
	var at where
	var check bool
	cmd := &cobra.Command{
		Use:   "restore FILE",
		Short: "Make everything what it was at a backup",
		Long: `What is there goes, and what the backup has comes, in one step or not at all. No server
may run on the database. The backup is tried first, in a scratch database; one that was
cut off or changed, or is of a newer Klammer, is refused, and nothing is changed. With
--check it is only tried.`,
		Example: "  klammer restore klammer-monday.backup\n  sudo -u klammer klammer restore --config /etc/klammer/klammer.toml /var/lib/klammer/backups/monday.backup",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return sayFailure(cmd, onDatabase(cmd, &at, !check, func(ctx context.Context, url string) error {
				do, says := backup.Restore, "restored"
				if check {
					do, says = backup.Check, "whole"
				}
				about, err := do(ctx, url, args[0])
				if err == nil {
					fmt.Fprintf(cmd.OutOrStdout(), "%s, of %s: %s, %d tables as they were\n", args[0], about.At.Local().Format("2006-01-02 15:04"), says, len(about.Rows))
					if names, err := backup.Who(ctx, url); err == nil && !check && len(names) > 0 {
						fmt.Fprintf(cmd.OutOrStdout(), "Sessions, tokens and invitations of then let nobody in: everybody signs in anew, with the passwords and passkeys of then. These have an account: %s. Remove under People who was removed since.\n", strings.Join(names, ", "))
					}
				}
				return err
			}))
		},
	}
	at.flags(cmd)
	cmd.Flags().BoolVar(&check, "check", false, "try it, and restore nothing")
	return cmd
}

// sayFailure says an error, with exit status 1.
func sayFailure(cmd *cobra.Command, err error) error {
	var status asking.Status
	if err != nil && !errors.As(err, &status) {
		fmt.Fprintln(cmd.ErrOrStderr(), "klammer:", err)
		return asking.Status(1)
	}
	return err
}

// timed is backups by a timer.
type timed struct {
	every time.Duration // 0 for none
	to    string
	keep  int

	failed func(error) // is told the first of several that fail one after the other
}

const timedName = "klammer-20060102-150405.backup"

// run makes backups until ctx ends: the first where the newest is older than the timer.
func (t *timed) run(ctx context.Context, url string, log *slog.Logger) {
	failing := false
	for {
		wait := t.every
		if at, ok := t.newest(); ok {
			wait = t.every - time.Since(at)
		} else {
			wait = 0
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(max(wait, 0)):
		}
		file := filepath.Join(t.to, time.Now().Format(timedName))
		if _, err := backup.Write(ctx, url, file); err != nil {
			if ctx.Err() == nil {
				log.Error("the backup by the timer failed", "error", err)
				if t.failed != nil && !failing {
					t.failed(err)
				}
				failing = true
			}
			select { // it is tried again soon
			case <-ctx.Done():
				return
			case <-time.After(min(t.every, 10*time.Minute)):
			}
			continue
		}
		failing = false
		log.Info("a backup was made", "file", file)
		if all := t.all(); len(all) > t.keep {
			for _, old := range all[:len(all)-t.keep] {
				if err := os.Remove(old); err != nil {
					log.Error("an old backup cannot be removed", "file", old, "error", err)
				}
			}
		}
	}
}

// all is the backups by the timer, the oldest first.
func (t *timed) all() []string {
	all, _ := filepath.Glob(filepath.Join(t.to, "klammer-*.backup"))
	all = slices.DeleteFunc(all, func(f string) bool {
		_, err := time.Parse(timedName, filepath.Base(f))
		return err != nil
	})
	slices.SortFunc(all, strings.Compare)
	return all
}

// newest is when the newest of them was made; not ok where there is none.
func (t *timed) newest() (at time.Time, ok bool) {
	all := t.all()
	if len(all) == 0 {
		return time.Time{}, false
	}
	at, err := time.ParseInLocation(timedName, filepath.Base(all[len(all)-1]), time.Local)
	return at, err == nil
}

// says tells where backups are made and of when the newest is, for whoever judges whether that is
// enough: one that is older than two turns of the timer is late.
func (t *timed) says() string {
	text := fmt.Sprintf("A backup is made every %s into %s on the server; the newest %d are kept. ", t.every, t.to, t.keep)
	at, ok := t.newest()
	if !ok {
		return text + "None was made yet."
	}
	text += "The newest is of " + at.UTC().Format("2 January 2006, 15:04") + " UTC"
	if time.Since(at) > 2*t.every {
		return text + ": it is late, and the server's log says why."
	}
	return text + "."
}

// check refuses what a timer cannot be.
func (t *timed) check() error {
	switch {
	case t.every == 0 && t.to == "":
		return nil
	case t.every < time.Minute:
		return fmt.Errorf("--backup-every is a minute or more, as 24h: found %s", t.every)
	case t.keep < 1:
		return fmt.Errorf("--backup-keep is 1 or more: found %d", t.keep)
	case t.to == "":
		return errors.New("--backup-every needs a folder: --backup-to /var/backups/klammer")
	}
	if info, err := os.Stat(t.to); err != nil || !info.IsDir() {
		return fmt.Errorf("--backup-to %s is no folder", t.to)
	}
	return nil
}
