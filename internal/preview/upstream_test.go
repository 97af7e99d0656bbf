package preview

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/book"
	"young-compass/internal/inventory"
	"young-compass/internal/plan"
	"young-compass/internal/planfile"
	"young-compass/internal/redirect"
)

// What the plan serves is asked of the site behind as it came, byte for byte.
func TestUpstreamIsAskedAsTheVisitorAsked(t *testing.T) {
	asked := ""
	behind := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { asked = r.RequestURI }))
	defer behind.Close()
	upstream, err := url.Parse(behind.URL)
	require.NoError(t, err)
	settings, err := planfile.Read("young-compass.yaml", []byte("site: {origin: http://skerrywick.example}\n"))
	require.NoError(t, err)
	server := httptest.NewServer(NewServer(plan.New(settings, &inventory.Inventory{}, &book.Book{}, redirect.NewList(settings.Site)), upstream, time.Now,
		func(Asked) {}))
	defer server.Close()
	for _, local := range []string{"/x.css", "/x.css?b=1;2&a=3", "/x.css?a=%zz&b", "/x.css?%", "/x.css?;", "/x.css?a=b+c&a=%2f", "/x.css?a==&&"} {
		request, err := http.NewRequest(http.MethodGet, server.URL+local, nil)
		require.NoError(t, err)
		request.Host = "skerrywick.example"
		response, err := server.Client().Do(request)
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		assert.Equal(t, http.StatusOK, response.StatusCode, local)
		assert.Equal(t, local, asked)
	}
}
