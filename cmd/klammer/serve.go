package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/signal"
	"path/filepath"
	"strconv"
	"syscall"

	"github.com/spf13/cobra"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/span"
	"klammer/field/standin"
	"klammer/secrets"
	"klammer/server"
	"klammer/store"
	"klammer/store/cluster"
)

func serveCmd() *cobra.Command {
	var listen, data, load, asIs, key string
	var standIns string
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Serve the web application on this machine",
		Long: `Serve the web application on a loopback address, as there are no accounts yet.

Offices are kept in PostgreSQL: a private server that is started in the folder
--data, or the one that KLAMMER_DATABASE_URL names.`,
		Example: "  klammer serve --load demo/clinic.klm\n  KLAMMER_DATABASE_URL=postgres://me@db/office klammer serve",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			err := serve(ctx, cmd, serving{listen, data, load, asIs, key, standIns})
			var s status
			if err != nil && !errors.As(err, &s) {
				fmt.Fprintln(cmd.ErrOrStderr(), "klammer:", err)
				return status(1)
			}
			return err
		},
	}
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:8080", "loopback address and port; the next free port is taken where it is in use")
	cmd.Flags().StringVar(&data, "data", defaultData(), "folder of the private database")
	cmd.Flags().StringVar(&load, "load", "", "an office to load where the database has none yet")
	cmd.Flags().StringVar(&asIs, "as-is", "", "with --load: the same office as its devices are set to; a work order leads from there")
	cmd.Flags().StringVar(&key, "key", "", "the file with the key that credentials are sealed with; beside --data where none is said")
	cmd.Flags().StringVar(&standIns, "stand-ins", "", "play the devices of the first office, so that they can be read and set: as they are in this file")
	for _, made := range []struct {
		name, short string
		text        func() ([]byte, error)
	}{
		{"describe", "Print the OpenAPI description of the HTTP interface", server.Description},
		{"words", "Print the words of the core as the page has them", server.Words},
	} {
		cmd.AddCommand(&cobra.Command{
			Use: made.name, Short: made.short, Args: cobra.NoArgs,
			RunE: func(cmd *cobra.Command, _ []string) error {
				text, err := made.text()
				if err == nil {
					_, err = cmd.OutOrStdout().Write(text)
				}
				return err
			},
		})
	}
	return cmd
}

// defaultData is where the private database lives. The user postgres has to
// get there where root starts it, so it is not in root's home.
func defaultData() string {
	if os.Geteuid() == 0 {
		return "/var/lib/klammer"
	}
	if d := os.Getenv("XDG_DATA_HOME"); d != "" {
		return filepath.Join(d, "klammer")
	}
	home, _ := os.UserHomeDir()
	return filepath.Join(home, ".local", "share", "klammer")
}

// serving is what a server is started with.
type serving struct {
	listen, data, load, asIs, key, standIns string
}

func serve(ctx context.Context, cmd *cobra.Command, with serving) error {
	ctx, end := context.WithCancel(ctx)
	defer end()
	out := cmd.OutOrStdout()
	log := slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), nil))
	l, err := listenOn(out, with.listen)
	if err != nil {
		return err
	}
	defer l.Close()
	data, err := filepath.Abs(with.data)
	if err != nil {
		return err
	}
	url := os.Getenv("KLAMMER_DATABASE_URL")
	if url == "" {
		c, err := cluster.Start(ctx, data)
		if err != nil {
			return err
		}
		watched := make(chan struct{})
		go func() {
			defer close(watched)
			c.Watch(ctx, log)
		}()
		defer func() {
			end()
			<-watched
			if err := c.Stop(); err != nil {
				log.Error("stopping the database", "error", err)
			}
		}()
		url = c.URL
	}
	st, err := store.Open(ctx, url)
	if err != nil {
		return err
	}
	defer st.Close()
	fresh := false
	if with.load != "" {
		if fresh, err = loadOnce(ctx, cmd, st, with.load, with.asIs); err != nil {
			return err
		}
	}
	to := server.Field{}
	if with.key == "" {
		with.key = data + ".key"
	}
	if to.Key, err = secrets.Load(with.key); err != nil {
		return err
	}
	if with.standIns != "" {
		played, at, err := playFirst(ctx, cmd, st, with.standIns, fresh)
		if err != nil {
			return err
		}
		defer played.Wait()
		defer end()
		to.At = at
	}
	srv := server.New(ctx, st, log)
	srv.SpeakTo(to)
	fmt.Fprintf(out, "Klammer is at http://%s (Ctrl-C stops it)\n", l.Addr())
	err = srv.Serve(l)
	if ctx.Err() != nil {
		return nil
	}
	return err
}

