// Package store keeps what a site answered in the project's database
// (young-compass.db, SQLite), so that an interrupted run goes on where it was,
// and results to compare later ones with.
package store

import (
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"path/filepath"
	"strings"
	"sync"
	"time"

	_ "modernc.org/sqlite" // registers the driver

	"young-compass/internal/address"
)

// FileName is where a project keeps its database.
const FileName = "young-compass.db"

// Store is an open database.
type Store struct{ db *sql.DB }

const schema = `
CREATE TABLE IF NOT EXISTS runs (id INTEGER PRIMARY KEY, asked TEXT NOT NULL, started TEXT NOT NULL, finished TEXT);
CREATE TABLE IF NOT EXISTS answers (
	run INTEGER NOT NULL, address TEXT NOT NULL, at TEXT NOT NULL, answer BLOB NOT NULL, PRIMARY KEY (run, address)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS baselines (name TEXT PRIMARY KEY, at TEXT NOT NULL, content BLOB NOT NULL);`

// Open opens the database of a project, and makes it if there is none.
func Open(dir string) (*Store, error) {
	path := filepath.Join(dir, FileName)
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+
		"?_pragma=journal_mode(wal)&_pragma=synchronous(normal)&_pragma=busy_timeout(5000)")
	if err != nil {
		return nil, fmt.Errorf("opening %s: %w", path, err)
	}
	db.SetMaxOpenConns(1)
	if _, err := db.Exec(schema); err != nil {
		return nil, errors.Join(fmt.Errorf("opening %s: %w; it holds what the site answered, which can be asked "+
			"for again, and what --save kept: move it away", path,
			err), db.Close())
	}
	return &Store{db}, nil
}

// Close closes the database.
func (s *Store) Close() error { return s.db.Close() }

// Run is one round of asking a site. It can be used by many at a time.
type Run struct {
	Resumed int    // answers that an interrupted run had already
	Late    string // the day on which one began that is too old to go on with

	store *Store
	id    int64
	now   func() time.Time

	mu      sync.Mutex
	waiting []answer
}

type answer struct {
	address, at string
	content     []byte
}

// batch is how many answers are committed together; so many are asked for again
// at most, when a run is broken off.
const batch = 200

// MaxAge is how old a run that was broken off may be: a site changes, and what it answered then says nothing of it now.
const MaxAge = 24 * time.Hour

// Begin begins a run, or goes on with the last one if that asked the same and
// didn't come to its end. What older runs brought is deleted.
func (s *Store) Begin(asked string, now func() time.Time) (*Run, error) {
	r := &Run{store: s, now: now}
	var last, started string
	var finished sql.NullString
	err := s.db.QueryRow("SELECT id, asked, started, finished FROM runs ORDER BY id DESC LIMIT 1").Scan(&r.id, &last, &started,
		&finished)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return nil, fmt.Errorf("reading the last run: %w", err)
	}
	begun, unknown := time.Parse(time.RFC3339, started)
	if err == nil && last == asked && !finished.Valid && (unknown != nil || now().Sub(begun) > MaxAge) {
		r.Late, _, _ = strings.Cut(started, "T")
	} else if err == nil && last == asked && !finished.Valid {
		err := s.db.QueryRow("SELECT count(*) FROM answers WHERE run = ?", r.id).Scan(&r.Resumed)
		if err != nil {
			return nil, fmt.Errorf("reading the last run: %w", err)
		}
		return r, nil
	}
	for _, statement := range []string{"DELETE FROM answers", "DELETE FROM runs"} {
		if _, err := s.db.Exec(statement); err != nil {
			return nil, fmt.Errorf("deleting older runs: %w", err)
		}
	}
	result, err := s.db.Exec("INSERT INTO runs (asked, started) VALUES (?, ?)", asked, now().UTC().Format(time.RFC3339))
	if err != nil {
		return nil, fmt.Errorf("beginning a run: %w", err)
	}
	r.id, err = result.LastInsertId()
	return r, err
}

