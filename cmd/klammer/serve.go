package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strconv"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"klammer/backup"
	"klammer/cmd/asking"
	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/field"
	"klammer/field/standin"
	"klammer/mishap"
	"klammer/secrets"
	"klammer/server"
	"klammer/store"
	"klammer/store/cluster"
)

func serveCmd() *cobra.Command {
	var with serving
	var config string
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Serve the web application",
		Long: `Serve the web application. On a loopback address it asks only for a name, as whoever
is at the machine may everything. On any other address people sign in, over TLS: with
a certificate of one's own (--cert, --key), or one that Klammer makes (--tls self). The
first start prints a link with which the first account is made.

Offices are kept in PostgreSQL: a private server that is started in the folder
--data, or the one that --database-url or KLAMMER_DATABASE_URL names.`,
		Example: "  klammer serve --load demo/clinic.klm\n  klammer serve --listen 192.0.2.10:8443 --tls self --host klammer.office\n  KLAMMER_DATABASE_URL=postgres://me@db/office klammer serve",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			mishap.Told = nil // the log has it
			if err := configured(cmd, config); err != nil {
				return sayFailure(cmd, err)
			}
			return sayFailure(cmd, serve(ctx, cmd, with))
		},
	}
	cmd.Flags().StringVar(&with.listen, "listen", "127.0.0.1:8080", "address and port; on a loopback address the next free port is taken where it is in use")
	cmd.Flags().StringVar(&with.cert, "cert", "", "the server's certificate, in PEM; read again when it changes")
	cmd.Flags().StringVar(&with.certKey, "key", "", "the key of the certificate, in PEM")
	cmd.Flags().StringVar(&with.tls, "tls", "", "self: Klammer makes its certificate itself, and prints by what one knows it")
	cmd.Flags().StringSliceVar(&with.hosts, "host", nil, "names and addresses of the certificate that Klammer makes")
	cmd.Flags().DurationVar(&with.backups.every, "backup-every", 0, "make a backup by itself that often, as 24h; 0 for never")
	cmd.Flags().StringVar(&with.backups.to, "backup-to", "", "the folder of those backups")
	cmd.Flags().IntVar(&with.backups.keep, "backup-keep", 14, "how many of them are kept")
	with.outward.flags(cmd)
	cmd.Flags().StringVar(&config, "config", "", "a file with the words below, in TOML; each is KLAMMER_… in the environment too, as KLAMMER_BACKUP_TO")
	cmd.Flags().StringVar(&with.database, "database-url", "", "the address of a database of your own, instead of a private one; better in the file or the environment, as it has a password")
	cmd.Flags().StringVar(&with.metrics, "metrics", "", "a loopback address for what the server measures of itself, as 127.0.0.1:9180 (Prometheus)")
	cmd.Flags().BoolVar(&with.json, "log-json", false, "write the log as JSON")
	cmd.Flags().BoolVar(&with.accounts, "accounts", false, "people sign in, on a loopback address too")
	cmd.Flags().StringSliceVar(&with.proxies, "trusted-proxies", nil, "with --accounts: addresses and networks of proxies that TLS ends at, and whose word about who asks counts, as 127.0.0.1; --host says by which names they are asked")
	cmd.Flags().StringVar(&with.data, "data", defaultData(), "folder of the private database")
	cmd.Flags().StringVar(&with.load, "load", "", "an office to load where the database has none yet")
	cmd.Flags().StringVar(&with.asIs, "as-is", "", "with --load: the same office as its devices are set to; a work order leads from there")
	cmd.Flags().StringVar(&with.sealKey, "seal-key", "", "the file with the key that credentials are sealed with; beside --data where none is said")
	cmd.Flags().StringVar(&with.standIns, "stand-ins", "", "play the devices of the first office, so that they can be read and set: as they are in this file")
	for _, made := range []struct {
		name, short string
		text        func() ([]byte, error)
	}{
		{"describe", "Print the OpenAPI description of the HTTP interface", server.Description},
		{"rights", "Print who may ask for what, where people sign in", server.RightsTable},
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
	listen, data, load, asIs, sealKey, standIns string
	cert, certKey, tls                          string
	hosts                                       []string
	accounts                                    bool
	proxies                                     []string
	backups                                     timed
	outward                                     outward
	metrics, database                           string
	json                                        bool // the log
}

