package profile

import (
	"bytes"
	"encoding/binary"
	"math/bits"
	"unicode/utf8"

	"github.com/zeebo/xxh3"

	"sieb/core/value"
	"sieb/core/workbook"
)

// table counts the distinct texts of a column, and where each stands first.
// The zero table is empty.
//
// It is a hash table with open addressing. A slot holds 32 bits of a text's
// hash, its tag, above the text's ordinal; entries stand apart, in the order
// in which they came, and are looked at only where the tags agree. A slot's
// place comes from the top bits of its tag, so that growing goes through both
// tables from front to back. Nothing in it is a pointer to a text, which keeps
// the garbage collector out of it.
type table struct {
	slots   []uint64 // tag<<32 | ordinal+1; 0 is free
	shift   uint     // tag>>shift is a slot's place
	entries [][]entry
	places  [][]where
	used    int
	texts   [][]byte // chunks of textChunk
	bytes   int      // held by texts
	most    int      // bytes that the table may take; 0 for no limit
}

// entry is a distinct text, in half a line of the processor's cache.
type entry struct {
	head, tail uint64 // of a short text the text itself, as words; otherwise its hash
	count      int64
	at         uint32 // of its text: chunk, and place in the chunk
	size       uint32 // of its text as held; the kind above it
}

// where is where a text stands first.
type where struct{ row, line int64 }

// item is an entry with its place, which stands apart since counting needs it
// only once.
type item struct {
	*entry
	*where
}

const (
	entryChunk = 1 << 5 // entries never move: memories point to them
	textChunk  = 1 << 16
	kindShift  = 24 // of the kind in an entry's size

	// entryBytes is what an entry takes beside its text: itself and its slot
	// at the usual load.
	entryBytes = 32 + 16 + 16

	// maxHeld is how many bytes of a text are held as they stand. For a longer
	// one stands its beginning, with its hash and its lengths: see shorten.
	maxHeld   = 255
	longHeld  = maxHeld + 1
	longStart = longHeld - 16
)

// hashOf returns the hash of a cell's text. Of a workbook's cells, which may be
// numbers or the writing of them, those of different kinds differ.
func hashOf(text []byte, kind workbook.Kind) uint64 {
	if len(text) <= value.MaxWords {
		head, tail := value.Words(text)
		return hashWords(head, tail, uint64(len(text))|uint64(kind)<<kindShift)
	}
	return xxh3.Hash(text) + uint64(kind)*0x9E3779B97F4A7C15
}

// hashWords hashes a short text by the product of its words, folded (the mixing
// step of wyhash), twice.
func hashWords(head, tail, size uint64) uint64 {
	hi, lo := bits.Mul64(head^0xA0761D6478BD642F, tail^0xE7037ED1A0B428DB)
	hi, lo = bits.Mul64(hi^lo^head, size^0x8EBC6AF09C88C6E3)
	return hi ^ lo
}

// shorten returns what stands for a text in the table: the text, or, for a long
// one, its first bytes, filled up with zeros, its hash, and its length in
// characters and in bytes.
func shorten(dst, text []byte, hash uint64) []byte {
	if len(text) <= maxHeld {
		return text
	}
	dst = append(dst[:0], beginning(text)...)
	for len(dst) < longStart {
		dst = append(dst, 0)
	}
	dst = binary.BigEndian.AppendUint64(dst, hash)
	dst = binary.BigEndian.AppendUint32(dst, uint32(utf8.RuneCount(text)))
	return binary.BigEndian.AppendUint32(dst, uint32(len(text)))
}

// beginning returns what is held of a text itself.
func beginning(text []byte) []byte {
	if len(text) <= maxHeld {
		return text
	}
	cut := longStart
	for !utf8.RuneStart(text[cut]) && cut > longStart-utf8.UTFMax {
		cut--
	}
	return text[:cut]
}

// isLong reports whether a text as held is only the beginning of one.
func isLong(text []byte) bool { return len(text) == longHeld }

// start returns as much of a text as is held, without what stands for the rest.
func start(text []byte) []byte {
	if isLong(text) {
		return bytes.TrimRight(text[:longStart], "\x00")
	}
	return text
}

// characters counts the characters of a text as held.
func characters(text []byte) int {
	if isLong(text) {
		return int(binary.BigEndian.Uint32(text[longStart+8:]))
	}
	return utf8.RuneCount(text)
}

func (t *table) entry(ordinal int) *entry {
	return &t.entries[ordinal/entryChunk][ordinal%entryChunk]
}

func (t *table) item(ordinal int) item {
	return item{t.entry(ordinal), &t.places[ordinal/entryChunk][ordinal%entryChunk]}
}

// text returns an entry's text as held.
func (t *table) text(e *entry) []byte {
	chunk, at := t.texts[e.at/textChunk], e.at%textChunk
	return chunk[at : at+e.size&(1<<kindShift-1)]
}

func (e *entry) kind() workbook.Kind { return workbook.Kind(e.size >> kindShift) }

// wordsOf returns what texts are compared by first.
func wordsOf(text []byte, hash uint64) (head, tail uint64) {
	if len(text) <= value.MaxWords {
		return value.Words(text)
	}
	return hash, 0
}

