package xmltext_test

import (
	"encoding/xml"
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"young-compass/internal/finding"
	"young-compass/internal/xmltext"
)

// texts returns the texts of all elements <t> of a document.
func texts(document string) (list []string, err error) {
	x := xmltext.New("a.xml", strings.NewReader(document))
	for {
		token, err := x.Next()
		if err != nil {
			if errors.Is(err, io.EOF) {
				err = nil
			}
			return list, err
		}
		if start, ok := token.(xml.StartElement); ok && start.Name.Local == "t" {
			text, err := x.Text()
			if err != nil {
				return list, err
			}
			list = append(list, text)
		}
	}
}

func TestText(t *testing.T) {
	for name, test := range map[string]struct {
		document string
		want     []string
	}{
		"plain":                {"<a><t> one </t><t>two</t></a>", []string{"one", "two"}},
		"with elements in it":  {"<a><t>a <b>bold <i>one</i></b></t><t/></a>", []string{"a bold one", ""}},
		"character data":       {"<a><t><![CDATA[<b>]]> &amp; &lt;</t></a>", []string{"<b> & <"}},
		"names of HTML":        {"<a><t>&eacute;&nbsp;&#228;</t></a>", []string{"é\u00a0ä"}},
		"a byte order mark":    {"\ufeff<a><t>one</t></a>", []string{"one"}},
		"another encoding":     {`<?xml version="1.0" encoding="iso-8859-1"?>` + "<a><t>caf\xe9</t></a>", []string{"café"}},
		"comments in between":  {"<a><t>o<!-- x -->ne</t></a>", []string{"one"}},
		"nothing but the root": {"<a/>", nil},
	} {
		t.Run(name, func(t *testing.T) {
			list, err := texts(test.document)
			require.NoError(t, err)
			assert.Equal(t, test.want, list)
		})
	}
}

func TestSkipAndAttribute(t *testing.T) {
	x := xmltext.New("a.xml", strings.NewReader("<a xmlns:y='u'>\n<t y:lang=' de '><t>in</t></t><u/></a>"))
	var names []string
	for {
		token, err := x.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		require.NoError(t, err)
		start, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		names = append(names, start.Name.Local)
		if start.Name.Local == "t" {
			assert.Equal(t, "de", xmltext.Attribute(start, "lang"))
			assert.Empty(t, xmltext.Attribute(start, "href"))
			assert.Equal(t, 2, x.Line())
			require.NoError(t, x.Skip())
		}
	}
	assert.Equal(t, []string{"a", "t", "u"}, names)
}

func TestBounds(t *testing.T) {
	const most = 1 << 20
	nested := func(n int) string { return strings.Repeat("<t>", n) + strings.Repeat("</t>", n) }
	long := func(n int) string { return "<a><t>" + strings.Repeat("x", n) + "</t></a>" }
	for name, test := range map[string]struct{ document, wrong string }{
		"64 deep":         {nested(64), ""},
		"65 deep":         {nested(65), "more than 64 deep"},
		"a long text":     {long(most - 10), ""},
		"a text too long": {long(most + 1), "more than 1 MiB"},
		"long in two pieces": {"<a><t>" + strings.Repeat("x", most/2+1) + "<b/>" + strings.Repeat("x", most/2) + "</t></a>",
			"more than 1 MiB"},
		"a tag too long":       {"<a " + strings.Repeat("x", most+1), "more than 1 MiB"},
		"an entity of its own": {`<!DOCTYPE a [<!ENTITY e "eeee">]><a><t>&e;&e;</t></a>`, "entity"},
		"it breaks off":        {"<a><t>one", "it breaks off"},
		"an end too many":      {"<a></b></a>", "1:8"},
		"no XML at all":        {"<a><t>\x00</t></a>", "XML"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := texts(test.document)
			if test.wrong == "" {
				require.NoError(t, err)
				return
			}
			var input *finding.Input
			require.ErrorAs(t, err, &input)
			assert.Equal(t, "a.xml", input.Finding.Where.File)
			assert.ErrorContains(t, err, test.wrong)
		})
	}
}

// What fails in the file itself says nothing about its XML.
func TestAFailingFile(t *testing.T) {
	broken := errors.New("the disk is broken")
	x := xmltext.New("a.xml", io.MultiReader(strings.NewReader("<a>"), iotest.ErrReader(broken)))
	_, err := x.Next()
	require.NoError(t, err)
	_, err = x.Next()
	require.ErrorIs(t, err, broken)
	var input *finding.Input
	assert.False(t, errors.As(err, &input))
}