// certificate is what the server shows; nil for none. Who can be reached from elsewhere
// has one, and people sign in there.
//
// Many branches: each pair of flags that does not go together is told in its own words.
func (w *serving) certificate(data string, log *slog.Logger) (*server.Certificate, error) {
	host, _, err := net.SplitHostPort(w.listen)
	if err != nil {
		return nil, fmt.Errorf("--listen %s: write an address and a port, such as 127.0.0.1:8080", w.listen)
	}
	ip := net.ParseIP(host)
	here := host == "localhost" || ip != nil && ip.IsLoopback()
	w.accounts = w.accounts || !here
	switch {
	case w.tls != "" && w.tls != "self":
		return nil, fmt.Errorf("--tls %s: there is \"self\", by which Klammer makes its certificate; one of your own is named with --cert and --key", w.tls)
	case (w.cert == "") != (w.certKey == ""):
		return nil, errors.New("a certificate has a key: name both, with --cert and --key")
	case w.cert != "" && w.tls != "":
		return nil, errors.New("a certificate is your own (--cert, --key) or made by Klammer (--tls self), not both")
	case w.cert != "":
		return server.LoadCertificate(w.cert, w.certKey, log)
	case w.tls == "self":
		names := append([]string{"localhost", "127.0.0.1", "::1"}, w.hosts...)
		if ip != nil && !ip.IsUnspecified() {
			names = append(names, ip.String())
		}
		if own, err := os.Hostname(); err == nil && len(w.hosts) == 0 {
			names = append(names, own)
		}
		return server.SelfMade(data+".crt", data+".crt.key", names, log)
	case w.accounts && here: // passwords do not leave this machine, or come over a proxy's TLS
		return nil, nil
	case w.accounts && len(w.proxies) > 0:
		return nil, fmt.Errorf("--listen %s can be reached by others than the proxy, without TLS: listen on 127.0.0.1 beside the proxy, or let Klammer have a certificate, too (--tls self)", w.listen)
	case w.accounts:
		return nil, fmt.Errorf("--listen %s can be reached from elsewhere, and passwords go there: name a certificate with --cert and --key, or let Klammer make one with --tls self; on this machine alone it is 127.0.0.1 or [::1]", w.listen)
	}
	return nil, nil
}

// trusted is the proxies whose word about who asks counts.
func (w *serving) trusted() ([]netip.Prefix, error) {
	all, err := field.Networks(w.proxies)
	if err != nil {
		return nil, fmt.Errorf("--trusted-proxies: %w", err)
	}
	if len(all) > 0 && !w.accounts {
		return nil, errors.New("--trusted-proxies: over a proxy others than who is at this machine come, and they sign in: start with --accounts, too")
	}
	return all, nil
}

// ownDatabase starts the database that is Klammer's own, and looks after it until ctx ends;
// stop waits for that, and stops it.
func ownDatabase(ctx context.Context, data string, log *slog.Logger) (url string, stop func(), err error) {
	one, err := cluster.StartSaying(ctx, data, func(what string) { log.Info(what) })
	if err != nil {
		return "", nil, err
	}
	watched := make(chan struct{})
	mishap.Go(log, "watching the database", func() {
		defer close(watched)
		one.Watch(ctx, log)
	})
	return one.URL, func() {
		<-watched
		if err := one.Stop(); err != nil {
			log.Error("stopping the database", "error", err)
		}
	}, nil
}

