// Package cluster runs a private PostgreSQL server in a folder of its own, on
// loopback and a free port, with a password of its own. The programs are
// those of the operating system's package; the server refuses root, so where
// root starts it, it runs as the user postgres.
//
// Klammer is a role there that owns one database and may make others; the superuser has
// another password, which nothing but this package uses. A cluster that an older Klammer
// made has one role for both, and stays so.
package cluster

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Cluster is a running server.
type Cluster struct {
	URL string // how to connect

	dir  string
	bin  string
	cred *syscall.Credential // nil: run as who we are
	lock *os.File
	say  func(string) // tells whoever waits for the start what it waits for
}

// ErrMissing says that PostgreSQL's programs are not installed.
var ErrMissing = errors.New("PostgreSQL is not installed: apt-get install postgresql")

// Start makes the cluster in dir if it is not there, and starts it if it does
// not run. Settings are PostgreSQL's, as in "fsync=off".
func Start(ctx context.Context, dir string, settings ...string) (*Cluster, error) {
	return StartSaying(ctx, dir, func(string) {}, settings...)
}

// StartSaying is [Start]; say is told what is waited for, where that takes a while: a server
// that was killed with the program before it has to make good what it had not written.
func StartSaying(ctx context.Context, dir string, say func(string), settings ...string) (*Cluster, error) {
	bin, err := Programs()
	if err != nil {
		return nil, err
	}
	cluster := &Cluster{dir: dir, bin: bin, say: say}
	if os.Geteuid() == 0 {
		if cluster.cred, err = postgresUser(); err != nil {
			return nil, err
		}
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	if err := cluster.hold(); err != nil {
		return nil, err
	}
	if err := cluster.start(ctx, settings); err != nil {
		cluster.lock.Close()
		return nil, err
	}
	return cluster, nil
}

// Running is the address of the cluster of a folder that another program runs; false for
// none.
func Running(dir string) (url string, ok bool) {
	password, err := os.ReadFile(filepath.Join(dir, "password"))
	if err != nil {
		return "", false
	}
	data := filepath.Join(dir, "postgres")
	if _, ok := postmaster(data); !ok {
		return "", false
	}
	port, ok := portOf(data)
	url = address("klammer", strings.TrimSpace(string(password)), database(dir), port)
	return url, ok && accepts(url)
}

// accepts says whether somebody listens at an address.
func accepts(address string) bool {
	one, err := url.Parse(address)
	if err != nil {
		return false
	}
	conn, err := net.DialTimeout("tcp", one.Host, time.Second)
	if err != nil {
		return false
	}
	conn.Close()
	return true
}

func address(role, password, database string, port int) string {
	return fmt.Sprintf("postgres://%s:%s@127.0.0.1:%d/%s?sslmode=disable", role, password, port, database)
}

// database is the name of the database of a folder: one made by an older Klammer, where there
// was one role, has it in that of the superuser.
func database(dir string) string {
	if _, err := os.Stat(superuserFile(dir)); err != nil {
		return "postgres"
	}
	return "klammer"
}

func superuserFile(dir string) string { return filepath.Join(dir, "superuser") }

// hold keeps a second program out of the folder for as long as we live.
func (c *Cluster) hold() (err error) {
	if c.lock, err = os.OpenFile(filepath.Join(c.dir, "lock"), os.O_CREATE|os.O_RDWR|syscall.O_CLOEXEC, 0o600); err != nil {
		return err
	}
	if syscall.Flock(int(c.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) != nil {
		c.lock.Close()
		return fmt.Errorf("another Klammer runs with the folder %s: stop it, or name another folder with --data", c.dir)
	}
	return nil
}

func (c *Cluster) start(ctx context.Context, settings []string) error {
	data := filepath.Join(c.dir, "postgres")
	password, err := c.make(ctx, data, slices.Contains(settings, "fsync=off"))
	if err != nil {
		return err
	}
	port, err := c.up(ctx, data, settings)
	if err != nil {
		return err
	}
	c.URL = address("klammer", password, database(c.dir), port)
	return c.answers(ctx, data, settings)
}

// up takes over the server that runs on the folder, one that outlived a program that was
// killed, or starts one.
func (c *Cluster) up(ctx context.Context, data string, settings []string) (int, error) {
	if _, ok := postmaster(data); ok {
		for until := time.Now().Add(20 * time.Second); time.Now().Before(until); { // it may just be starting
			if port, ok := portOf(data); ok {
				return port, nil
			}
			if err := pause(ctx); err != nil {
				return 0, err
			}
		}
	}
	port, err := freePort()
	if err != nil {
		return 0, err
	}
	return port, c.launch(ctx, data, port, settings)
}

// How long a server may be stopping before it is ended at once, as by a power cut, and
// before what is left of it is killed.
var (
	stopping = 20 * time.Second
	ending   = 40 * time.Second
)

// recovering is how long a server may take to make good what was not written when it died.
const recovering = 30 * time.Minute

// answers waits until the server takes a question. One that makes good what it had not
// written takes what that takes; one that is stopping and does not come to its end is ended,
// as it is ours: we have the folder's lock.
func (c *Cluster) answers(ctx context.Context, data string, settings []string) error {
	start := time.Now()
	told := ""
	say := func(what string) {
		if what != told && time.Since(start) > time.Second {
			told = what
			c.say(what)
		}
	}
	var last error
	var stops time.Time // since when it says that it is stopping
	for time.Since(start) < recovering {
		conn, err := pgx.Connect(ctx, c.URL)
		if err == nil {
			return conn.Close(ctx)
		}
		last = err
		var pg *pgconn.PgError
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case errors.As(err, &pg) && pg.Code != "57P03": // it answers, and will not do otherwise
			return err
		case pg != nil && strings.Contains(pg.Message, "shutting down"):
			if stops.IsZero() {
				stops = time.Now()
			}
			say("PostgreSQL is still stopping, from before")
			switch since := time.Since(stops); {
			case since > ending:
				say("PostgreSQL does not come to its end: it is killed")
				signal(processes(data), syscall.SIGKILL)
			case since > stopping:
				say("PostgreSQL does not come to its end: it is ended at once")
				if pid, ok := postmaster(data); ok {
					signal([]int{pid}, syscall.SIGQUIT)
				}
			}
		case pg != nil:
			stops = time.Time{}
			say("PostgreSQL makes good what was not written when it died (" + pg.Message + ")")
		default: // nobody listens
			if _, ok := postmaster(data); !ok {
				stops = time.Time{}
				if err := c.relaunch(ctx, data, settings); err != nil {
					return err
				}
			}
		}
		if err := pause(ctx); err != nil {
			return err
		}
	}
	return fmt.Errorf("PostgreSQL in %s does not answer: %w", data, last)
}

// relaunch starts a server that is gone at the port that it had.
func (c *Cluster) relaunch(ctx context.Context, data string, settings []string) error {
	one, err := url.Parse(c.URL)
	if err != nil {
		return err
	}
	port, err := strconv.Atoi(one.Port())
	if err != nil {
		return err
	}
	return c.launch(ctx, data, port, settings)
}

// pause is between two looks.
func pause(ctx context.Context) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(100 * time.Millisecond):
		return nil
	}
}

