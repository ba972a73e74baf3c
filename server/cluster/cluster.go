// Package cluster runs a private PostgreSQL server on loopback, from the
// binaries that Debian installs, for users who have no server of their own and
// for the tests. As root it runs under a system user, since PostgreSQL refuses
// root.
package cluster

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// systemUser owns the cluster when we are root.
const systemUser = "hellebore"

// Cluster is a running private server.
type Cluster struct {
	bin, dir string
	port     int
	password string
	options  Options
	lock     *os.File // held while the directory is ours
	done     chan struct{}
	watching sync.WaitGroup
}

// Options are for throw-away clusters.
type Options struct {
	// Unsafe turns fsync off: for tests, whose data nobody needs.
	Unsafe bool
}

// DefaultDir is where a user's data lives: /var/lib/hellebore for root, else
// below the user's data directory.
func DefaultDir() string {
	if os.Geteuid() == 0 {
		return "/var/lib/hellebore"
	}
	if d := os.Getenv("XDG_DATA_HOME"); d != "" {
		return filepath.Join(d, "hellebore")
	}
	home, err := os.UserHomeDir()
	if err != nil {
		home = "."
	}
	return filepath.Join(home, ".local", "share", "hellebore")
}

// patience is how long a server may take to come up, or one that is dying to be
// gone.
const patience = time.Minute

// Start creates the cluster in dir if it is not there, and starts it. A server
// that still runs there, since ours was killed, is taken over. The directory is
// ours until Stop: others are refused meanwhile. A server that dies is started
// again.
func Start(dir string, o Options) (_ *Cluster, err error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	if dir, err = filepath.Abs(dir); err != nil {
		return nil, err
	}
	c := &Cluster{bin: bin, dir: dir, options: o, done: make(chan struct{})}
	if err := c.own(); err != nil {
		return nil, err
	}
	if err := c.take(); err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			c.release()
		}
	}()
	if _, err := os.Stat(filepath.Join(c.data(), "PG_VERSION")); errors.Is(err, os.ErrNotExist) {
		if err := c.create(o); err != nil {
			return nil, err
		}
	}
	password, err := os.ReadFile(c.passwordFile())
	if err != nil {
		return nil, fmt.Errorf("the database in %s has lost its password: %w", dir, err)
	}
	c.password = strings.TrimSpace(string(password))
	if err := c.up(); err != nil {
		return nil, err
	}
	c.watching.Go(c.watch)
	return c, nil
}

// take makes the directory ours, or says that another process has it.
func (c *Cluster) take() error {
	f, err := os.OpenFile(filepath.Join(c.dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		return errors.Join(fmt.Errorf("another hellebore serve uses %s; stop it, or give another directory with --data", c.dir), f.Close())
	}
	c.lock = f
	return nil
}

// release lets others have the directory.
func (c *Cluster) release() { _ = c.lock.Close() }

// up takes a server over that runs on the data, or starts one. It waits for one
// that is on its way down.
func (c *Cluster) up() (err error) {
	for deadline := time.Now().Add(patience); time.Now().Before(deadline); time.Sleep(200 * time.Millisecond) {
		if port := c.running(); port != 0 {
			if c.run("pg_isready", "-q", "-h", "127.0.0.1", "-p", strconv.Itoa(port)) == nil {
				c.port = port
				return nil
			}
			err = fmt.Errorf("the PostgreSQL server on %s does not answer; its log is %s", c.data(),
				filepath.Join(c.dir, "log"))
			continue
		}
		before := c.logSize()
		if err = c.start(); err == nil || !c.dying(before) {
			return err
		}
	}
	return err
}

func (c *Cluster) logSize() int64 {
	info, err := os.Stat(filepath.Join(c.dir, "log"))
	if err != nil {
		return 0
	}
	return info.Size()
}

// dying says whether a start failed since processes of a server before it are not
// gone yet.
func (c *Cluster) dying(logged int64) bool {
	b, err := os.ReadFile(filepath.Join(c.dir, "log"))
	if err != nil || int64(len(b)) < logged {
		return false
	}
	said := string(b[logged:])
	return strings.Contains(said, "shared memory block") || strings.Contains(said, "lock file")
}

// watch starts a server again that has died.
func (c *Cluster) watch() {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		select {
		case <-c.done:
			return
		case <-tick.C:
		}
		if c.alive() {
			continue
		}
		slog.Error("the private database has died; it is started again", "log", filepath.Join(c.dir, "log"))
		if err := c.up(); err != nil {
			slog.Error("the private database does not start", "error", err)
		}
	}
}

// alive says whether the server's process is there.
func (c *Cluster) alive() bool {
	b, err := os.ReadFile(filepath.Join(c.data(), "postmaster.pid"))
	if err != nil {
		return false
	}
	first, _, _ := strings.Cut(string(b), "\n")
	pid, err := strconv.Atoi(strings.TrimSpace(first))
	return err == nil && pid > 0 && !errors.Is(syscall.Kill(pid, 0), syscall.ESRCH)
}

