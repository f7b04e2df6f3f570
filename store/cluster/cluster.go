// Package cluster runs a private PostgreSQL server in a folder of its own, on
// loopback and a free port, with a password of its own. The programs are
// those of the operating system's package; the server refuses root, so where
// root starts it, it runs as the user postgres.
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
)

// Cluster is a running server.
type Cluster struct {
	URL string // how to connect

	dir  string
	bin  string
	cred *syscall.Credential // nil: run as who we are
	lock *os.File
}

// ErrMissing says that PostgreSQL's programs are not installed.
var ErrMissing = errors.New("PostgreSQL is not installed: apt-get install postgresql")

// Start makes the cluster in dir if it is not there, and starts it if it does
// not run. Settings are PostgreSQL's, as in "fsync=off".
func Start(ctx context.Context, dir string, settings ...string) (*Cluster, error) {
	bin, err := Programs()
	if err != nil {
		return nil, err
	}
	c := &Cluster{dir: dir, bin: bin}
	if os.Geteuid() == 0 {
		if c.cred, err = postgresUser(); err != nil {
			return nil, err
		}
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	if err := c.hold(); err != nil {
		return nil, err
	}
	if err := c.start(ctx, settings); err != nil {
		c.lock.Close()
		return nil, err
	}
	return c, nil
}

// Running is the address of the cluster of a folder that another program runs; false for
// none.
func Running(dir string) (url string, ok bool) {
	password, err := os.ReadFile(filepath.Join(dir, "password"))
	if err != nil {
		return "", false
	}
	port, ok := runningPort(filepath.Join(dir, "postgres"))
	return address(strings.TrimSpace(string(password)), port), ok
}

func address(password string, port int) string {
	return fmt.Sprintf("postgres://klammer:%s@127.0.0.1:%d/postgres?sslmode=disable", password, port)
}

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
	password, err := c.make(ctx, data)
	if err != nil {
		return err
	}
	port, running := runningPort(data)
	// One that is just starting, or stopping, for a program that was killed.
	for until := time.Now().Add(20 * time.Second); !running && time.Now().Before(until); port, running = runningPort(data) {
		if pid, ok := postmaster(data); !ok || syscall.Kill(pid, 0) != nil {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	if !running {
		if port, err = freePort(); err != nil {
			return err
		}
		if err := c.launch(ctx, data, port, settings); err != nil {
			return err
		}
	}
	c.URL = address(password, port)
	return nil
}

// launch starts the server on a folder and a port and waits until it answers.
func (c *Cluster) launch(ctx context.Context, data string, port int, settings []string) error {
	options := []string{"-p", strconv.Itoa(port), "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories="}
	for _, s := range settings {
		options = append(options, "-c", s)
	}
	log := filepath.Join(data, "server.log")
	if err := c.run(ctx, "pg_ctl", "start", "-w", "-t", "60", "-D", data, "-l", log, "-o", strings.Join(options, " ")); err != nil {
		tail, _ := os.ReadFile(log)
		return fmt.Errorf("PostgreSQL does not start in %s: %w\n%s", data, err, tail[max(0, len(tail)-800):])
	}
	return nil
}

// make makes the cluster, all or nothing, and gives its password.
func (c *Cluster) make(ctx context.Context, data string) (string, error) {
	secret := filepath.Join(c.dir, "password")
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err == nil {
		p, err := os.ReadFile(secret)
		return strings.TrimSpace(string(p)), err
	}
	password := rand.Text()
	if err := os.WriteFile(secret, []byte(password+"\n"), 0o600); err != nil {
		return "", err
	}
	// A name of its own: an initdb that outlived a program that was killed may
	// still write into the one before.
	left, _ := filepath.Glob(data + ".new*")
	for _, l := range left {
		_ = os.RemoveAll(l)
	}
	fresh, err := os.MkdirTemp(c.dir, "postgres.new")
	if err != nil {
		return "", err
	}
	if err := os.RemoveAll(data); err != nil { // what is there is no cluster: it has no PG_VERSION
		return "", err
	}
	for _, p := range []string{fresh, secret} {
		if c.cred != nil {
			if err := os.Chown(p, int(c.cred.Uid), int(c.cred.Gid)); err != nil {
				return "", err
			}
		}
	}
	err = c.run(ctx, "initdb", "-D", fresh, "-U", "klammer", "-A", "scram-sha-256", "--pwfile", secret,
		"-E", "UTF8", "--locale=C.UTF-8", "--no-instructions", "--no-sync")
	if err != nil {
		return "", fmt.Errorf("the database folder cannot be made: %w", err)
	}
	return password, os.Rename(fresh, data)
}

// Stop stops the server; what was committed is on disk.
func (c *Cluster) Stop() error {
	defer c.lock.Close()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	return c.run(ctx, "pg_ctl", "stop", "-m", "fast", "-w", "-D", filepath.Join(c.dir, "postgres"))
}

// Kill ends the server at once, as a power cut would.
func (c *Cluster) Kill() error {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	return c.run(ctx, "pg_ctl", "stop", "-m", "immediate", "-w", "-D", filepath.Join(c.dir, "postgres"))
}

// Again starts a cluster that was killed, at the port that it had.
func (c *Cluster) Again(ctx context.Context) (*Cluster, error) {
	u, err := url.Parse(c.URL)
	if err != nil {
		return nil, err
	}
	port, err := strconv.Atoi(u.Port())
	if err != nil {
		return nil, err
	}
	return c, c.launch(ctx, filepath.Join(c.dir, "postgres"), port, nil)
}

func (c *Cluster) run(ctx context.Context, program string, args ...string) error {
	cmd := exec.CommandContext(ctx, filepath.Join(c.bin, program), args...)
	cmd.Dir = "/"
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
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("PostgreSQL refuses to run as root, and there is no user postgres: %w", ErrMissing)
	}
	uid, err1 := strconv.ParseUint(u.Uid, 10, 32)
	gid, err2 := strconv.ParseUint(u.Gid, 10, 32)
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, errors.Join(err1, err2)
}

// runningPort reads the port of a server that runs on data already: one that
// outlived a program that was killed.
func runningPort(data string) (int, bool) {
	text, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return 0, false
	}
	lines := strings.Split(string(text), "\n")
	if len(lines) < 4 {
		return 0, false
	}
	pid, err1 := strconv.Atoi(strings.TrimSpace(lines[0]))
	port, err2 := strconv.Atoi(strings.TrimSpace(lines[3]))
	if err1 != nil || err2 != nil || syscall.Kill(pid, 0) != nil {
		return 0, false
	}
	conn, err := net.DialTimeout("tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(port)), time.Second)
	if err != nil {
		return 0, false
	}
	conn.Close()
	return port, true
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
