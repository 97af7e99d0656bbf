package database

import (
	"bufio"
	"cmp"
	"context"
	"database/sql"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
)

// mysqlDialect is that of MariaDB and MySQL.
type mysqlDialect struct{}

// connectTime is how long making a connection may take.
const connectTime = 15 * time.Second

func openMySQL(u *url.URL, secret Secret) (*sql.DB, error) {
	c := mysql.NewConfig()
	c.User, c.DBName = u.User.Username(), strings.Trim(u.Path, "/")
	if c.DBName == "" {
		return nil, fmt.Errorf("%w: it names no database; %s", ErrURL, usage)
	}
	c.Net, c.Addr = "tcp", net.JoinHostPort(cmp.Or(u.Hostname(), "localhost"), cmp.Or(u.Port(), "3306"))
	c.TLSConfig = "preferred"
	for name, values := range u.Query() {
		switch name {
		case "socket":
			c.Net, c.Addr, c.TLSConfig = "unix", values[0], ""
		case "tls":
			c.TLSConfig = values[0]
		default:
			return nil, fmt.Errorf("%w: %q is not known there; socket and tls are", ErrURL, name)
		}
	}
	var err error
	if c.Passwd, err = secret.password(); err != nil {
		return nil, err
	}
	if c.Passwd == "" {
		if c.Passwd, err = mysqlPassword(); err != nil {
			return nil, err
		}
	}
	c.Timeout, c.MaxAllowedPacket = connectTime, 0 // what the server allows
	// What is too long must be an error, whatever the server is set to.
	c.Params = map[string]string{"sql_mode": "CONCAT(@@sql_mode, ',STRICT_ALL_TABLES')", "innodb_lock_wait_timeout": "2",
		"lock_wait_timeout": "2"}
	if err := c.Apply(mysql.Charset("utf8mb4", "")); err != nil {
		return nil, err
	}
	c.Logger = &mysql.NopLogger{}
	connector, err := mysql.NewConnector(c)
	if err != nil {
		return nil, err
	}
	return sql.OpenDB(connector), nil
}

// mysqlPassword returns the password that the client's own means have: MYSQL_PWD, or .my.cnf in the home folder.
//
//	[client]
//	password = "secret"
func mysqlPassword() (string, error) {
	if password := os.Getenv("MYSQL_PWD"); password != "" {
		return password, nil
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "", nil
	}
	f, err := os.Open(filepath.Join(home, ".my.cnf"))
	if errors.Is(err, fs.ErrNotExist) {
		return "", nil
	}
	if err != nil {
		return "", fmt.Errorf("reading the password: %w", err)
	}
	defer func() { _ = f.Close() }()
	ours := false
	password := ""
	lines := bufio.NewScanner(f)
	for lines.Scan() {
		line := strings.TrimSpace(lines.Text())
		if strings.HasPrefix(line, "[") {
			ours = line == "[client]" || line == "[mysql]" || line == "[client-mariadb]"
			continue
		}
		name, value, ok := strings.Cut(line, "=")
		if ours && ok && strings.TrimSpace(name) == "password" {
			password = strings.Trim(strings.TrimSpace(value), `"'`)
		}
	}
	return password, lines.Err()
}

func (mysqlDialect) quote(name string) string { return "`" + strings.ReplaceAll(name, "`", "``") + "`" }
func (mysqlDialect) param(int) string         { return "?" }

// bytewise are the character sets in which each byte below 128 is the character of ASCII, so that texts can be taken
// byte by byte. The others are converted by the server.
func bytewise(charset string) bool {
	return slices.Contains([]string{"utf8", "utf8mb3", "utf8mb4", "ascii", "latin1", "latin2", "latin5", "latin7", "cp850",
		"cp852", "cp866", "cp1250", "cp1251", "cp1256", "cp1257", "koi8r", "koi8u", "greek", "hebrew", "tis620", "macce",
		"macroman"}, charset)
}

func (d mysqlDialect) read(c Column) string {
	switch name := d.quote(c.Name); {
	case c.Kind == Binary:
		return name
	case c.Kind == JSON:
		return "CAST(CAST(" + name + " AS CHAR) AS BINARY)"
	case !bytewise(c.charset):
		return "CAST(CONVERT(" + name + " USING utf8mb4) AS BINARY)"
	default:
		return "CAST(" + name + " AS BINARY)"
	}
}

func (d mysqlDialect) same(c Column, param string) string {
	return d.read(c) + " = FROM_BASE64(" + param + ")"
}

