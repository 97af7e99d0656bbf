package php

import (
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// find looks a key up as the script does, from what the comment on table says.
func (t *table) find(key string) (string, bool) {
	number := func(at, size int) int {
		n := 0
		for i := range size {
			n |= int(t.bytes[at+i]) << (8 * i)
		}
		return n
	}
	for slot := int(crc32.ChecksumIEEE([]byte(key))) % t.slots; ; slot = (slot + 1) % t.slots {
		at := number(len(tableHead)+4*slot, 4)
		if at == 0 {
			return "", false
		}
		k, v := number(at, 2), number(at+2, 2)
		if string(t.bytes[at+4:at+4+k]) == key {
			return string(t.bytes[at+4+k : at+4+k+v]), true
		}
	}
}

// Every key is found, and none that isn't there, in tables of all sizes about the powers of two.
func TestTable(t *testing.T) {
	assert.Len(t, tableHead, 64, "HEAD of the script")
	for _, rows := range []int{0, 1, 7, 8, 9, 30, 31, 64, 500, 501, 4096} {
		table := newTable(rows, 10*rows)
		for i := range rows {
			require.True(t, table.add(fmt.Sprint("/s0:/old/", i), strings.Repeat("v", i)))
		}
		assert.GreaterOrEqual(t, table.slots, 2*rows)
		for i := range rows {
			value, ok := table.find(fmt.Sprint("/s0:/old/", i))
			assert.True(t, ok && len(value) == i, "%d of %d", i, rows)
			_, ok = table.find(fmt.Sprint("/s0:/new/", i))
			assert.False(t, ok)
		}
		assert.True(t, table.fits())
		assert.Regexp(t, `^young-compass-[0-9a-f]{16}\.php$`, table.name())
	}
}

func TestLongRecords(t *testing.T) {
	table := newTable(2, 10)
	assert.True(t, table.add(strings.Repeat("k", longest), strings.Repeat("v", longest)))
	assert.False(t, table.add(strings.Repeat("k", longest+1), "v"))
	assert.False(t, table.add("k", strings.Repeat("v", longest+1)))
	assert.Equal(t, uint16(longest), binary.LittleEndian.Uint16(table.bytes[len(tableHead)+4*16:]))
}

// The parts of the program are PHP whatever they hold.
func TestQuoting(t *testing.T) {
	for text, want := range map[string]string{`a`: `'a'`, `it's`: `'it\'s'`, `\`: `'\\'`, `\'`: `'\\\''`, "?>$x": `'?>$x'`, "": `''`} {
		assert.Equal(t, want, quote(text))
	}
	for text, want := range map[string]string{`^/a~b\z`: `'~^/a\\~b\\z~sD'`, `\~`: `'~\\~~sD'`, `[~]\\~`: `'~[\\~]\\\\\\~~sD'`} {
		assert.Equal(t, want, expression(text, false))
	}
	assert.Equal(t, `'~a~sDi'`, expression("a", true))
}