// byHand has stand-ins be set as a person would set them; at is where those of offices are.
func byHand(played *standin.Network, at map[int64]map[string]string, log *slog.Logger) func(id int64, device string, then *office.Office) {
	return func(id int64, device string, then *office.Office) {
		if at[id] == nil {
			return
		}
		if err := played.ByHand(device, then); err != nil {
			log.Warn("a stand-in is not as a person would have set it", "device", device, "error", err)
		}
	}
}

// admit says who may come, and gives where the server is reached from a browser, and what it
// listens on there.
func (w *serving) admit(srv *server.Server, listener net.Listener, cert *server.Certificate, out io.Writer) (at string, _ net.Listener, _ error) {
	at = "http://" + listener.Addr().String()
	trusted, err := w.trusted()
	if err != nil {
		return "", listener, err
	}
	if cert == nil && w.accounts {
		srv.Admit(server.Access{Accounts: true, Proxies: trusted, Host: func(name string) bool { return slices.Contains(w.hosts, name) }})
		if len(trusted) > 0 && len(w.hosts) > 0 {
			at = "https://" + w.hosts[0]
		}
	}
	if cert != nil {
		at = "https://" + listener.Addr().String()
		listener = tls.NewListener(server.Doors(listener), cert.Config())
		access := server.Access{Accounts: w.accounts, Host: cert.Host, Strict: w.cert != "", Proxies: trusted}
		if w.tls == "self" {
			access.Own = cert.Fingerprint
			fmt.Fprintf(out, "Its certificate is its own: SHA-256 %s\n", cert.Fingerprint())
		}
		srv.Admit(access)
	}
	return at, listener, nil
}

// serve starts the server and what it needs, and stops all of it when ctx ends.
//
// Many branches: a start is one row of steps, each of which may fail, and what was started
// is stopped in reverse.
func serve(ctx context.Context, cmd *cobra.Command, with serving) error {
	ctx, end := context.WithCancel(ctx)
	defer end()
	out := cmd.OutOrStdout()
	log := slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), nil))
	if with.json {
		log = slog.New(slog.NewJSONHandler(cmd.ErrOrStderr(), nil))
	}
	data, err := filepath.Abs(with.data)
	if err != nil {
		return err
	}
	if err := with.backups.check(); err != nil {
		return err
	}
	cert, err := with.certificate(data, log)
	if err != nil {
		return err
	}
	listener, err := listenOn(out, with.listen, !with.accounts)
	if err != nil {
		return err
	}
	defer listener.Close()
	url := with.database
	if url == "" {
		one, stop, err := ownDatabase(ctx, data, log)
		if err != nil {
			return err
		}
		defer func() { end(); stop() }()
		url = one
	}
	st, err := store.Open(ctx, url)
	if err != nil {
		return err
	}
	defer func() {
		end() // who asks the database stops before it is closed
		st.Close()
	}()
	if err := backup.Sweep(ctx, url); err != nil {
		log.Warn("what a backup that was killed left behind cannot be removed", "error", err)
	}
	fresh := false
	if with.load != "" {
		if fresh, err = loadOnce(ctx, cmd, st, with.load, with.asIs); err != nil {
			return err
		}
	}
	to := server.Field{}
	if with.sealKey == "" {
		with.sealKey = data + ".key"
	}
	if to.Key, err = secrets.Load(with.sealKey); err != nil {
		return err
	}
	if with.standIns != "" {
		played, at, err := playFirst(ctx, cmd, st, with.standIns, fresh)
		if err != nil {
			return err
		}
		to.At, to.ByHand = at, byHand(played, at, log)
		defer played.Wait()
		defer end()
	}
	srv := server.New(ctx, st, log)
	srv.SpeakTo(to)
	spoken, err := with.outward.out()
	if err != nil {
		return err
	}
	srv.SpeakOut(spoken)
	if with.backups.every > 0 {
		kept := make(chan struct{})
		with.backups.failed = srv.BackupFailed
		mishap.Go(log, "backups by the timer", func() {
			defer close(kept)
			with.backups.run(ctx, url, log)
		})
		defer func() { end(); <-kept }()
		srv.BackedUp(with.backups.says)
	}
	if with.metrics != "" {
		if err := measured(ctx, with.metrics, srv.Metrics()); err != nil {
			return err
		}
	}
	at, listener, err := with.admit(srv, listener, cert, out)
	if err != nil {
		return err
	}
	if with.accounts {
		link, err := srv.FirstLink(ctx)
		if err != nil {
			return err
		}
		if link != "" {
			fmt.Fprintf(out, "Make the first account within half an hour, once: %s%s\n", at, link)
		}
	}
	fmt.Fprintf(out, "Klammer is at %s (Ctrl-C stops it)\n", at)
	err = srv.Serve(listener)
	if ctx.Err() != nil {
		return nil
	}
	return err
}