// launch starts the server on a folder and a port, and waits until its process is there to
// stay. What an earlier one left running of itself is ended first, as that keeps a new one
// from starting.
func (c *Cluster) launch(ctx context.Context, data string, port int, settings []string) error {
	for sent, until := syscall.SIGTERM, time.Now().Add(20*time.Second); len(processes(data)) > 0 && time.Now().Before(until); sent = syscall.SIGKILL {
		signal(processes(data), sent)
		if err := pause(ctx); err != nil {
			return err
		}
	}
	// A number that another program has by now would be taken for a server that runs.
	_ = os.Remove(filepath.Join(data, "postmaster.pid"))
	options := []string{"-p", strconv.Itoa(port), "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories="}
	for _, text := range settings {
		options = append(options, "-c", text)
	}
	log := filepath.Join(data, "server.log")
	if err := c.Run(ctx, "pg_ctl", "start", "-W", "-D", data, "-l", log, "-o", strings.Join(options, " ")); err != nil {
		return c.why(err, data)
	}
	for until := time.Now().Add(20 * time.Second); time.Now().Before(until); {
		if _, ok := postmaster(data); ok {
			if accepts(address("", "", "", port)) {
				return nil
			}
		} else if len(processes(data)) == 0 && time.Now().After(until.Add(-18*time.Second)) {
			return c.why(errors.New("it ended"), data)
		}
		if err := pause(ctx); err != nil {
			return err
		}
	}
	return c.why(errors.New("nobody listens at its port"), data)
}

