package nginx

import (
	"bytes"
	"fmt"

	"young-compass/internal/address"
)

// index returns the names of index files that a real folder shows without a slash behind its name: else nginx adds one,
// which the plan removes, and so on.
func (e *emitter) index() []string {
	if e.Plan.Paths.Slash != address.SlashNever {
		return nil
	}
	return e.Plan.Paths.Index
}

// shown writes lines that show the index file of a real folder. They stand in a location, so that other requests ask
// the disk once.
func (e *emitter) shown(b *bytes.Buffer) {
	if len(e.index()) == 0 {
		return
	}
	b.WriteString("if (-d $§folder) { rewrite ^ /§folder last; }\nlocation = /§folder {\n\tinternal;\n")
	for _, name := range e.index() {
		fmt.Fprintf(b, "\tif (-f $§folder/%s) { rewrite ^ $§asked/%[1]s last; }\n", value(name))
	}
	for _, extension := range address.PageExtensions() { // a page beside the folder is found as the site finds pages
		fmt.Fprintf(b, "\tif (-f $§folder%s) { rewrite ^ $§asked last; }\n", extension)
	}
	b.WriteString("\trewrite ^ $§asked/ last;\n}\n") // else nginx would add a slash, which the plan removes
	if e.Quick == nil || !e.Quick.Unlisted {
		return
	}
	b.WriteString("# a real folder that is called like an asset keeps its slash: the disk isn't asked for each asset\n" +
		"if ($§do = folder) { rewrite ^ /§slash last; }\nlocation = /§slash {\n\tinternal;\n\tset $§do $§looked_up;\n" +
		"\tif (-d $document_root$§asked) { set $§do \"\"; }\n")
	e.returns(b, "\t")
	b.WriteString("\trewrite ^ $§asked last;\n}\n")
}

// folders writes maps that say where an index file may be.
func (e *emitter) folders(c *conf) {
	if len(e.index()) == 0 {
		return
	}
	c.note("where a real folder has its index file, for requests that are left to the site")
	exempt, flag := "", ""
	if len(e.Plan.Scope.Only.List())+len(e.Plan.Scope.Except.List()) > 0 {
		exempt, flag = "$§exempt", "0"
	}
	folder := "folder"
	switch {
	case e.Quick == nil || e.Quick.Asset == "":
	case e.Quick.Unlisted:
		c.mapping("$§asset", folder, otherwise("$§folder_worked"), line(assetRequest, `""`))
		folder = "folder_worked"
	default: // on the origin; no slash at the end
		c.mapping("$§plain", folder, otherwise("$§folder_worked"), line(assetRequest, `"$document_root$§asked"`))
		folder = "folder_worked"
	}
	c.mapping(`"$§do/$§site`+exempt+`$§asked"`, folder, otherwise("/dev/null"), // in which there is nothing
		line(expression(`^/[ol]`+flag+`/.*[^/]\z`), "$document_root$§asked"))
}