// measured serves what the server measures of itself, on this machine alone.
func measured(ctx context.Context, address string, metrics http.Handler) error {
	host, _, err := net.SplitHostPort(address)
	if ip := net.ParseIP(host); err != nil || host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return fmt.Errorf("--metrics %s: it is for this machine alone, as 127.0.0.1:9180", address)
	}
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return fmt.Errorf("--metrics %s: %w", address, err)
	}
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", metrics)
	srv := &http.Server{Handler: mux, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = srv.Serve(listener) }() // net/http keeps a panic in its request
	context.AfterFunc(ctx, func() { _ = srv.Close() })
	return nil
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
	one, err := asking.Read(cmd, file)
	if err != nil {
		return nil, nil, err
	}
	was := one.Office
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
	network, at, err := standin.Start(ctx, o, was, 0, standin.Options{})
	if err != nil {
		return nil, nil, err
	}
	where := map[string]string{}
	for _, listener := range at {
		where[listener.Device] = listener.At
	}
	return network, map[int64]map[string]string{all[0].ID: where}, nil
}

// loadOnce reads an office into an empty database, and says whether it was empty. A
// file with a mistake changes nothing.
func loadOnce(ctx context.Context, cmd *cobra.Command, st *store.Store, file, asIs string) (bool, error) {
	all, err := st.Offices(ctx)
	if err != nil || len(all) > 0 {
		return false, err
	}
	one, err := asking.Read(cmd, file)
	if err != nil {
		return false, err
	}
	var was *notation.File
	if asIs != "" {
		if was, err = asking.Read(cmd, asIs); err != nil {
			return false, err
		}
	}
	note := store.Note{Author: "klammer", Summary: "read from " + filepath.Base(file)}
	id, err := st.Import(ctx, one.Office, note)
	if err != nil || was == nil {
		return true, err
	}
	return true, server.Begin(ctx, st, server.Beginning{Office: id, Was: was.Office, Plan: one.Office, Revision: 1, Author: note.Author})
}

// listenOn takes the address, or, where it may seek, the next port that is free, and says
// so.
func listenOn(out interface{ Write([]byte) (int, error) }, address string, seek bool) (net.Listener, error) {
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, fmt.Errorf("--listen %s: write an address and a port, such as 127.0.0.1:8080", address)
	}
	first, err := strconv.Atoi(port)
	if err != nil || first < 0 || first > 65535 {
		return nil, fmt.Errorf("--listen %s: %q is not a port", address, port)
	}
	var listener net.Listener
	for p := first; p <= min(first+50, 65535); p++ {
		if listener, err = net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(p))); err == nil {
			if p != first {
				fmt.Fprintf(out, "port %d is in use: taking %d\n", first, p)
			}
			return listener, nil
		}
		if !seek || !errors.Is(err, syscall.EADDRINUSE) {
			break
		}
	}
	return nil, fmt.Errorf("--listen %s: %w", address, err)
}
