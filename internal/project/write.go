package project

import "path/filepath"

// Write replaces a file.
type Write func(path string, data []byte) error

// The files that gather makes besides pages and addresses.
const (
	VisitsFile   = "visits.csv"
	GatheredFile = "gathered.csv"
)

// Gathered is what gather changes in a project. What is nil stays as it is.
type Gathered struct{ Pages, Addresses, Visits, Memory []byte }

// Write writes the files in an order in which a crash costs nothing. The memory comes last: a run that breaks off
// before
// it is written finds what it wrote itself in pages.csv, and writes the same again.
func (g Gathered) Write(dir string, write Write) error {
	return inOrder(dir, write, change{PagesFile, g.Pages}, change{AddressesFile, g.Addresses},
		change{VisitsFile, g.Visits}, change{GatheredFile, g.Memory})
}

// Accepted is what accepting addresses changes in a project. What is nil stays as it is.
type Accepted struct{ Pages, Addresses []byte }

// Write writes the files in an order in which a crash costs nothing: what a person fixed in pages.csv comes first,
// since
// the addresses are made from it.
func (a Accepted) Write(dir string, write Write) error {
	return inOrder(dir, write, change{PagesFile, a.Pages}, change{AddressesFile, a.Addresses})
}

type change struct {
	name string
	data []byte
}

func inOrder(dir string, write Write, changes ...change) error {
	for _, c := range changes {
		if c.data == nil {
			continue
		}
		if err := write(filepath.Join(dir, c.name), c.data); err != nil {
			return err
		}
	}
	return nil
}