// why is an error with the end of what the server said.
func (c *Cluster) why(err error, data string) error {
	tail, _ := os.ReadFile(filepath.Join(data, "server.log"))
	return fmt.Errorf("PostgreSQL does not start in %s: %w\n%s", data, err, tail[max(0, len(tail)-800):])
}

// make makes the cluster, all or nothing, and gives the password of Klammer's role.
func (c *Cluster) make(ctx context.Context, data string, quick bool) (string, error) {
	secret := filepath.Join(c.dir, "password")
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err == nil {
		p, err := os.ReadFile(secret)
		return strings.TrimSpace(string(p)), err
	}
	password, above := rand.Text(), superuserFile(c.dir)
	for file, text := range map[string]string{secret: password, above: rand.Text()} {
		if err := os.WriteFile(file, []byte(text+"\n"), 0o600); err != nil {
			return "", err
		}
	}
	// A name of its own: an initdb that outlived a program that was killed may
	// still write into the one before.
	left, _ := filepath.Glob(data + ".new*")
	for _, line := range left {
		_ = os.RemoveAll(line)
	}
	fresh, err := os.MkdirTemp(c.dir, "postgres.new")
	if err != nil {
		return "", err
	}
	if err := os.RemoveAll(data); err != nil { // what is there is no cluster: it has no PG_VERSION
		return "", err
	}
	for _, p := range []string{fresh, secret, above} {
		if c.cred != nil {
			if err := os.Chown(p, int(c.cred.Uid), int(c.cred.Gid)); err != nil {
				return "", err
			}
		}
	}
	args := []string{"-D", fresh, "-U", "postgres", "-A", "scram-sha-256", "--pwfile", above, "-E", "UTF8", "--locale=C.UTF-8", "--no-instructions"}
	if quick {
		args = append(args, "--no-sync")
	}
	if err := c.Run(ctx, "initdb", args...); err != nil {
		return "", fmt.Errorf("the database folder cannot be made: %w", err)
	}
	// Before anybody can connect: a role that owns its database, may make others to try
	// backups in, and nothing else.
	first := "CREATE ROLE klammer LOGIN CREATEDB PASSWORD '" + password + "';\nCREATE DATABASE klammer OWNER klammer TEMPLATE template0;\n"
	if err := c.tell(ctx, first, "postgres", "--single", "-D", fresh, "postgres"); err != nil {
		return "", fmt.Errorf("the database cannot be made: %w", err)
	}
	return password, os.Rename(fresh, data)
}

// Stop stops the server; what was committed is on disk.
func (c *Cluster) Stop() error {
	defer c.lock.Close()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	return c.Run(ctx, "pg_ctl", "stop", "-m", "fast", "-w", "-D", filepath.Join(c.dir, "postgres"))
}

// Dir is the folder that it is in; what it keeps is in postgres.
func (c *Cluster) Dir() string { return c.dir }

