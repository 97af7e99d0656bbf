// Package docs holds the pages of the documentation that the program hands out.
package docs

import _ "embed"

//go:embed rented-hosting.md
var rentedHosting string

// RentedHosting returns the page for people whose host gives them a folder and a script language, in Markdown.
func RentedHosting() string { return rentedHosting }
