package sitefile

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/unicode"
)

func TestReadSitemap(t *testing.T) {
	var urls []URL
	s, err := ReadSitemap("s.xml", strings.NewReader(`<?xml version="1.0" encoding="ISO-8859-1"?>
<!-- made up --><sm:urlset xmlns:sm="http://www.sitemaps.org/schemas/sitemap/0.9" xmlns:xhtml="http://www.w3.org/1999/xhtml" xmlns:image="http://www.google.com/schemas/sitemap-image/1.1">
<sm:url>
 <sm:loc> https://skerrywick.example/a&amp;b </sm:loc><sm:lastmod>2026-01-02</sm:lastmod><sm:priority>0.5</sm:priority>
 <image:image><image:loc>https://skerrywick.example/a.jpg</image:loc><image:title>`+"\xe4"+`</image:title></image:image>
 <xhtml:link rel="alternate" hreflang="de" href="https://skerrywick.example/de"/><xhtml:link rel="stylesheet" href="/x"/>
</sm:url><other><sm:url><sm:loc>x</sm:loc></sm:url></other>
<sm:url><sm:loc><![CDATA[https://skerrywick.example/c?a=1&b=2]]></sm:loc></sm:url></sm:urlset>`), func(u URL) error {
		urls = append(urls, u)
		return nil
	})
	require.NoError(t, err)
	assert.Empty(t, s.Parts)
	assert.Equal(t, []URL{
		{"https://skerrywick.example/a&b", "2026-01-02", []string{"https://skerrywick.example/a.jpg"},
			[]Alternate{{"de", "https://skerrywick.example/de"}}, 3},
		{"https://skerrywick.example/c?a=1&b=2", "", nil, nil, 8},
	}, urls)
	s, err = ReadSitemap("i.xml", strings.NewReader(`<sitemapindex><sitemap><loc>`+
		`https://skerrywick.example/1.xml.gz</loc><lastmod>2026</lastmod></sitemap></sitemapindex>`), nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"https://skerrywick.example/1.xml.gz"}, s.Parts)
}

func FuzzReadSitemap(f *testing.F) {
	f.Add(`<urlset><url><loc>https://skerrywick.example/</loc><link rel="alternate" hreflang="de" href="x"/></url>` +
		`</urlset>`)
	f.Add(`<?xml version="1.0" encoding="iso-8859-1"?><sitemapindex><sitemap><loc>&amp;</loc></sitemap></sitemapindex>`)
	f.Fuzz(func(_ *testing.T, text string) {
		_, _ = ReadSitemap("s", strings.NewReader(text), func(URL) error { return nil })
	})
}

// Some programs on Windows write XML as UTF-16, with a byte order mark or without one.
func TestSitemapInUTF16(t *testing.T) {
	text := `<?xml version="1.0" encoding="UTF-16"?>` + "\n" +
		`<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>https://skerrywick.example/häfen</loc></url></urlset>`
	for _, order := range []unicode.Endianness{unicode.LittleEndian, unicode.BigEndian} {
		for _, mark := range []unicode.BOMPolicy{unicode.UseBOM, unicode.IgnoreBOM} {
			data, err := unicode.UTF16(order, mark).NewEncoder().Bytes([]byte(text))
			require.NoError(t, err)
			var met []string
			_, err = ReadSitemap("sitemap.xml", bytes.NewReader(data), func(u URL) error {
				met = append(met, u.Location)
				return nil
			})
			require.NoError(t, err)
			assert.Equal(t, []string{"https://skerrywick.example/häfen"}, met)
		}
	}
}