// start starts the server, on the port that it had if it had one: its clients
// come back to it.
func (c *Cluster) start() (err error) {
	if c.port == 0 {
		if c.port, err = freePort(); err != nil {
			return err
		}
	}
	options := fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories=%s", c.port, c.dir)
	if c.options.Unsafe {
		options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
	}
	if err := c.run("pg_ctl", "-D", c.data(), "-l", filepath.Join(c.dir, "log"), "-w", "-t", "60", "-o", options,
		"start"); err != nil {
		return fmt.Errorf("PostgreSQL does not start; its log is %s: %w", filepath.Join(c.dir, "log"), err)
	}
	return nil
}

// URL is where the server listens.
func (c *Cluster) URL() string {
	return fmt.Sprintf("postgres://hellebore:%s@127.0.0.1:%d/postgres?sslmode=disable", c.password, c.port)
}

// Stop ends the server. Its data stays.
func (c *Cluster) Stop() error {
	close(c.done)
	c.watching.Wait()
	defer c.release()
	return c.run("pg_ctl", "-D", c.data(), "-m", "fast", "-w", "stop")
}

func (c *Cluster) data() string         { return filepath.Join(c.dir, "data") }
func (c *Cluster) passwordFile() string { return filepath.Join(c.dir, "password") }

// binaries is the directory of the newest PostgreSQL that Debian installed.
func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/pg_ctl")
	if len(found) == 0 {
		if path, err := exec.LookPath("pg_ctl"); err == nil {
			return filepath.Dir(path), nil
		}
		return "", errors.New("PostgreSQL is not installed; run: apt-get install postgresql, or set DATABASE_URL to a server of your own")
	}
	version := func(path string) int {
		n, _ := strconv.Atoi(strings.Split(path, "/")[4])
		return n
	}
	sort.Slice(found, func(i, j int) bool { return version(found[i]) > version(found[j]) })
	return filepath.Dir(found[0]), nil
}

// own makes the directory, for the user that the server will run under.
func (c *Cluster) own() error {
	if err := os.MkdirAll(c.dir, 0o700); err != nil {
		return err
	}
	if os.Geteuid() != 0 {
		return nil
	}
	u, err := user.Lookup(systemUser)
	if err != nil {
		if out, err := exec.Command("useradd", "--system", "--no-create-home", "--shell", "/usr/sbin/nologin",
			systemUser).CombinedOutput(); err != nil {
			return fmt.Errorf("cannot make the system user %s: %s", systemUser, strings.TrimSpace(string(out)))
		}
		if u, err = user.Lookup(systemUser); err != nil {
			return err
		}
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	return os.Chown(c.dir, uid, gid)
}

func (c *Cluster) create(o Options) error {
	b := make([]byte, 18)
	if _, err := rand.Read(b); err != nil {
		return err
	}
	if err := os.WriteFile(c.passwordFile(), []byte(hex.EncodeToString(b)+"\n"), 0o600); err != nil {
		return err
	}
	if info, err := os.Stat(c.dir); err == nil && os.Geteuid() == 0 {
		owner := info.Sys().(*syscall.Stat_t)
		if err := os.Chown(c.passwordFile(), int(owner.Uid), int(owner.Gid)); err != nil {
			return err
		}
	}
	args := []string{"-D", c.data(), "-U", "hellebore", "-A", "scram-sha-256", "--pwfile=" + c.passwordFile(), "-E",
		"UTF8", "--locale=C.UTF-8"}
	if o.Unsafe {
		args = append(args, "--no-sync")
	}
	return c.run("initdb", args...)
}

// running is the port of a server that runs on the data already, 0 if none
// does.
func (c *Cluster) running() int {
	if c.run("pg_ctl", "-D", c.data(), "status") != nil {
		return 0
	}
	b, err := os.ReadFile(filepath.Join(c.data(), "postmaster.pid"))
	if err != nil {
		return 0
	}
	// The port is the fourth line (PostgreSQL, miscadmin.h: LOCK_FILE_LINE_PORT).
	lines := strings.Split(string(b), "\n")
	if len(lines) < 4 {
		return 0
	}
	port, _ := strconv.Atoi(strings.TrimSpace(lines[3]))
	return port
}

func (c *Cluster) run(program string, args ...string) error {
	name, full := filepath.Join(c.bin, program), args
	if os.Geteuid() == 0 {
		full = append([]string{"-u", systemUser, "--", name}, args...)
		name = "runuser"
	}
	cmd := exec.Command(name, full...)
	cmd.Dir = c.dir
	// Output goes to a file: the server would keep a pipe open.
	out, err := os.CreateTemp("", "hellebore-pg-*")
	if err != nil {
		return err
	}
	defer func() { _ = out.Close(); _ = os.Remove(out.Name()) }()
	cmd.Stdout, cmd.Stderr = out, out
	if err := cmd.Run(); err != nil {
		b, _ := os.ReadFile(out.Name())
		return fmt.Errorf("%s: %w: %s", program, err, strings.TrimSpace(string(b)))
	}
	return nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port, nil
}
