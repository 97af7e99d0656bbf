package project

// Change is what a file of a project is to hold.
type Change struct {
	Name string
	Data []byte
}

// Write makes files of a project hold what they are to hold: all of them, or none.
type Write func(changes ...Change) error

// The files that gather makes besides pages and addresses.
const (
	VisitsFile   = "visits.csv"
	GatheredFile = "gathered.csv"
)

// BaselinesFolder holds what probes found, under names that people gave.
const BaselinesFolder = "baselines"

// Gathered is what gather changes in a project. What is nil stays as it is. The memory belongs to the pages: what it
// doesn't know of them is a person's.
type Gathered struct{ Pages, Addresses, Visits, Memory []byte }

// Write writes the files.
func (g Gathered) Write(write Write) error {
	return write(changes(Change{PagesFile, g.Pages}, Change{AddressesFile, g.Addresses}, Change{VisitsFile, g.Visits},
		Change{GatheredFile, g.Memory})...)
}

// Accepted is what accepting addresses changes in a project. What is nil stays as it is.
type Accepted struct{ Pages, Addresses []byte }

// Write writes the files.
func (a Accepted) Write(write Write) error {
	return write(changes(Change{PagesFile, a.Pages}, Change{AddressesFile, a.Addresses})...)
}

// changes leaves out what stays as it is.
func changes(all ...Change) (list []Change) {
	for _, c := range all {
		if c.Data != nil {
			list = append(list, c)
		}
	}
	return list
}
