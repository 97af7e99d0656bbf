package nginx

import (
	"strings"

	"young-compass/internal/server"
)

// The classes of requests that may be spared steps, as the map "plain" tells them: by what stands in the address.
const (
	plainRequest = `""`
	askedRequest = `"?"` // with a query
	assetRequest = `"."`
	assetFolder  = `"./"` // like an asset, with a slash at its end
)

// quick writes maps that spare requests for plain addresses most of the others.
func (e *emitter) quick(c *conf) {
	c.note("plain addresses: what an entry or a pattern says, and nothing else")
	path := strings.TrimSuffix(strings.TrimPrefix(e.Quick.Path, "^"), `\z`)
	path = "^" + server.Quote(e.Plan.Site.Origin.Base()) + strings.Replace(path, `(?:/|\z)`, `(?:[/?]|\z)`, 1)
	hidden := ""
	for _, expression := range e.Quick.Hidden { // none of them is found in the query
		hidden += `(?!.*?(?:` + strings.NewReplacer(`(?:^|&)`, `(?<=[?&])`, `^&`, `(?<=\?)&`).Replace(expression) + `))`
	}
	asked := `|(?<§c1>\?)(?=[^#]++\z)` + hidden
	asset, mark := "", ""
	if len(e.Quick.Suffixes) > 0 && !e.Quick.Unlisted {
		asset, mark = `|(?<!/)(?<§c2>[.])(?:(?:[a-z0-9._~-]*+/[a-z0-9_~-]++)++[.])?+(?:[a-z0-9_~-]*+[.])*?(?:`+
			strings.Join(e.Quick.Suffixes, "|")+`)(?:\?|\z)`, "$§c2"
	}
	if whole := path + `(?:\z` + asked + asset + `)`; len(expression(whole)) < maxToken {
		c.mapping(`"$scheme://$host$request_uri"`, "plain", line(expression(whole), `"$§c1`+mark+`"`), otherwise("0"))
	} else {
		c.mapping(`"$scheme://$host$request_uri"`, "plain", line(expression(path+`(?:\z`+asset+`)`), `"`+mark+`"`),
			otherwise("0"))
	}
	whole := func(to string) string { return server.Reading{Set: "0", To: to}.Move(server.Move) }
	c.mapping("$§d1", "found", otherwise("other"), line(`""`, "none"), line(expression(`^`+string(server.Live)),
		"$§at_home"),
		line(expression(`^`+whole(`[^?#]*\z`)), "bare"), line(expression(`^`+whole(`[^?#]*\?[^#]*\z`)), "asking"),
		line(expression(`^`+string(server.Move)), "move"))
	c.mapping(`"$§d1 $§uri"`, "at_home", otherwise("other"),
		line(expression(`^`+server.Reading{Identity: `(\S+) \1\z`}.Stay(server.Live)), "none"))
	c.mapping(`"$§plain $§found"`, "quick", otherwise(`""`), line(`" none"`, "pass"), line(`"? none"`, "pass"),
		line(`". none"`, "pass"), line(`" move"`, "move"), line(`" bare"`, "move"), line(`" asking"`, "move"),
		line(`"? bare"`, "ask"), line(`"? asking"`, "add"))
	c.mapping(`"$request_method $§d1"`, "quick_code", otherwise("0"),
		line(expression(`^(?:GET|HEAD) `+server.Reading{Get: `(?<§c1>[0-9]+)`}.Move(server.Move)), "$§c1"),
		line(expression(`^\S+ `+server.Reading{Other: `(?<§c1>[0-9]+)`}.Move(server.Move)), "$§c1"))
	c.mapping("$§d1", "quick_to", otherwise(`""`),
		line(expression(`^`+server.Reading{To: `(?<§c1>.*)\z`}.Move(server.Move)), "$§c1"))
	final := "final"
	if e.Quick.Unlisted {
		e.assets(c)
		c.mapping("$§asset", final, otherwise("$§looked_up"), line(assetRequest, `""`), line(assetFolder, "folder"))
		final = "looked_up"
	}
	c.mapping("$§quick", final, otherwise("$§code"), line("pass", `""`),
		line("move", "$§quick_code"), line("ask", "$§quick_code"), line("add", "$§quick_code"))
	c.mapping("$§quick", "where", otherwise("$§location"), line("move", "$§quick_to"), line("ask",
		`"$§quick_to?$§args"`),
		line("add", `"$§quick_to&$§args"`))
}

// assets writes maps that tell assets of which no entry and no pattern says anything, however they are spelled. A hash
// finds their endings, which costs less than an expression: nginx takes them for the ends of names of hosts.
func (e *emitter) assets(c *conf) {
	endings := []string{"\thostnames;\n", otherwise(`""`)}
	for _, s := range e.Quick.Suffixes {
		endings = append(endings, line(`"*.`+s+`:"`, assetRequest))
		if len(e.index()) > 0 {
			endings = append(endings, line(`"*.`+s+`/:"`, assetFolder))
		}
	}
	c.mapping(`"$§uri:"`, "ending", endings...)
	c.mapping(`"$scheme://$host$request_uri"`, "at_ending", otherwise(`""`),
		line(expression(`^`+server.Quote(e.Plan.Site.Origin.Base())+`/[^?%\\]*+(?![%\\])`), "$§ending"))
	c.mapping("$§ending", "asset", otherwise("$§at_ending"), line(`""`, `""`))
}
