package address_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/address"
)

func TestWithoutNoise(t *testing.T) {
	s := address.Speller{Noise: []string{"jsessionid", "s"}}
	for path, want := range map[string]string{
		"/a":                        "/a",
		"/a;jsessionid=0A3F":        "/a",
		"/a;JSESSIONID=0A3F.node":   "/a",
		"/a;jsessionid=":            "/a",
		"/a;jsessionid":             "/a;jsessionid",
		"/a;jsessionidx=1":          "/a;jsessionidx=1",
		"/a;x=1;jsessionid=2;y=3/b": "/a;x=1;y=3/b",
		"/a%3Bjsessionid%3D2/b":     "/a/b",
		"/a%3bs%3d2%3Bz=1":          "/a%3Bz=1",
		"/;s=1/a":                   "//a",
		"/a;s=1;s=2":                "/a",
		"/jsessionid=1":             "/jsessionid=1",
		"/a;s=%2F/b":                "/a/b",
	} {
		assert.Equal(t, want, s.WithoutNoise(path), path)
		assert.Equal(t, path, (&address.Speller{}).WithoutNoise(path), "without noise nothing changes")
	}
	s.Listed = address.NewPlaces([]string{"/basket.jsp"})
	assert.True(t, s.IsFile("/basket.jsp;s=1"), "a listed script keeps its session")
	assert.False(t, s.IsFile("/basket.jsp;x=1"))
}
