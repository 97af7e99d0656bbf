package php

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"hash/crc32"
	"math"
)

// table is a file in which a key is found with two reads. It begins as a
// script that says 404, so that it is nothing to those who ask for it by its
// address. Then, with numbers of little endian:
//
//	slots  a power of two of them: where a record begins (4 bytes each); 0: none. A key's slot is its CRC-32, or the next that is free
//	records  the lengths of key and value (2 bytes each), key, value
type table struct {
	bytes []byte
	slots int
}

// longest is how many bytes keys and values have at most.
const longest = math.MaxUint16

// tableHead is what the file begins with, as long as the script says (HEAD).
const tableHead = "<?php http_response_code(404); exit; __halt_compiler();        \n"

// newTable returns a table for so many records, which are of about this size in bytes together.
func newTable(rows, size int) *table {
	t := &table{slots: 16}
	for t.slots < 2*rows {
		t.slots *= 2
	}
	start := len(tableHead) + 4*t.slots
	t.bytes = make([]byte, start, start+size)
	copy(t.bytes, tableHead)
	return t
}

// add adds a record; false if it is too long.
func (t *table) add(key, value string) bool {
	if len(key) > longest || len(value) > longest {
		return false
	}
	slots := t.bytes[len(tableHead) : len(tableHead)+4*t.slots]
	slot := int(crc32.ChecksumIEEE([]byte(key))) & (t.slots - 1)
	for binary.LittleEndian.Uint32(slots[4*slot:]) != 0 {
		slot = (slot + 1) & (t.slots - 1)
	}
	binary.LittleEndian.PutUint32(slots[4*slot:], uint32(len(t.bytes)))
	t.bytes = binary.LittleEndian.AppendUint16(t.bytes, uint16(len(key)))
	t.bytes = binary.LittleEndian.AppendUint16(t.bytes, uint16(len(value)))
	t.bytes = append(append(t.bytes, key...), value...)
	return true
}

// fits reports whether places in the table fit into four bytes.
func (t *table) fits() bool { return uint64(len(t.bytes)) <= math.MaxUint32 }

// name returns the file's name, which says what is in it: a table is never replaced while somebody reads it.
func (t *table) name() string {
	sum := sha256.Sum256(t.bytes)
	return "young-compass-" + hex.EncodeToString(sum[:8]) + ".php"
}
