//go:build linux

// Package databasetest starts real database servers for tests, as their children, on loopback.
package databasetest

import (
	"context"
	"database/sql"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql" // registers the driver
	_ "github.com/jackc/pgx/v5/stdlib" // registers the driver
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite" // registers the driver
)

// Server is a running database server with a database "site" in it.
type Server struct {
	URL  string   // as young-compass takes it
	SQL  *sql.DB  // another client's connection
	Else *sql.DB  // the same to the database other
	Dump []string // the server's own command that dumps the database site
	Load []string // the server's own command that reads a dump into the database other

	command []string
	as      *syscall.Credential
	process *exec.Cmd
	ended   chan struct{} // closed when the process is
	ping    func() error
}

// All starts one of each server.
func All(t testing.TB) map[string]*Server {
	return map[string]*Server{"MariaDB": MariaDB(t), "PostgreSQL": PostgreSQL(t)}
}

// MariaDB starts a MariaDB server. A machine without one fails the test.
func MariaDB(t testing.TB) *Server {
	t.Helper()
	dir := folder(t, nil)
	data, port := filepath.Join(dir, "data"), freePort(t)
	me, err := user.Current()
	require.NoError(t, err)
	run(t, nil, "mariadb-install-db", "--no-defaults", "--datadir="+data, "--user="+me.Username,
		"--auth-root-authentication-method=normal", "--skip-test-db")
	s := &Server{URL: "mysql://root@127.0.0.1:" + port + "/site",
		Dump: []string{"mysqldump", "--no-defaults", "--protocol=tcp", "-h127.0.0.1", "-P" + port, "-uroot", "site"},
		Load: []string{"mariadb", "--no-defaults", "--protocol=tcp", "-h127.0.0.1", "-P" + port, "-uroot", "other"},
		command: []string{find(t, "mariadbd", "/usr/sbin"), "--no-defaults", "--datadir=" + data, "--user=" + me.Username,
			"--port=" + port, "--bind-address=127.0.0.1", "--socket=" + filepath.Join(dir, "socket"),
			"--pid-file=" + filepath.Join(dir, "pid"), "--innodb-flush-log-at-trx-commit=2", "--max-allowed-packet=256M",
			"--innodb-buffer-pool-size=512M"}}
	admin, err := sql.Open("mysql", "root@tcp(127.0.0.1:"+port+")/")
	require.NoError(t, err)
	t.Cleanup(func() { _ = admin.Close() })
	s.ping = admin.Ping
	s.Start(t)
	for _, name := range []string{"site", "other"} {
		_, err := admin.Exec("CREATE DATABASE " + name + " CHARACTER SET utf8mb4")
		require.NoError(t, err)
	}
	s.open(t, "mysql", "root@tcp(127.0.0.1:"+port+")/site?multiStatements=true")
	return s
}

// PostgreSQL starts a PostgreSQL server. A machine without one fails the test.
func PostgreSQL(t testing.TB) *Server {
	t.Helper()
	var as *syscall.Credential
	name := "postgres"
	if os.Getuid() == 0 { // which that server doesn't like to run as
		other, err := user.Lookup("postgres")
		require.NoError(t, err)
		uid, err := strconv.ParseUint(other.Uid, 10, 32)
		require.NoError(t, err)
		gid, err := strconv.ParseUint(other.Gid, 10, 32)
		require.NoError(t, err)
		as = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	}
	dir := folder(t, as)
	data, port := filepath.Join(dir, "data"), freePort(t)
	versions, err := filepath.Glob("/usr/lib/postgresql/*/bin")
	require.NoError(t, err)
	require.NotEmpty(t, versions, "PostgreSQL is missing")
	bin := slices.Max(versions)
	run(t, as, filepath.Join(bin, "initdb"), "-D", data, "-U", name, "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8")
	s := &Server{URL: "postgres://" + name + "@127.0.0.1:" + port + "/site", as: as,
		Dump: []string{"pg_dump", "-h", "127.0.0.1", "-p", port, "-U", name, "site"},
		Load: []string{"psql", "-q", "-h", "127.0.0.1", "-p", port, "-U", name, "-v", "ON_ERROR_STOP=1", "other"},
		command: []string{filepath.Join(bin, "postgres"), "-D", data, "-p", port, "-c", "listen_addresses=127.0.0.1",
			"-c", "unix_socket_directories=" + dir, "-c", "fsync=off", "-c", "shared_buffers=256MB"}}
	admin, err := sql.Open("pgx", "postgres://"+name+"@127.0.0.1:"+port+"/postgres?sslmode=disable")
	require.NoError(t, err)
	t.Cleanup(func() { _ = admin.Close() })
	s.ping = admin.Ping
	s.Start(t)
	for _, name := range []string{"site", "other"} {
		_, err := admin.Exec("CREATE DATABASE " + name)
		require.NoError(t, err)
	}
	s.open(t, "pgx", s.URL+"?sslmode=disable&default_query_exec_mode=exec")
	return s
}

