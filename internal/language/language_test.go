package language_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	xlanguage "golang.org/x/text/language"

	"young-compass/internal/language"
)

// Codes, right and wrong, with what was probably meant.
func TestParse(t *testing.T) {
	for _, right := range strings.Fields("en de nb nn no fr zh sr cy ga en-GB en-gb EN-US de-CH de-AT pt-BR es-MX " +
		"fr-CA nl-BE nb-NO zh-Hant zh-Hans zh-Hant-TW zh-hans-cn sr-Latn sr-Cyrl-RS az-Latn x-default X-Default fil-PH") {
		c, mistake := language.Parse(right)
		if right == "fil-PH" { // ISO 639-1 has no code for Filipino
			assert.NotNil(t, mistake, right)
			continue
		}
		assert.Nil(t, mistake, right)
		assert.True(t, strings.EqualFold(right, c.String()), "%s %s", right, c)
	}
	for wrong, meant := range map[string]string{
		"en-UK": "en-GB", "en_GB": "en-GB", "eng": "en", "eng-GB": "en-GB", "deu": "de", "ger-CH": "de-CH", "jp": "ja",
		"jp-JP": "ja-JP", "cn": "zh", "cn-CN": "zh-CN", "dk": "da", "cz": "cs",
		"gr": "el", "ua": "uk", "us": "en-US", "gb": "en-GB", "at": "de-AT", "uk-UK": "uk-GB", "GB-en": "en-GB",
		"us-en": "en-US", "en-USA": "en-US", "en-EN": "en-GB", "da-DA": "da-DK", "ja-JA": "ja-JP",
		"ko-KO": "ko-KR", "zh-ZH": "zh-CN", "el-EL": "el-GR", "cs-CS": "cs-RS", "zh-CHS": "zh-Hans",
		"zh-CHT": "zh-Hant", "iw": "he", "in": "id", "sh": "sr-Latn", "xdefault": "x-default",
		"x_default": "x-default", "default": "x-default",
		"en-EU": "en", "es-LA": "", "de-XX": "de", "en-Abcd": "en", "xx": "",
		"xx-DE": "", "english": "", "": "", "en-": "", "-de": "", "d e": "", "en US": "", "*": "",
		" de": "de", "de_": "", "zh_Hant_TW": "zh-Hant-TW", "en-GB-GB": "en-GB", "EN_us": "en-US", "fr-EN": "en",
		"ee-EE": "", "no-NB": "nb",
	} {
		if wrong == "es-LA" || wrong == "ee-EE" { // Laos and Estonia: right codes, whatever was meant
			_, mistake := language.Parse(wrong)
			assert.Nil(t, mistake, wrong)
			continue
		}
		_, mistake := language.Parse(wrong)
		if assert.NotNil(t, mistake, wrong) {
			assert.Equal(t, meant, mistake.Likely, "%s: %s", wrong, mistake.What)
			assert.False(t, mistake.Doubtful, wrong)
		}
	}
	for doubtful, meant := range map[string]string{"se": "sv", "kr": "ko", "br": "pt-BR", "sv-SV": "sv-SE",
		"et-ET": "et-EE", "sl-SL": "sl-SI", "be": "nl-BE", "ka-KA": "",
		"es-419": "es", "de-DE-1996": "de-DE", "de-CH-1901": "de-CH", "CA-fr": "fr-CA", "BR-pt": "pt-BR"} {
		_, mistake := language.Parse(doubtful)
		if meant == "" {
			assert.NotNil(t, mistake, doubtful)
			continue
		}
		if assert.NotNil(t, mistake, doubtful) {
			assert.True(t, mistake.Doubtful, doubtful)
			assert.Equal(t, meant, mistake.Likely, doubtful)
		}
	}
}

// What BCP 47 knows, and search engines don't, is doubtful, whatever is meant.
func TestKnown(t *testing.T) {
	for _, code := range strings.Fields("fil fil-PH es-419 yue yue-Hant-HK de-CH-1901 ca-valencia gsw") {
		_, mistake := language.Parse(code)
		if assert.NotNil(t, mistake, code) {
			assert.True(t, mistake.Doubtful, "%s: %s", code, mistake.What)
		}
	}
	for _, code := range strings.Fields("xxx eng-GB iw-IL en-UK de-XX en-GB-GB en-EU es-999 english de-1234567") {
		_, mistake := language.Parse(code)
		if assert.NotNil(t, mistake, code) {
			assert.False(t, mistake.Doubtful, "%s: %s", code, mistake.What)
		}
	}
	_, mistake := language.Parse("ca-FR")
	assert.Nil(t, mistake, "Catalan in France")
}

// The lists agree with another's.
func TestLists(t *testing.T) {
	letters := "abcdefghijklmnopqrstuvwxyz"
	for i := range letters {
		for j := range letters {
			two := letters[i:i+1] + letters[j:j+1]
			_, mistake := language.Parse("de-" + two)
			region, err := xlanguage.ParseRegion(two)
			known := err == nil && region.IsCountry() && region.Canonicalize() == region &&
				!strings.Contains("an cs fq nt pc su yu ac cp cq dg ea eu ez ic ta un xk qo zz xa xb", two) &&
				region.String() == strings.ToUpper(two)
			assert.Equal(t, known, mistake == nil || mistake.Doubtful, "region %s", two)
			if base, err := xlanguage.ParseBase(two); err != nil {
				_, mistake := language.Parse(two)
				assert.NotNil(t, mistake, "language %s %s", two, base)
			}
		}
	}
}

func TestSame(t *testing.T) {
	assert.True(t, language.Same("de-DE", "de"))
	assert.True(t, language.Same("no", "nb"))
	assert.False(t, language.Same("en", "de"))
}

// Whatever is read, it doesn't fall over, and what is right stays right when it
// is written.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"en-GB", "zh-Hant-TW", "x-default", "en_UK", "\x1b-de"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		c, mistake := language.Parse(s)
		if mistake != nil {
			assert.NotContains(t, mistake.What, "\x1b")
			return
		}
		again, mistake := language.Parse(c.String())
		assert.Nil(t, mistake)
		assert.Equal(t, c, again)
	})
}
