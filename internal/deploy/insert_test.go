package deploy_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/deploy"
	"young-compass/internal/server"
	"young-compass/internal/server/httpd"
	"young-compass/internal/server/nginx"
)

// How people write their servers' files; what is put in stands in the right block, and comes out byte for byte.
func TestInsertIntoFilesAsPeopleWriteThem(t *testing.T) {
	root := t.TempDir()
	names := filepath.Join(root, "names.conf")
	require.NoError(t, os.WriteFile(names, []byte("server_name skerrywick.example;\nServerName skerrywick.example\n"),
		0o600))
	for name, c := range map[string]struct {
		target server.Target
		text   string
		within string // what stands right behind the lines that were put into the site's block
		blocks int    // 0: it is refused
	}{
		"on one line": {nginx.Target{}, "server { listen 80; server_name skerrywick.example; }\n",
			" listen 80;", 2},
		"brace on the next": {nginx.Target{}, "server\n{\nserver_name skerrywick.example;\n}\n", "server_name", 2},
		"a comment behind": {nginx.Target{}, "server { # mine {\n\tserver_name skerrywick.example;\n}\n",
			"\tserver_name", 2},
		"names on two lines": {nginx.Target{}, "server {\nserver_name a.example\n\t\"skerrywick.example\";\n}\n",
			"server_name", 2},
		"names in a file": {nginx.Target{}, "server {\ninclude names.conf;\n}\n", "include names", 2},
		"an expression": {nginx.Target{},
			"server {\nlocation ~ \"^/x{1,2}}\" { return 204; }\nserver_name skerrywick.example;\n}\n", "location", 2},
		"a variable's braces": {nginx.Target{}, "server {\nset $a ${host}x;\nserver_name skerrywick.example;\n}\n",
			"set", 2},
		"code of its own": {nginx.Target{},
			"server {\ncontent_by_lua_block { if a then b({}) end -- don't\n}\nserver_name skerrywick.example;\n}\n", "content", 2},
		"within http": {nginx.Target{},
			"events {}\nhttp {\n\tserver {\n\t\tserver_name skerrywick.example;\n\t}\n}\n", "\t\tserver_name", 2},
		"two blocks": {nginx.Target{},
			"server {\nserver_name skerrywick.example;\n}\nserver {\nserver_name www.skerrywick.example;\n}\n", "server_name", 3},
		"another site":       {nginx.Target{}, "server { server_name other.example; }\n", "", 0},
		"a stream":           {nginx.Target{}, "stream {\nserver { server_name skerrywick.example; }\n}\n", "", 0},
		"a brace too many":   {nginx.Target{}, "}\nserver { server_name skerrywick.example; }\n", "", 0},
		"lines end in CR LF": {nginx.Target{}, "server { server_name skerrywick.example; }\r\n", " server_name", 2},
		"a continued alias": {httpd.Host{},
			"<VirtualHost *:80>\nServerName a.example\nServerAlias b.example \\\n  skerrywick.example\n</VirtualHost>\n", "ServerName a", 1},
		"a continued section": {httpd.Host{},
			"<VirtualHost \\\n *:80>\nServerName skerrywick.example\n</VirtualHost>\n", "ServerName", 1},
		"names in a file too": {httpd.Host{}, "<VirtualHost *:80>\nInclude names.conf\n</VirtualHost>\n",
			"Include names", 1},
		"a macro": {httpd.Host{},
			"<Macro S $n>\n<VirtualHost *:80>\nServerName $n\n</VirtualHost>\n</Macro>\nUse S skerrywick.example\n", "ServerName $n", 1},
		"a macro of others": {httpd.Host{},
			"<Macro S $n>\n<VirtualHost *:80>\nServerName $n\n</VirtualHost>\n</Macro>\nUse S other.example\n", "", 0},
		"a port and a scheme": {httpd.Host{},
			"<virtualhost *:80>\nservername http://skerrywick.example:80\n</virtualhost>\n", "servername", 1},
		"nothing of the site's": {httpd.Host{}, "<VirtualHost *:80>\nServerName a.example\n</VirtualHost>\n", "", 0},
	} {
		t.Run(name, func(t *testing.T) {
			hosts := []string{"skerrywick.example", "www.skerrywick.example"}
			into := server.Into{Text: c.text, Folder: "/etc/pieces", Root: root, Hosts: hosts}
			text, err := deploy.Insert(c.target, into)
			if c.blocks == 0 {
				assert.Error(t, err)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, c.blocks, strings.Count(string(text), "# young-compass ends"), "%s", text)
			_, behind, _ := strings.Cut(string(text), nginx.ServerFile+";")
			if c.target == (httpd.Host{}) {
				_, behind, _ = strings.Cut(string(text), httpd.HostFile)
			}
			_, behind, _ = strings.Cut(behind, "# young-compass ends")
			assert.Truef(t, strings.HasPrefix(strings.TrimLeft(behind, "\r\n"), c.within), "%s", text)
			rest, removed, err := deploy.Remove(text, c.target.Name(), hosts)
			require.NoError(t, err)
			assert.Equal(t, c.blocks, removed)
			assert.Equal(t, c.text, string(rest))
			_, removed, err = deploy.Remove(text, c.target.Name(), []string{"other.example"})
			require.NoError(t, err)
			assert.Zero(t, removed, "another site's lines stay")
		})
	}
}