// SQLite makes a database, which needs no server.
func SQLite(t testing.TB) *Server {
	t.Helper()
	file := filepath.Join(t.TempDir(), "content.db")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	s := &Server{URL: "sqlite:" + file}
	s.open(t, "sqlite", "file:"+file+"?_pragma=busy_timeout(5000)")
	return s
}

// AskPassword lets a PostgreSQL server ask everybody for a password, but those who are connected.
func (s *Server) AskPassword(t testing.TB) {
	t.Helper()
	file := s.Text(t, "SHOW hba_file")
	require.NoError(t, os.WriteFile(file, []byte("host all postgres 127.0.0.1/32 trust\nhost all all 127.0.0.1/32 scram-sha-256\n"), 0o600))
	s.Exec(t, "SELECT pg_reload_conf()")
	time.Sleep(200 * time.Millisecond) // which it does in its own time
}

func (s *Server) open(t testing.TB, driver, where string) {
	connect := func(where string) *sql.DB {
		db, err := sql.Open(driver, where)
		require.NoError(t, err)
		t.Cleanup(func() { _ = db.Close() })
		return db
	}
	s.SQL, s.Else = connect(where), connect(strings.Replace(where, "/site?", "/other?", 1))
}

// Start starts the server, and waits until it answers. One that ends again at once, because what was killed before
// isn't gone to its end, is started anew.
func (s *Server) Start(t testing.TB) {
	t.Helper()
	log, err := os.CreateTemp(t.TempDir(), "log")
	require.NoError(t, err)
	defer func() { _ = log.Close() }()
	t.Cleanup(s.Stop)
	for begin := time.Now(); ; time.Sleep(50 * time.Millisecond) {
		select {
		case <-s.ended:
			s.process = nil
		default:
		}
		if s.process == nil {
			s.launch(t, log)
		}
		if err = s.ping(); err == nil {
			return
		}
		if time.Since(begin) > time.Minute {
			text, _ := os.ReadFile(log.Name())
			require.NoError(t, err, string(text))
		}
	}
}

// launch starts the process.
func (s *Server) launch(t testing.TB, log *os.File) {
	t.Helper()
	process := exec.Command(s.command[0], s.command[1:]...)
	process.Stdout, process.Stderr = log, log
	process.SysProcAttr = &syscall.SysProcAttr{Credential: s.as, Pdeathsig: syscall.SIGKILL}
	process.Dir = "/"
	require.NoError(t, process.Start())
	ended := make(chan struct{})
	go func() {
		_ = process.Wait()
		close(ended)
	}()
	s.process, s.ended = process, ended
}

// Stop kills the server.
func (s *Server) Stop() {
	if s.process != nil {
		_ = s.process.Process.Kill()
		<-s.ended
		s.process, s.ended = nil, nil
	}
}

// Exec runs a statement of another client.
func (s *Server) Exec(t testing.TB, statement string, args ...any) {
	t.Helper()
	_, err := s.SQL.ExecContext(context.Background(), statement, args...)
	require.NoError(t, err)
}

// Text returns the one value of a query.
func (s *Server) Text(t testing.TB, query string, args ...any) (text string) {
	t.Helper()
	require.NoError(t, s.SQL.QueryRow(query, args...).Scan(&text))
	return text
}

// KillOthers ends all connections but that of the caller.
func (s *Server) KillOthers(t testing.TB) {
	t.Helper()
	if strings.HasPrefix(s.URL, "postgres") {
		s.Exec(t, "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'young-compass'")
		return
	}
	connection, err := s.SQL.Conn(context.Background())
	require.NoError(t, err)
	defer func() { _ = connection.Close() }()
	rows, err := connection.QueryContext(context.Background(),
		"SELECT id FROM information_schema.processlist WHERE id <> CONNECTION_ID() AND user = 'root'")
	require.NoError(t, err)
	var kills []string
	for rows.Next() {
		var id int64
		require.NoError(t, rows.Scan(&id))
		kills = append(kills, fmt.Sprint("KILL ", id))
	}
	require.NoError(t, rows.Close())
	for _, kill := range kills {
		_, _ = connection.ExecContext(context.Background(), kill) // it may have ended by itself
	}
}

func find(t testing.TB, name, folder string) string {
	if path, err := exec.LookPath(name); err == nil {
		return path
	}
	path := filepath.Join(folder, name)
	require.FileExists(t, path)
	return path
}

// folder makes a folder that another user may own.
func folder(t testing.TB, as *syscall.Credential) string {
	dir, err := os.MkdirTemp("", "young-compass-test")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if as != nil {
		require.NoError(t, os.Chown(dir, int(as.Uid), int(as.Gid)))
	}
	return dir
}

func run(t testing.TB, as *syscall.Credential, name string, args ...string) {
	t.Helper()
	c := exec.Command(name, args...)
	c.SysProcAttr = &syscall.SysProcAttr{Credential: as}
	c.Dir = "/"
	out, err := c.CombinedOutput()
	require.NoError(t, err, "%s: %s", name, out)
}

func freePort(t testing.TB) string {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = listener.Close() }()
	_, port, err := net.SplitHostPort(listener.Addr().String())
	require.NoError(t, err)
	return port
}