// Get returns an answer that the run has already.
func (r *Run) Get(a address.Address) (content []byte, ok bool, err error) {
	if r.Resumed == 0 {
		return nil, false, nil
	}
	err = r.store.db.QueryRow("SELECT answer FROM answers WHERE run = ? AND address = ?", r.id,
		a.String()).Scan(&content)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return nil, false, nil
	case err != nil:
		return nil, false, fmt.Errorf("reading the answer of %s: %w", a, err)
	}
	return content, true, nil
}

// Put keeps an answer. It is safe on disk with the batch it belongs to.
func (r *Run) Put(a address.Address, content []byte) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.waiting = append(r.waiting, answer{a.String(), r.now().UTC().Format(time.RFC3339), content})
	if len(r.waiting) < batch {
		return nil
	}
	return r.commit()
}

func (r *Run) commit() error {
	tx, err := r.store.db.Begin()
	if err != nil {
		return fmt.Errorf("keeping answers: %w", err)
	}
	insert, err := tx.Prepare("INSERT OR REPLACE INTO answers (run, address, at, answer) VALUES (?, ?, ?, ?)")
	for i := 0; i < len(r.waiting) && err == nil; i++ {
		w := r.waiting[i]
		_, err = insert.Exec(r.id, w.address, w.at, w.content)
	}
	if err == nil {
		err = tx.Commit()
	} else {
		err = errors.Join(err, tx.Rollback())
	}
	if err != nil {
		return fmt.Errorf("keeping answers: %w", err)
	}
	r.waiting = r.waiting[:0]
	return nil
}

// Pause keeps what there is, so that a later run goes on from here.
func (r *Run) Pause() error {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.commit()
}

// Finish ends the run: the next one asks anew.
func (r *Run) Finish() error {
	if err := r.Pause(); err != nil {
		return err
	}
	if _, err := r.store.db.Exec("UPDATE runs SET finished = ? WHERE id = ?", r.now().UTC().Format(time.RFC3339),
		r.id); err != nil {
		return fmt.Errorf("ending the run: %w", err)
	}
	return nil
}

// Save keeps a result under a name.
func (s *Store) Save(name string, content []byte, at time.Time) error {
	_, err := s.db.Exec("INSERT OR REPLACE INTO baselines (name, at, content) VALUES (?, ?, ?)", name,
		at.UTC().Format(time.RFC3339), content)
	if err != nil {
		return fmt.Errorf("keeping %s: %w", address.Printable(name), err)
	}
	return nil
}

// Saved returns what is kept under a name; ok is false if nothing is.
func (s *Store) Saved(name string) (content []byte, at string, ok bool, err error) {
	err = s.db.QueryRow("SELECT content, at FROM baselines WHERE name = ?", name).Scan(&content, &at)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return nil, "", false, nil
	case err != nil:
		return nil, "", false, fmt.Errorf("reading %s: %w", address.Printable(name), err)
	}
	return content, at, true, nil
}

// Names returns the names under which something is kept, in order.
func (s *Store) Names() (names []string, err error) {
	rows, err := s.db.Query("SELECT name FROM baselines ORDER BY name")
	if err != nil {
		return nil, fmt.Errorf("reading the names of baselines: %w", err)
	}
	defer func() { err = errors.Join(err, rows.Close()) }()
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			return nil, err
		}
		names = append(names, name)
	}
	return names, rows.Err()
}

// Stopped returns how many addresses the last run has asked for, if it was broken off, and can still be gone on with.
func (s *Store) Stopped(now time.Time) (answers int, err error) {
	var id int64
	var started string
	var finished sql.NullString
	err = s.db.QueryRow("SELECT id, started, finished FROM runs ORDER BY id DESC LIMIT 1").Scan(&id, &started, &finished)
	begun, unknown := time.Parse(time.RFC3339, started)
	switch {
	case errors.Is(err, sql.ErrNoRows) || err == nil && (finished.Valid || unknown != nil || now.Sub(begun) > MaxAge):
		return 0, nil
	case err == nil:
		err = s.db.QueryRow("SELECT count(*) FROM answers WHERE run = ?", id).Scan(&answers)
	}
	if err != nil {
		return 0, fmt.Errorf("reading the last run: %w", err)
	}
	return answers, nil
}
