// Package database reads and changes texts in a site's database: MariaDB or MySQL, PostgreSQL, SQLite. It reads rows in
// the order of their key, and changes a row only where it still is what it was.
package database

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strings"
)

// DB is an open database.
type DB struct {
	Name string // its URL, without user, password and options

	sql *sql.DB
	dialect
}

// dialect is what databases do each in its own way.
type dialect interface {
	quote(name string) string
	param(n int) string // the n-th of a statement, from 1

	// read is the expression of a column's bytes, same the condition that they are those of a parameter, and set what
	// such a parameter is as a value of the column.
	read(c Column) string
	same(c Column, param string) string
	set(c Column, param string) string
	value(text []byte) any // such a parameter

	// The key is read, put in order and compared by these. The order names the table, too: else PostgreSQL would order by
	// the text that is read.
	readKey(c Column) string
	orderKey(table string, c Column) string
	keyParam(c Column, param string) string

	tables(ctx context.Context, db *DB) ([]Table, error)
	trouble(err error) trouble
}

// trouble is what kind of error a database has.
type trouble int

const (
	refused trouble = iota // the statement is at fault, or the row
	lost                   // the connection is
	locked                 // another client has the row
)

// ErrURL says that the URL of a database isn't one.
var ErrURL = errors.New("the URL of the database can't be read")

// Open opens a database by its URL:
//
//	mysql://editor@db.skerrywick.example/site
//	mysql://editor@localhost/site?socket=/run/mysqld/mysqld.sock
//	postgres://editor@db.skerrywick.example/site
//	sqlite:content.db
//
// There must be no password in it: Secret says where that is. Errors are those of the URL, of reading the password, and
// of connecting.
func Open(ctx context.Context, where string, secret Secret) (*DB, error) {
	u, err := url.Parse(where)
	if err != nil {
		return nil, fmt.Errorf("%w: %s", ErrURL, usage) // its own error would show what may be a password
	}
	if _, has := u.User.Password(); has || u.Query().Has("password") {
		return nil, fmt.Errorf("%w: no password belongs into it, where others see it; %s", ErrURL, advice)
	}
	db := &DB{Name: u.Scheme + "://" + u.Host + u.Path}
	switch u.Scheme {
	case "mysql", "mariadb":
		db.dialect = mysqlDialect{}
		db.sql, err = openMySQL(u, secret)
	case "postgres", "postgresql":
		db.dialect = postgresDialect{}
		db.sql, err = openPostgres(u, secret)
	case "sqlite":
		db.dialect = sqliteDialect{}
		if db.Name, err = filepath.Abs(sqliteFile(u)); err == nil {
			db.sql, err = openSQLite(db.Name)
		}
		db.Name = "sqlite:" + db.Name
	default:
		return nil, fmt.Errorf("%w: %s", ErrURL, usage)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", db.Name, err)
	}
	db.sql.SetMaxOpenConns(1) // one thing is done after the other, and sees what was done before
	if err := db.sql.PingContext(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", db.Name, err), db.sql.Close())
	}
	return db, nil
}

// Close closes the database.
func (db *DB) Close() error { return db.sql.Close() }

// Lost reports whether an error says that the connection was lost, so that a new one may do.
func (db *DB) Lost(err error) bool { return err != nil && db.kind(err) == lost }

// kind tells what kind an error is of.
func (db *DB) kind(err error) trouble {
	var network net.Error
	switch {
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return refused
	case errors.Is(err, driver.ErrBadConn), errors.Is(err, sql.ErrConnDone), errors.Is(err, io.EOF),
		errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, net.ErrClosed), errors.As(err, &network):
		return lost
	}
	return db.trouble(err)
}

// Secret says where the password of a database is: in a file, else in the environment (YOUNG_COMPASS_DB_PASSWORD), else
// where the database's own clients have it: PGPASSWORD and .pgpass, MYSQL_PWD and .my.cnf. The zero value knows the last.
type Secret struct {
	File string // that holds nothing but the password
}

// PasswordVariable is the variable of the environment that may hold the password.
const PasswordVariable = "YOUNG_COMPASS_DB_PASSWORD"

const usage = "write mysql://USER@HOST/NAME, postgres://USER@HOST/NAME or sqlite:FILE"

const advice = "put it into the variable " + PasswordVariable + ", a file (--password-file), or the client's own file"

// password returns the password, if the secret itself has one.
func (s Secret) password() (string, error) {
	if s.File == "" {
		return os.Getenv(PasswordVariable), nil
	}
	text, err := os.ReadFile(s.File)
	if err != nil {
		return "", fmt.Errorf("reading the password: %w", err)
	}
	return strings.TrimRight(string(text), "\r\n"), nil
}
