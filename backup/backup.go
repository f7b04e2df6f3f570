// Package backup keeps a whole database in one file, and brings it back: offices and their
// histories, what was found, orders, tests, people. PostgreSQL's own programs write and
// read it; that what is in the file is what was in the database is tried each time, table by
// table, in a scratch database.
//
// The file is a tar (POSIX.1-2001): klammer.json says what it is, database.dump is what
// pg_dump writes in its custom format. The key that credentials are sealed with is not in
// it.
package backup

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"klammer/store"
	"klammer/store/cluster"
)

// About is what a backup says of itself.
type About struct {
	Klammer string            `json:"klammer"` // "backup 1"
	At      time.Time         `json:"at"`
	Tables  int64             `json:"tables"` // of which form they are: the newest migration
	SHA256  string            `json:"sha256"` // of the dump
	Rows    map[string]string `json:"rows"`   // by table: how many, and a digest of all
}

const (
	format   = "backup 1"
	aboutIn  = "klammer.json"
	dumpIn   = "database.dump"
	aboutMax = 1 << 20
)

// Write keeps a database in a file, which is there whole or not at all, and tries it.
func Write(ctx context.Context, url, file string) (*About, error) {
	sweepFolder(filepath.Dir(file))
	dir, err := os.MkdirTemp(filepath.Dir(file), ".klammer-backup-")
	if err != nil {
		return nil, fmt.Errorf("the backup cannot be written: %w", err)
	}
	defer os.RemoveAll(dir)
	dump := filepath.Join(dir, dumpIn)
	about, err := dumped(ctx, url, dump)
	if err != nil {
		return nil, err
	}
	whole := filepath.Join(dir, "whole")
	if err := packed(about, dump, whole); err != nil {
		return nil, fmt.Errorf("the backup cannot be written: %w", err)
	}
	if _, err := Check(ctx, url, whole); err != nil {
		return nil, fmt.Errorf("the backup that was written is not what is in the database: %w", err)
	}
	return about, os.Rename(whole, file)
}

// dumped dumps a database as it is at one moment, and says what was in it at that.
func dumped(ctx context.Context, url, dump string) (*About, error) {
	conn, err := connect(ctx, url)
	if err != nil {
		return nil, err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	about := &About{Klammer: format, At: time.Now().UTC().Truncate(time.Second)}
	err = pgx.BeginTxFunc(ctx, conn, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		var moment string
		if err := tx.QueryRow(ctx, "SELECT pg_export_snapshot()").Scan(&moment); err != nil {
			return err
		}
		if about.Tables, err = store.Form(ctx, tx); err != nil {
			return err
		}
		if about.Rows, err = digests(ctx, tx); err != nil {
			return err
		}
		return program(ctx, conn.Config(), "pg_dump", "--format=custom", "--no-owner", "--no-acl", "--snapshot="+moment, "--file="+dump)
	})
	if err != nil {
		return nil, err
	}
	about.SHA256, err = sum(dump)
	return about, err
}

// digests is what is in each table, however its rows lie.
func digests(ctx context.Context, tx pgx.Tx) (map[string]string, error) {
	if _, err := tx.Exec(ctx, "SET LOCAL TIME ZONE 'UTC'; SET LOCAL DateStyle = 'ISO'; SET LOCAL extra_float_digits = 3; SET LOCAL bytea_output = 'hex'"); err != nil {
		return nil, err
	}
	rows, err := tx.Query(ctx, "SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1")
	if err != nil {
		return nil, err
	}
	tables, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, text := range tables {
		var n int64
		var digest string
		err := tx.QueryRow(ctx, "SELECT count(*), COALESCE(md5(string_agg(md5(t::text), '' ORDER BY md5(t::text))), '') FROM "+pgx.Identifier{text}.Sanitize()+" AS t").Scan(&n, &digest)
		if err != nil {
			return nil, err
		}
		out[text] = fmt.Sprintf("%d %s", n, digest)
	}
	return out, nil
}

