package cluster

import (
	"database/sql"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/require"
)

func directory(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "hellebore-cluster-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755)) // the database's user must get in
	t.Cleanup(func() { require.NoError(t, os.RemoveAll(dir)) })
	return filepath.Join(dir, "db")
}

// killed leaves a cluster as a process that was killed does: nobody watches it, and
// its directory is free.
func killed(c *Cluster) {
	close(c.done)
	c.watching.Wait()
	c.release()
}

func connect(t *testing.T, c *Cluster) *sql.DB {
	t.Helper()
	db, err := sql.Open("pgx", c.URL())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	return db
}

// TestLifeOfACluster creates one as a user's, with nothing left unsafe, and puts
// it through all that happens to it. Each part goes on where the one before
// ended.
func TestLifeOfACluster(t *testing.T) {
	dir := directory(t)
	c, err := Start(dir, Options{})
	require.NoError(t, err)
	var last *Cluster
	t.Cleanup(func() {
		if last != nil {
			require.NoError(t, last.Stop())
		}
	})
	last = c
	db := connect(t, c)
	_, err = db.Exec("create table labs (title text); insert into labs values ('First triangle')")
	require.NoError(t, err)

	t.Run("it listens on loopback, and a user's data are synced", func(t *testing.T) {
		for setting, want := range map[string]string{"listen_addresses": "127.0.0.1", "fsync": "on", "synchronous_commit": "on", "full_page_writes": "on"} {
			var value string
			require.NoError(t, db.QueryRow("show "+setting).Scan(&value))
			require.Equal(t, want, value, setting)
		}
	})
	t.Run("it is its owner's alone", func(t *testing.T) {
		for _, path := range []string{dir, c.data(), c.passwordFile()} {
			info, err := os.Stat(path)
			require.NoError(t, err)
			require.Zero(t, info.Mode().Perm()&0o077, "%s is closed to others", path)
			require.NotZero(t, info.Sys().(*syscall.Stat_t).Uid, "PostgreSQL refuses to run as root")
		}
		stranger, err := sql.Open("pgx", strings.Replace(c.URL(), c.password, "guess", 1))
		require.NoError(t, err)
		require.ErrorContains(t, stranger.Ping(), "password authentication failed")
		require.NoError(t, stranger.Close())
	})
	t.Run("another server on the same directory is refused", func(t *testing.T) {
		_, err := Start(dir, Options{})
		require.ErrorContains(t, err, "another hellebore serve uses "+dir)
		require.NoError(t, db.Ping(), "and does not stop ours")
	})
	t.Run("it is started again when it dies", func(t *testing.T) {
		b, err := os.ReadFile(filepath.Join(c.data(), "postmaster.pid"))
		require.NoError(t, err)
		pid, err := strconv.Atoi(strings.Split(string(b), "\n")[0])
		require.NoError(t, err)
		require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
		require.Eventually(t, func() bool {
			now, _ := os.ReadFile(filepath.Join(c.data(), "postmaster.pid"))
			return !strings.HasPrefix(string(now), strconv.Itoa(pid)+"\n") && db.Ping() == nil
		}, time.Minute, 100*time.Millisecond)
	})
	t.Run("a server that still runs is taken over", func(t *testing.T) {
		killed(c)
		taken, err := Start(dir, Options{})
		require.NoError(t, err)
		last = taken
		require.Equal(t, c.URL(), taken.URL())
	})
	t.Run("a start right after server and database were killed waits for what is dying", func(t *testing.T) {
		killed(last)
		b, err := os.ReadFile(filepath.Join(c.data(), "postmaster.pid"))
		require.NoError(t, err)
		pid, err := strconv.Atoi(strings.Split(string(b), "\n")[0])
		require.NoError(t, err)
		require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
		again, err := Start(dir, Options{})
		require.NoError(t, err)
		last = again
		require.NoError(t, connect(t, again).Ping())
	})
	t.Run("stopped, or cut off as by a power failure, it comes back with its data", func(t *testing.T) {
		for _, mode := range []string{"fast", "immediate"} {
			killed(last)
			require.NoError(t, last.run("pg_ctl", "-D", c.data(), "-m", mode, "-w", "stop"))
			last = nil
			again, err := Start(dir, Options{})
			require.NoError(t, err)
			last = again
			require.Equal(t, c.password, again.password)
			var title string
			require.NoError(t, connect(t, again).QueryRow("select title from labs").Scan(&title))
			require.Equal(t, "First triangle", title)
		}
	})
	t.Run("what cannot start says why", func(t *testing.T) {
		require.NoError(t, last.Stop())
		last = nil
		require.NoError(t, os.Rename(c.passwordFile(), c.passwordFile()+".away"))
		_, err = Start(dir, Options{})
		require.ErrorContains(t, err, "the database in "+dir+" has lost its password")
		require.NoError(t, os.Rename(c.passwordFile()+".away", c.passwordFile()))
		require.NoError(t, os.Remove(filepath.Join(c.data(), "global", "pg_control")))
		_, err = Start(dir, Options{})
		require.ErrorContains(t, err, "PostgreSQL does not start; its log is "+filepath.Join(dir, "log"))
	})
}

func TestDefaultDirectory(t *testing.T) {
	t.Setenv("XDG_DATA_HOME", "/somewhere")
	want := "/somewhere/hellebore"
	if os.Geteuid() == 0 {
		want = "/var/lib/hellebore"
	}
	require.Equal(t, want, DefaultDir())
}
