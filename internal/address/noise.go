package address

import "strings"

// WithoutNoise returns a path without the parameters in it that are noise: sessions, as some servers write them into
// paths. A parameter reaches from its semicolon to the next one, or to the next slash (RFC 3986 section 3.3); letters
// of
// its name don't count, nor how semicolon and equals sign are written.
//
//	/shop;jsessionid=0A3F/boots  ->  /shop/boots
func (s *Speller) WithoutNoise(path string) string {
	if len(s.Noise) == 0 || strings.IndexByte(path, ';') < 0 && strings.IndexByte(path, '%') < 0 {
		return path
	}
	var b strings.Builder
	for i := 0; i < len(path); {
		if n := s.noiseAt(path[i:]); n > 0 {
			i += n
			continue
		}
		b.WriteByte(path[i])
		i++
	}
	return b.String()
}

// noiseAt returns the length of the noise with which a text begins.
func (s *Speller) noiseAt(text string) int {
	begin := semicolon(text)
	if begin == 0 {
		return 0
	}
	for _, name := range s.Noise {
		end := begin + len(name)
		if len(text) < end || !strings.EqualFold(text[begin:end], name) {
			continue
		}
		switch {
		case strings.HasPrefix(text[end:], "="):
			end++
		case strings.HasPrefix(text[end:], "%3D"), strings.HasPrefix(text[end:], "%3d"):
			end += 3
		default:
			continue
		}
		for end < len(text) && text[end] != '/' && semicolon(text[end:]) == 0 {
			end++
		}
		return end
	}
	return 0
}

// semicolon returns the length of the semicolon with which a text begins.
func semicolon(text string) int {
	switch {
	case strings.HasPrefix(text, ";"):
		return 1
	case strings.HasPrefix(text, "%3B"), strings.HasPrefix(text, "%3b"):
		return 3
	}
	return 0
}
