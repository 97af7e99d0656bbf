// Package demo holds the made-up site of Skerrywick Ferries: what its
// administrator has at the beginning, and stand-ins for its old and new server.
package demo

import (
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	_ "modernc.org/sqlite" // registers the driver

	"young-compass/internal/address"
)

//go:embed data
var files embed.FS

// The files of the demo.
const (
	OldSite      = "old-site.csv"      // the pages with their old addresses
	OldRedirects = "old-redirects.csv" // the inherited list, with its troubles
	Redirects    = "redirects.csv"     // the mended list
	IslandGuide  = "island-guide.csv"  // another site, whose pages move into this one
	Config       = "young-compass.yaml"
)

// The collision of the demo, and how a person solves it: the second of two
// pages with one title gets an address by hand.
const (
	CollidingKey = "guide-walks-kvitsund"
	FixedAddress = "/guides/harbour-walk-kvitsund"
)

// Site returns the hosts of Skerrywick Ferries, as its plan names them.
func Site() address.Site {
	return address.Site{Origin: address.Address{Scheme: "https", Host: "skerrywick.example", Path: "/"},
		Hosts: []string{"www.skerrywick.example", "ferries.skerrywick.example"}}
}

// File returns a file of the demo.
func File(name string) ([]byte, error) { return files.ReadFile("data/" + name) }

// Sources is the folder of the demo with what else its administrator has: a
// table, a feed, a sitemap, a log, pages, of every form that is read.
const Sources = "sources"

// Content is the folder of the demo with what the site shows, as it was before the move: pages, a style, a menu, a
// dump of the content system's database. Their links are the old ones.
const Content = "content"

// CopySources writes the folder Sources into another folder.
func CopySources(dir string) error { return copyFolder(dir, Sources) }

// CopyContent writes the folder Content into another folder.
func CopyContent(dir string) error { return copyFolder(dir, Content) }

// Database is the file of the demo that stands for the content system's database.
const Database = "content.db"

// MakeDatabase writes the content system's database into a folder: posts, as they were before the move. Their links
// are the old ones.
func MakeDatabase(dir string) error {
	script, err := files.ReadFile("data/database.sql")
	if err != nil {
		return fmt.Errorf("making the demo's database: %w", err)
	}
	db, err := sql.Open("sqlite", filepath.Join(dir, Database))
	if err != nil {
		return fmt.Errorf("making the demo's database: %w", err)
	}
	if _, err = db.Exec(string(script)); err != nil {
		err = fmt.Errorf("making the demo's database: %w", err)
	}
	return errors.Join(err, db.Close())
}

func copyFolder(dir, name string) error {
	folder, err := fs.Sub(files, "data/"+name)
	if err != nil {
		return err
	}
	if err := os.CopyFS(dir+"/"+name, folder); err != nil {
		return fmt.Errorf("copying the demo's %s: %w", name, err)
	}
	return nil
}