// find returns the ordinal of a text as held, -1 where the table has it not.
func (t *table) find(hash uint64, text []byte, kind workbook.Kind) int {
	if len(t.slots) == 0 {
		return -1
	}
	mask := uint64(len(t.slots) - 1)
	tag := hash >> 32
	size := uint32(len(text)) | uint32(kind)<<kindShift
	head, tail := wordsOf(text, hash)
	for i := tag >> t.shift; t.slots[i] != 0; i = (i + 1) & mask {
		if slot := t.slots[i]; slot>>32 == tag {
			ordinal := int(slot&(1<<32-1)) - 1
			if e := t.entry(ordinal); e.size == size && e.head == head && e.tail == tail &&
				(len(text) <= value.MaxWords || string(t.text(e)) == string(text)) {
				return ordinal
			}
		}
	}
	return -1
}

// add puts in a text that find did not find, counted as often as count says.
func (t *table) add(hash uint64, text []byte, kind workbook.Kind, count, row, line int64) int {
	if (t.used+1)*8 > len(t.slots)*5 {
		t.grow()
	}
	if len(t.texts) == 0 || cap(t.texts[len(t.texts)-1])-len(t.texts[len(t.texts)-1]) < len(text) {
		// Most columns hold little.
		t.texts = append(t.texts, make([]byte, 0, min(max(1<<8, t.bytes), textChunk)))
	}
	k := len(t.texts) - 1
	at := uint32(k*textChunk + len(t.texts[k]))
	t.texts[k] = append(t.texts[k], text...)
	t.bytes += len(text)
	if t.used%entryChunk == 0 {
		t.entries = append(t.entries, make([]entry, 0, entryChunk))
		t.places = append(t.places, make([]where, 0, entryChunk))
	}
	last := &t.entries[len(t.entries)-1]
	head, tail := wordsOf(text, hash)
	*last = append(*last, entry{head, tail, count, at, uint32(len(text)) | uint32(kind)<<kindShift})
	rows := &t.places[len(t.places)-1]
	*rows = append(*rows, where{row, line})
	t.put(hash>>32<<32 | uint64(t.used+1))
	t.used++
	return t.used - 1
}

// put takes the first free place for a slot.
func (t *table) put(slot uint64) {
	mask := uint64(len(t.slots) - 1)
	i := slot >> 32 >> t.shift
	for t.slots[i] != 0 {
		i = (i + 1) & mask
	}
	t.slots[i] = slot
}

func (t *table) grow() {
	old := t.slots
	size := max(32, 2*len(old))
	t.slots, t.shift = make([]uint64, size), 32
	for ; size > 1; size /= 2 {
		t.shift--
	}
	for _, slot := range old {
		if slot != 0 {
			t.put(slot)
		}
	}
}

// pinnedBytes returns what the first entries take.
func (t *table) pinnedBytes(pinned int) (n int) {
	for k := range pinned {
		n += entryBytes + len(t.text(t.entry(k)))
	}
	return n
}

// touch begins to load the slots of some hashes. Done for many in a row, it lets
// the processor wait for memory once instead of once per text.
func (t *table) touch(hashes []uint64, which []uint32) (sum uint64) {
	if len(t.slots) < 1<<12 {
		return 0 // near enough
	}
	for _, i := range which {
		if s := t.slots[hashes[i]>>32>>t.shift]; s != 0 {
			sum ^= t.entry(int(s&(1<<32-1)) - 1).head
		}
	}
	return sum
}

// isFull reports whether the table has reached its limit.
func (t *table) isFull() bool { return t.most > 0 && t.used*entryBytes+t.bytes >= t.most }

// note counts an entry more often, which stands in an earlier or a later row.
func (e item) note(count, row, line int64) {
	e.count += count
	if row < e.row {
		e.row, e.line = row, line
	}
}

// merge takes in the texts of another table.
func (t *table) merge(o *table) {
	for e := range o.all() {
		text := o.text(e.entry)
		hash := heldHash(text, e.kind())
		if k := t.find(hash, text, e.kind()); k >= 0 {
			t.item(k).note(e.count, e.row, e.line)
		} else {
			t.add(hash, text, e.kind(), e.count, e.row, e.line)
		}
	}
}

// heldHash returns the hash of a text as held.
func heldHash(text []byte, kind workbook.Kind) uint64 {
	if isLong(text) {
		return binary.BigEndian.Uint64(text[longStart:])
	}
	return hashOf(text, kind)
}

// reset leaves only the first pinned entries of the table, and limits it to so
// many bytes from then on.
func (t *table) reset(pinned, most int) {
	old := *t
	*t = table{most: most}
	for k := range pinned {
		e := old.item(k)
		text := old.text(e.entry)
		t.add(heldHash(text, e.kind()), text, e.kind(), e.count, e.row, e.line)
	}
}

// all goes through the entries in the order in which they came.
func (t *table) all() func(yield func(item) bool) {
	return func(yield func(item) bool) {
		for k, chunk := range t.entries {
			for i := range chunk {
				if !yield(item{&chunk[i], &t.places[k][i]}) {
					return
				}
			}
		}
	}
}