func (d mysqlDialect) set(c Column, param string) string {
	switch {
	case c.Kind == Binary:
		return "FROM_BASE64(" + param + ")"
	case c.Kind != JSON && bytewise(c.charset):
		return "CONVERT(FROM_BASE64(" + param + ") USING " + c.charset + ")"
	default:
		return "CONVERT(FROM_BASE64(" + param + ") USING utf8mb4)"
	}
}

// value is sent in letters: the server takes no bytes that aren't of the connection's character set.
func (mysqlDialect) value(text []byte) any { return base64.StdEncoding.EncodeToString(text) }

func (d mysqlDialect) readKey(c Column) string { return d.byName(c, d.quote(c.Name)) }

func (d mysqlDialect) orderKey(table string, c Column) string {
	return d.byName(c, table+"."+d.quote(c.Name))
}

// byName takes an enumeration for its name: in order it would be a number, compared with a parameter a text.
func (mysqlDialect) byName(c Column, expression string) string {
	if strings.HasPrefix(c.Type, "enum") || strings.HasPrefix(c.Type, "set") {
		return "CAST(" + expression + " AS BINARY)"
	}
	return expression
}

func (mysqlDialect) keyParam(_ Column, param string) string { return param }

func (mysqlDialect) trouble(err error) trouble {
	var of *mysql.MySQLError
	if errors.Is(err, mysql.ErrInvalidConn) {
		return lost
	}
	if !errors.As(err, &of) {
		return refused
	}
	switch of.Number {
	case 1053, 1152, 1184, 1317, 1927, 2006, 2013: // the server ends, or the connection was killed
		return lost
	case 1205, 1213, 3572: // waited too long, a deadlock
		return locked
	}
	return refused
}

func (d mysqlDialect) tables(ctx context.Context, db *DB) ([]Table, error) {
	var tables tableList
	err := db.each(ctx, `SELECT table_name, table_type, COALESCE(table_rows, 0) FROM information_schema.tables
		WHERE table_schema = DATABASE() ORDER BY table_name`, func(scan func(...any) error) error {
		t := Table{db: db}
		var kind string
		if err := scan(&t.Name, &kind, &t.Rows); err != nil {
			return err
		}
		t.quoted = d.quote(t.Name)
		switch kind {
		case "BASE TABLE", "SYSTEM VERSIONED":
		case "VIEW":
			t.Problem = isView
		default:
			t.Problem = "it is no table of rows, but a " + strings.ToLower(kind)
		}
		tables = append(tables, t)
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = db.each(ctx, `SELECT table_name, column_name, data_type, column_type, COALESCE(character_maximum_length, 0),
		COALESCE(character_octet_length, 0), COALESCE(character_set_name, ''), extra
		FROM information_schema.columns WHERE table_schema = DATABASE() ORDER BY table_name, ordinal_position`,
		func(scan func(...any) error) error {
			var table, kind, extra string
			var chars, octets uint64
			var c Column
			if err := scan(&table, &c.Name, &kind, &c.Type, &chars, &octets, &c.charset, &extra); err != nil {
				return err
			}
			c.chars, c.octets = clamp(chars), clamp(octets)
			extra = strings.ToLower(extra)
			c.Generated = strings.Contains(extra, "generated") && !strings.Contains(extra, "default_generated")
			c.touched = strings.Contains(extra, "on update")
			switch kind {
			case "char", "varchar", "tinytext", "text", "mediumtext", "longtext":
				c.Kind = Text
			case "json":
				c.Kind, c.charset = JSON, "utf8mb4"
			case "binary", "varbinary", "tinyblob", "blob", "mediumblob", "longblob":
				c.Kind = Binary
			}
			tables.add(table, c)
			return nil
		})
	if err != nil {
		return nil, err
	}
	// The primary key, else another one in which nothing is NULL.
	err = db.each(ctx, `SELECT s.table_name, s.index_name, s.column_name FROM information_schema.statistics s
		WHERE s.table_schema = DATABASE() AND s.non_unique = 0 AND NOT EXISTS (SELECT 1 FROM information_schema.statistics n
			WHERE n.table_schema = s.table_schema AND n.table_name = s.table_name AND n.index_name = s.index_name
			AND (n.nullable = 'YES' OR n.sub_part IS NOT NULL))
		ORDER BY s.table_name, s.index_name <> 'PRIMARY', s.index_name, s.seq_in_index`, tables.keys)
	return tables, err
}
