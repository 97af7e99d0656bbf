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
	keys  []place
	bytes []byte // the records; in the end the whole file
	slots int
}

// place is where a record begins among the records, and the CRC-32 of its key.
type place struct {
	at  uint64
	sum uint32
}

// longest is how many bytes keys and values have at most.
const longest = math.MaxUint16

// tableHead is what the file begins with, as long as the script says (HEAD).
const tableHead = "<?php http_response_code(404); exit; __halt_compiler();        \n"

func newTable(rows int) *table { return &table{keys: make([]place, 0, rows)} }

// add adds a record; false if it is too long.
func (t *table) add(key, value string) bool {
	if len(key) > longest || len(value) > longest {
		return false
	}
	t.keys = append(t.keys, place{uint64(len(t.bytes)), crc32.ChecksumIEEE([]byte(key))})
	t.bytes = binary.LittleEndian.AppendUint16(t.bytes, uint16(len(key)))
	t.bytes = binary.LittleEndian.AppendUint16(t.bytes, uint16(len(value)))
	t.bytes = append(append(t.bytes, key...), value...)
	return true
}

// finish writes the file; false if it is too large.
func (t *table) finish() bool {
	count := 16
	for count < 2*len(t.keys) {
		count *= 2
	}
	start := len(tableHead) + 4*count
	if uint64(start)+uint64(len(t.bytes)) > math.MaxUint32 {
		return false
	}
	whole := make([]byte, start, start+len(t.bytes))
	copy(whole, tableHead)
	slots := whole[len(tableHead):start]
	for _, k := range t.keys {
		slot := int(k.sum) & (count - 1)
		for binary.LittleEndian.Uint32(slots[4*slot:]) != 0 {
			slot = (slot + 1) & (count - 1)
		}
		binary.LittleEndian.PutUint32(slots[4*slot:], uint32(start)+uint32(k.at))
	}
	t.bytes, t.slots = append(whole, t.bytes...), count
	return true
}

// name returns the file's name, which says what is in it: a table is never replaced while somebody reads it.
func (t *table) name() string {
	sum := sha256.Sum256(t.bytes)
	return "young-compass-" + hex.EncodeToString(sum[:8]) + ".php"
}
