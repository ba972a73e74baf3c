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
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"syscall"
)

// systemUser owns the cluster when we are root.
const systemUser = "hellebore"

// Cluster is a running private server.
type Cluster struct {
	bin, dir string
	port     int
	password string
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

// Start creates the cluster in dir if it is not there, and starts it. A server
// that still runs there, since ours was killed, is taken over.
func Start(dir string, o Options) (*Cluster, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	if dir, err = filepath.Abs(dir); err != nil {
		return nil, err
	}
	c := &Cluster{bin: bin, dir: dir}
	if err := c.own(); err != nil {
		return nil, err
	}
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
	if c.port = c.running(); c.port != 0 {
		return c, nil
	}
	if c.port, err = freePort(); err != nil {
		return nil, err
	}
	options := fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories=%s", c.port, c.dir)
	if o.Unsafe {
		options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
	}
	if err := c.run("pg_ctl", "-D", c.data(), "-l", filepath.Join(c.dir, "log"), "-w", "-t", "60", "-o", options, "start"); err != nil {
		return nil, fmt.Errorf("PostgreSQL does not start; its log is %s: %w", filepath.Join(c.dir, "log"), err)
	}
	return c, nil
}

// URL is where the server listens.
func (c *Cluster) URL() string {
	return fmt.Sprintf("postgres://hellebore:%s@127.0.0.1:%d/postgres?sslmode=disable", c.password, c.port)
}

// Stop ends the server. Its data stays.
func (c *Cluster) Stop() error {
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
		if out, err := exec.Command("useradd", "--system", "--no-create-home", "--shell", "/usr/sbin/nologin", systemUser).CombinedOutput(); err != nil {
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
	args := []string{"-D", c.data(), "-U", "hellebore", "-A", "scram-sha-256", "--pwfile=" + c.passwordFile(), "-E", "UTF8", "--locale=C.UTF-8"}
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