// Again starts a cluster that was killed, at the port that it had.
func (c *Cluster) Again(ctx context.Context) (*Cluster, error) {
	data := filepath.Join(c.dir, "postgres")
	if err := c.relaunch(ctx, data, nil); err != nil {
		return nil, err
	}
	return c, c.answers(ctx, data, nil)
}

// Run runs one of PostgreSQL's programs, as whom the server runs as.
func (c *Cluster) Run(ctx context.Context, program string, args ...string) error {
	return c.tell(ctx, "", program, args...)
}

// tell runs a program with something on its input.
func (c *Cluster) tell(ctx context.Context, input, program string, args ...string) error {
	cmd := exec.CommandContext(ctx, filepath.Join(c.bin, program), args...)
	cmd.Dir = "/"
	cmd.Stdin = strings.NewReader(input)
	// A session of its own: Ctrl-C is for us, and we stop the server in turn.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true, Credential: c.cred}
	var said bytes.Buffer
	if program != "pg_ctl" || args[0] != "start" { // the server would keep our pipe open
		cmd.Stdout, cmd.Stderr = &said, &said
	}
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("%s: %w %s", program, err, strings.TrimSpace(said.String()))
	}
	return nil
}

// Programs finds the folder of PostgreSQL's programs, the newest version.
func Programs() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	slices.SortFunc(found, func(a, b string) int { return version(a) - version(b) })
	if len(found) > 0 {
		return filepath.Dir(found[len(found)-1]), nil
	}
	if p, err := exec.LookPath("initdb"); err == nil {
		if p, err = filepath.EvalSymlinks(p); err == nil {
			return filepath.Dir(p), nil
		}
	}
	return "", ErrMissing
}

func version(path string) int {
	v, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
	return v
}

func postgresUser() (*syscall.Credential, error) {
	one, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("PostgreSQL refuses to run as root, and there is no user postgres: %w", ErrMissing)
	}
	uid, err1 := strconv.ParseUint(one.Uid, 10, 32)
	gid, err2 := strconv.ParseUint(one.Gid, 10, 32)
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, errors.Join(err1, err2)
}

// portOf is the port of the server that says that it has a folder, once it says it.
func portOf(data string) (int, bool) {
	text, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	lines := strings.Split(string(text), "\n")
	if err != nil || len(lines) < 4 {
		return 0, false
	}
	port, err := strconv.Atoi(strings.TrimSpace(lines[3]))
	return port, err == nil && port > 0
}

// postmaster is the process that holds a folder of data, false where none does: a number that
// is left from one that was killed may be another program's by now.
func postmaster(data string) (pid int, ok bool) {
	text, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return 0, false
	}
	first, _, _ := strings.Cut(string(text), "\n")
	pid, err = strconv.Atoi(strings.TrimSpace(first))
	return pid, err == nil && pid > 0 && ours(pid, data)
}

// ours says whether a process is one of the server's on a folder: it works there.
func ours(pid int, data string) bool {
	at, err := os.Readlink(fmt.Sprintf("/proc/%d/cwd", pid))
	if err != nil { // not on Linux, or not to be seen: it is there, and that has to do
		_, there := os.Stat("/proc/self/cwd")
		return there != nil && syscall.Kill(pid, 0) == nil
	}
	if real, err := filepath.EvalSymlinks(data); err == nil {
		data = real
	}
	program, _ := os.ReadFile(fmt.Sprintf("/proc/%d/comm", pid))
	return at == data && strings.TrimSpace(string(program)) == "postgres"
}

// processes are all of the server's on a folder.
func processes(data string) (all []int) {
	entries, _ := os.ReadDir("/proc")
	for _, entry := range entries {
		if pid, err := strconv.Atoi(entry.Name()); err == nil && ours(pid, data) {
			all = append(all, pid)
		}
	}
	return all
}

func signal(pids []int, one syscall.Signal) {
	for _, pid := range pids {
		_ = syscall.Kill(pid, one)
	}
}

func freePort() (int, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer listener.Close()
	return listener.Addr().(*net.TCPAddr).Port, nil
}