// playFirst plays the devices of the first office: as they are in a file where the
// office is fresh, else as they were found last.
func playFirst(ctx context.Context, cmd *cobra.Command, st *store.Store, file string, fresh bool) (*standin.Network, map[int64]map[string]string, error) {
	all, err := st.Offices(ctx)
	if err != nil || len(all) == 0 {
		return nil, nil, errors.Join(err, errors.New("--stand-ins: there is no office to play yet: name one with --load"))
	}
	o, _, err := st.Load(ctx, all[0].ID)
	if err != nil {
		return nil, nil, err
	}
	f, err := read(cmd, file)
	if err != nil {
		return nil, nil, err
	}
	was := f.Office
	if !fresh {
		now, err := st.FoundNow(ctx, all[0].ID)
		if err != nil {
			return nil, nil, err
		}
		kept := map[string]found.Kept{}
		for d, f := range now {
			kept[d] = f.Kept()
		}
		if was, err = found.AsFound(span.Compile(was), kept); err != nil {
			return nil, nil, err
		}
	}
	w, at, err := standin.Start(ctx, o, was, 0, standin.Options{})
	if err != nil {
		return nil, nil, err
	}
	where := map[string]string{}
	for _, l := range at {
		where[l.Device] = l.At
	}
	return w, map[int64]map[string]string{all[0].ID: where}, nil
}

// loadOnce reads an office into an empty database, and says whether it was empty. A
// file with a mistake changes nothing.
func loadOnce(ctx context.Context, cmd *cobra.Command, st *store.Store, file, asIs string) (bool, error) {
	all, err := st.Offices(ctx)
	if err != nil || len(all) > 0 {
		return false, err
	}
	f, err := read(cmd, file)
	if err != nil {
		return false, err
	}
	var was *notation.File
	if asIs != "" {
		if was, err = read(cmd, asIs); err != nil {
			return false, err
		}
	}
	note := store.Note{Author: "klammer", Summary: "read from " + filepath.Base(file)}
	id, err := st.Import(ctx, f.Office, note)
	if err != nil || was == nil {
		return true, err
	}
	return true, server.Begin(ctx, st, id, 1, was.Office, f.Office, note.Author)
}

// listenOn takes the address, or the next port that is free, and says so.
func listenOn(out interface{ Write([]byte) (int, error) }, address string) (net.Listener, error) {
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, fmt.Errorf("--listen %s: write an address and a port, such as 127.0.0.1:8080", address)
	}
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return nil, fmt.Errorf("--listen %s: Klammer listens on loopback only until it has accounts: 127.0.0.1 or [::1]", address)
	}
	first, err := strconv.Atoi(port)
	if err != nil || first < 0 || first > 65535 {
		return nil, fmt.Errorf("--listen %s: %q is not a port", address, port)
	}
	var l net.Listener
	for p := first; p <= min(first+50, 65535); p++ {
		if l, err = net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(p))); err == nil {
			if p != first {
				fmt.Fprintf(out, "port %d is in use: taking %d\n", first, p)
			}
			return l, nil
		}
		if !errors.Is(err, syscall.EADDRINUSE) {
			break
		}
	}
	return nil, fmt.Errorf("--listen %s: %w", address, err)
}
