package preview

import (
	_ "embed"
	"html/template"
	"net"
	"net/http"

	"young-compass/internal/address"
	"young-compass/internal/plan"
)

//go:embed admin.html
var adminPage string

// Admin returns a handler for a page that lists what was asked and answered. It
// answers only under the address that it listens at, so that a page on another
// site can't read it through a name of its own, and changes nothing.
func (s *Server) Admin() (http.Handler, error) {
	t, err := template.New("admin").Funcs(template.FuncMap{"visible": address.Visible}).Parse(adminPage)
	if err != nil {
		return nil, err
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host, _, err := net.SplitHostPort(r.Host)
		switch {
		case err != nil || host != "localhost" && host != "127.0.0.1" && host != "::1":
			page(w, http.StatusMisdirectedRequest, "Ask for this page under its own address", "127.0.0.1")
			return
		case r.Method != http.MethodGet && r.Method != http.MethodHead:
			w.Header().Set("Allow", "GET, HEAD")
			page(w, http.StatusMethodNotAllowed, "There is nothing to change here", "")
			return
		case r.URL.Path != "/":
			page(w, http.StatusNotFound, "Not found", "")
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy",
			"default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'")
		w.Header().Set("X-Content-Type-Options", "nosniff")
		w.Header().Set("Cache-Control", "no-store")
		list, total := s.last()
		counts := map[plan.Outcome]int{}
		for _, a := range list {
			counts[a.Outcome]++
		}
		_ = t.Execute(w, map[string]any{"Origin": s.plan.Site.Origin.Base(), "Asked": list, "Total": total,
			"Shown": len(list), "Counts": counts})
	}), nil
}