func packed(about *About, dump, file string) error {
	text, err := json.MarshalIndent(about, "", "  ")
	if err != nil {
		return err
	}
	in, err := os.Open(dump)
	if err != nil {
		return err
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil {
		return err
	}
	out, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	writer := tar.NewWriter(out)
	write := func(name string, size int64, from io.Reader) {
		if err == nil {
			err = writer.WriteHeader(&tar.Header{Name: name, Size: size, Mode: 0o600, ModTime: about.At, Format: tar.FormatPAX})
		}
		if err == nil {
			_, err = io.Copy(writer, from)
		}
	}
	write(aboutIn, int64(len(text)), strings.NewReader(string(text)))
	write(dumpIn, info.Size(), in)
	return errors.Join(err, writer.Close(), out.Sync(), out.Close())
}

// unpacked takes a backup apart into a folder; the errors say what is wrong with it.
func unpacked(file, dir string) (*About, error) {
	in, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil {
		return nil, err
	}
	broken := func(err error) error {
		return fmt.Errorf("%s is no whole backup of Klammer: %w", file, err)
	}
	read := &counted{Reader: in}
	reader := tar.NewReader(read)
	header, err := reader.Next()
	if err != nil || header.Name != aboutIn || header.Size > aboutMax {
		return nil, broken(errors.Join(err, errors.New("it does not begin as one")))
	}
	about := &About{}
	if err := json.NewDecoder(reader).Decode(about); err != nil {
		return nil, broken(err)
	}
	if about.Klammer != format {
		return nil, broken(fmt.Errorf("it is a %q, and this Klammer reads %q", about.Klammer, format))
	}
	if newest := store.NewestForm(); about.Tables > newest {
		return nil, fmt.Errorf("%s is of a newer Klammer (its tables are of form %d, and this one knows %d): install that one first", file, about.Tables, newest)
	}
	if header, err = reader.Next(); err != nil || header.Name != dumpIn || header.Size > info.Size() { // nothing in it is larger than the whole: no holes that fill a disk
		return nil, broken(errors.Join(err, errors.New("it is cut off")))
	}
	dump := filepath.Join(dir, dumpIn)
	out, err := os.OpenFile(dump, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	_, err = io.Copy(out, reader)
	if more := out.Close(); err == nil {
		err = more
	}
	if err != nil {
		return nil, broken(err)
	}
	// What comes after is two blocks of nothing, and no more (POSIX.1-2001, pax).
	const block = 512
	end := make([]byte, 2*block)
	at := (read.n + block - 1) / block * block
	if info.Size() != at+2*block {
		return nil, broken(fmt.Errorf("it has %d bytes, and should have %d: something is behind it, or it is cut off", info.Size(), at+2*block))
	}
	if _, err := in.ReadAt(end, at); err != nil || !bytes.Equal(end, make([]byte, 2*block)) {
		return nil, broken(errors.Join(err, errors.New("something is behind it")))
	}
	if is, err := sum(dump); err != nil || is != about.SHA256 {
		return nil, broken(errors.Join(err, errors.New("it was changed, or is cut off")))
	}
	return about, nil
}

// counted counts what was read.
type counted struct {
	io.Reader
	n int64
}

func (c *counted) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.n += int64(n)
	return n, err
}

// Check tries a backup: it is restored into a scratch database beside the one of the
// address, and compared with what it says of itself.
func Check(ctx context.Context, url, file string) (*About, error) {
	dir, err := os.MkdirTemp("", "klammer-check-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	about, err := unpacked(file, dir)
	if err != nil {
		return nil, err
	}
	return about, scratched(ctx, url, filepath.Join(dir, dumpIn), about)
}

// scratched restores a dump into a database of its own, which goes again.
func scratched(ctx context.Context, url, dump string, about *About) error {
	conn, err := connect(ctx, url)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if err := sweep(ctx, conn); err != nil {
		return err
	}
	name := scratch + strings.ToLower(rand.Text()[:10])
	if _, err := conn.Exec(ctx, "SELECT pg_advisory_lock(hashtext($1))", name); err != nil { // until the connection ends: somebody is at it
		return err
	}
	if _, err := conn.Exec(ctx, "CREATE DATABASE "+name+" TEMPLATE template0"); err != nil {
		return fmt.Errorf("a scratch database to try the backup in cannot be made: %w", err)
	}
	defer func() {
		_, _ = conn.Exec(context.WithoutCancel(ctx), "DROP DATABASE "+name+" WITH (FORCE)")
	}()
	cfg := conn.Config().Copy()
	cfg.Database = name
	if err := program(ctx, cfg, "pg_restore", "--exit-on-error", "--no-owner", "--no-acl", "--dbname="+name, dump); err != nil {
		return err
	}
	there, err := pgx.ConnectConfig(ctx, cfg)
	if err != nil {
		return err
	}
	defer there.Close(context.WithoutCancel(ctx))
	return same(ctx, there, about)
}

// scratch is what the names of databases begin with in which backups are tried.
const scratch = "klammer_check_"

// Sweep removes the databases that a backup or a restore left behind that was killed: there is
// everything in them.
func Sweep(ctx context.Context, url string) error {
	conn, err := connect(ctx, url)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	return sweep(ctx, conn)
}

func sweep(ctx context.Context, conn *pgx.Conn) error {
	rows, err := conn.Query(ctx, "SELECT datname FROM pg_database WHERE starts_with(datname, $1) AND pg_get_userbyid(datdba) = current_user", scratch)
	if err != nil {
		return err
	}
	all, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	for _, name := range all {
		var free bool // nobody is at it
		if err := conn.QueryRow(ctx, "SELECT pg_try_advisory_lock(hashtext($1))", name).Scan(&free); err != nil || !free {
			continue
		}
		_, err := conn.Exec(ctx, "DROP DATABASE IF EXISTS "+pgx.Identifier{name}.Sanitize()+" WITH (FORCE)")
		_, unlock := conn.Exec(ctx, "SELECT pg_advisory_unlock(hashtext($1))", name)
		if err := errors.Join(err, unlock); err != nil {
			return err
		}
	}
	return nil
}

// sweepFolder removes what a backup left there that was killed more than a day ago.
func sweepFolder(dir string) {
	left, _ := filepath.Glob(filepath.Join(dir, ".klammer-backup-*"))
	for _, line := range left {
		if info, err := os.Stat(line); err == nil && time.Since(info.ModTime()) > 24*time.Hour {
			_ = os.RemoveAll(line)
		}
	}
}

// same says which tables of a database are not as a backup has them.
func same(ctx context.Context, conn *pgx.Conn, about *About) error {
	var is map[string]string
	err := pgx.BeginTxFunc(ctx, conn, pgx.TxOptions{AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) (err error) {
		is, err = digests(ctx, tx)
		return err
	})
	if err != nil {
		return err
	}
	var others []string
	for text, d := range about.Rows {
		if is[text] != d {
			others = append(others, text)
		}
	}
	if len(others) > 0 || len(is) != len(about.Rows) {
		slices.Sort(others)
		return fmt.Errorf("these tables are not as the backup says: %s", strings.Join(others, ", "))
	}
	return nil
}

// openers are the tables of what lets somebody in besides the password and the passkeys of an
// account. What ended, was used or was taken back since the backup would come back with it, so
// after a restore they are empty, and everybody signs in anew.
var openers = []string{"session", "token", "invitation", "ceremony", "known_browser"}

// shut is the statements that empty them; a backup of an older form may lack some.
func shut() string {
	var text strings.Builder
	for _, t := range openers {
		fmt.Fprintf(&text, "DO $$ BEGIN IF to_regclass('public.%[1]s') IS NOT NULL THEN DELETE FROM public.%[1]s; END IF; END $$;\n", t)
	}
	return text.String()
}

// Restore makes a database what a backup is of, in one step, or leaves it as it is; what let
// somebody in then lets nobody in any more ([openers]). No server may be on it meanwhile. It is
// tried in a scratch database first.
func Restore(ctx context.Context, url, file string) (*About, error) {
	dir, err := os.MkdirTemp("", "klammer-restore-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	about, err := unpacked(file, dir)
	if err != nil {
		return nil, err
	}
	dump := filepath.Join(dir, dumpIn)
	if err := scratched(ctx, url, dump, about); err != nil {
		return nil, err
	}
	conn, err := connect(ctx, url)
	if err != nil {
		return nil, err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	var others int
	if err := conn.QueryRow(ctx, "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND application_name = 'klammer' AND pid <> pg_backend_pid()").Scan(&others); err != nil {
		return nil, err
	}
	if others > 0 {
		return nil, errors.New("a Klammer serves this database: stop it first, as what it shows would be of before")
	}
	// The statements of the whole restore, after everything that is there is gone: one
	// transaction.
	script := filepath.Join(dir, "restore.sql")
	if err := program(ctx, conn.Config(), "pg_restore", "--exit-on-error", "--no-owner", "--no-acl", "--file="+script+".dump", dump); err != nil {
		return nil, err
	}
	gone := "DROP SCHEMA public CASCADE;\nCREATE SCHEMA public;\n"
	if err := os.WriteFile(script, []byte(gone), 0o600); err != nil {
		return nil, err
	}
	if err := os.WriteFile(script+".shut", []byte(shut()), 0o600); err != nil {
		return nil, err
	}
	err = program(ctx, conn.Config(), "psql", "--no-psqlrc", "--quiet", "--single-transaction", "--set=ON_ERROR_STOP=1", "--output="+os.DevNull, "--file="+script, "--file="+script+".dump", "--file="+script+".shut")
	if err != nil {
		return nil, err
	}
	there := *about
	there.Rows = maps.Clone(about.Rows)
	for _, text := range openers {
		if there.Rows[text] != "" {
			there.Rows[text] = "0 "
		}
	}
	return about, same(ctx, conn, &there)
}

// Who tells the names of those who have an account in a database, for whoever restored it to
// look whether one of them was removed since.
func Who(ctx context.Context, url string) (names []string, err error) {
	conn, err := connect(ctx, url)
	if err != nil {
		return nil, err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	rows, err := conn.Query(ctx, "SELECT name FROM person ORDER BY lower(name)")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func connect(ctx context.Context, url string) (*pgx.Conn, error) {
	cfg, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database address is not one: %w", err)
	}
	cfg.ConnectTimeout = 5 * time.Second
	return pgx.ConnectConfig(ctx, cfg)
}

// program runs one of PostgreSQL's programs on a database; what it needs to get in is in no
// list of processes.
func program(ctx context.Context, cfg *pgx.ConnConfig, name string, args ...string) error {
	bin, err := cluster.Programs()
	if err != nil {
		return err
	}
	cmd := exec.CommandContext(ctx, filepath.Join(bin, name), args...)
	cmd.Env = append(append(os.Environ(), environment(cfg)...), "PGAPPNAME=klammer-backup", "LC_ALL=C.UTF-8")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w: %s", name, err, strings.TrimSpace(string(out)))
	}
	return nil
}

func sum(file string) (string, error) {
	one, err := os.Open(file)
	if err != nil {
		return "", err
	}
	defer one.Close()
	hash := sha256.New()
	if _, err := io.Copy(hash, one); err != nil {
		return "", err
	}
	return hex.EncodeToString(hash.Sum(nil)), nil
}
