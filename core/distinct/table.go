// Package distinct counts the different texts of a column, and keeps where they stand
// first.
//
// It knows nothing of what the texts mean. What is kept is the same in whatever order texts
// come, or tables are merged.
package distinct

import (
	"bytes"
	"encoding/binary"
	"math/bits"
	"unicode/utf8"

	"github.com/zeebo/xxh3"

	"sieb/core/value"
	"sieb/core/workbook"
)

// Table counts the distinct texts of a column, and where each stands first.
// The zero table is empty.
//
// It is a hash table with open addressing. A slot holds 32 bits of a text's
// hash, its tag, above the text's ordinal; entries stand apart, in the order
// in which they came, and are looked at only where the tags agree. A slot's
// place comes from the top bits of its tag, so that growing goes through both
// tables from front to back. Nothing in it is a pointer to a text, which keeps
// the garbage collector out of it.
type Table struct {
	slots   []uint64 // tag<<32 | ordinal+1; 0 is free
	shift   uint     // tag>>shift is a slot's place
	entries [][]Entry
	places  [][]Where
	Used    int      // entries
	texts   [][]byte // chunks of textChunk
	Bytes   int      // held by texts
	Most    int      // bytes that the table may take; 0 for no limit
}

// Entry is a distinct text, in half a line of the processor's cache.
type Entry struct {
	head, tail uint64 // of a short text the text itself, as words; otherwise its hash
	Count      int64
	at         uint32 // of its text: chunk, and place in the chunk
	size       uint32 // of its text as held; the kind above it
}

// Where is where a text stands first.
type Where struct{ Row, Line int64 }

// Item is an entry with its place, which stands apart since counting needs it
// only once.
type Item struct {
	*Entry
	*Where
}

const (
	entryChunk = 1 << 5 // entries never move: memories point to them
	textChunk  = 1 << 16
	// KindShift is where in a size the kind of a cell stands.
	KindShift = 24

	// EntryBytes is what an entry takes beside its text: itself and its slot
	// at the usual load.
	EntryBytes = 32 + 16 + 16

	// MaxHeld is how many bytes of a text are held as they stand. For a longer
	// one stands its beginning, with its hash and its lengths: see Shorten.
	MaxHeld = 255
	// LongHeld is how many bytes stand for such a text.
	LongHeld  = MaxHeld + 1
	longStart = LongHeld - 16
)

// HashOf returns the hash of a cell's text. Of a workbook's cells, which may be
// numbers or the writing of them, those of different kinds differ.
func HashOf(text []byte, kind workbook.Kind) uint64 {
	if len(text) <= value.MaxWords {
		head, tail := value.Words(text)
		return hashWords(head, tail, uint64(len(text))|uint64(kind)<<KindShift)
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

// Shorten returns what stands for a text in the table: the text, or, for a long
// one, its first bytes, filled up with zeros, its hash, and its length in
// characters and in bytes.
func Shorten(dst, text []byte, hash uint64) []byte {
	if len(text) <= MaxHeld {
		return text
	}
	dst = append(dst[:0], Beginning(text)...)
	for len(dst) < longStart {
		dst = append(dst, 0)
	}
	dst = binary.BigEndian.AppendUint64(dst, hash)
	dst = binary.BigEndian.AppendUint32(dst, uint32(utf8.RuneCount(text)))
	return binary.BigEndian.AppendUint32(dst, uint32(len(text)))
}

// Beginning returns what is held of a text itself.
func Beginning(text []byte) []byte {
	if len(text) <= MaxHeld {
		return text
	}
	cut := longStart
	for !utf8.RuneStart(text[cut]) && cut > longStart-utf8.UTFMax {
		cut--
	}
	return text[:cut]
}

// IsLong reports whether a text as held is only the beginning of one.
func IsLong(text []byte) bool { return len(text) == LongHeld }

// Start returns as much of a text as is held, without what stands for the rest.
func Start(text []byte) []byte {
	if IsLong(text) {
		return bytes.TrimRight(text[:longStart], "\x00")
	}
	return text
}

// Characters counts the characters of a text as held.
func Characters(text []byte) int {
	if IsLong(text) {
		return int(binary.BigEndian.Uint32(text[longStart+8:]))
	}
	return utf8.RuneCount(text)
}

// Entry returns the entry of an ordinal; it never moves.
func (t *Table) Entry(ordinal int) *Entry {
	return &t.entries[ordinal/entryChunk][ordinal%entryChunk]
}

// Item returns the entry of an ordinal with its place.
func (t *Table) Item(ordinal int) Item {
	return Item{t.Entry(ordinal), &t.places[ordinal/entryChunk][ordinal%entryChunk]}
}

// Text returns an entry's text as held.
func (t *Table) Text(e *Entry) []byte {
	chunk, at := t.texts[e.at/textChunk], e.at%textChunk
	return chunk[at : at+e.size&(1<<KindShift-1)]
}

// Kind returns the kind of the cells that have the text.
func (e *Entry) Kind() workbook.Kind { return workbook.Kind(e.size >> KindShift) }

// wordsOf returns what texts are compared by first.
func wordsOf(text []byte, hash uint64) (head, tail uint64) {
	if len(text) <= value.MaxWords {
		return value.Words(text)
	}
	return hash, 0
}

// Find returns the ordinal of a text as held, -1 where the table has it not.
func (t *Table) Find(hash uint64, text []byte, kind workbook.Kind) int {
	if len(t.slots) == 0 {
		return -1
	}
	mask := uint64(len(t.slots) - 1)
	tag := hash >> 32
	size := uint32(len(text)) | uint32(kind)<<KindShift
	head, tail := wordsOf(text, hash)
	for i := tag >> t.shift; t.slots[i] != 0; i = (i + 1) & mask {
		if slot := t.slots[i]; slot>>32 == tag {
			ordinal := int(slot&(1<<32-1)) - 1
			if e := t.Entry(ordinal); e.size == size && e.head == head && e.tail == tail &&
				(len(text) <= value.MaxWords || string(t.Text(e)) == string(text)) {
				return ordinal
			}
		}
	}
	return -1
}

// Add puts in a text as held that Find did not find, counted as often as count says, and
// returns its ordinal. Row and line are where it stands first.
func (t *Table) Add(hash uint64, text []byte, kind workbook.Kind, count, row, line int64) int {
	if (t.Used+1)*8 > len(t.slots)*5 {
		t.grow()
	}
	if len(t.texts) == 0 || cap(t.texts[len(t.texts)-1])-len(t.texts[len(t.texts)-1]) < len(text) {
		// Most columns hold little.
		t.texts = append(t.texts, make([]byte, 0, min(max(1<<8, t.Bytes), textChunk)))
	}
	k := len(t.texts) - 1
	at := uint32(k*textChunk + len(t.texts[k]))
	t.texts[k] = append(t.texts[k], text...)
	t.Bytes += len(text)
	if t.Used%entryChunk == 0 {
		t.entries = append(t.entries, make([]Entry, 0, entryChunk))
		t.places = append(t.places, make([]Where, 0, entryChunk))
	}
	last := &t.entries[len(t.entries)-1]
	head, tail := wordsOf(text, hash)
	*last = append(*last, Entry{head, tail, count, at, uint32(len(text)) | uint32(kind)<<KindShift})
	rows := &t.places[len(t.places)-1]
	*rows = append(*rows, Where{row, line})
	t.put(hash>>32<<32 | uint64(t.Used+1))
	t.Used++
	return t.Used - 1
}

// put takes the first free place for a slot.
func (t *Table) put(slot uint64) {
	mask := uint64(len(t.slots) - 1)
	i := slot >> 32 >> t.shift
	for t.slots[i] != 0 {
		i = (i + 1) & mask
	}
	t.slots[i] = slot
}

func (t *Table) grow() {
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

// PinnedBytes returns what the first entries take.
func (t *Table) PinnedBytes(pinned int) (n int) {
	for k := range pinned {
		n += EntryBytes + len(t.Text(t.Entry(k)))
	}
	return n
}

// Touch begins to load the slots of some hashes. Done for many in a row, it lets
// the processor wait for memory once instead of once per text.
func (t *Table) Touch(hashes []uint64, which []uint32) (sum uint64) {
	if len(t.slots) < 1<<12 {
		return 0 // near enough
	}
	for _, i := range which {
		if s := t.slots[hashes[i]>>32>>t.shift]; s != 0 {
			e := t.Entry(int(s&(1<<32-1)) - 1)
			if sum ^= e.head; e.size&(1<<KindShift-1) > value.MaxWords {
				sum ^= uint64(t.Text(e)[0]) // which is compared, too
			}
		}
	}
	return sum
}

// IsFull reports whether the table has reached its limit.
func (t *Table) IsFull() bool { return t.Most > 0 && t.Used*EntryBytes+t.Bytes >= t.Most }

// Note counts an entry more often; the text may stand in an earlier row than was known.
func (e Item) Note(count, row, line int64) {
	e.Count += count
	if row < e.Row {
		e.Row, e.Line = row, line
	}
}

// Merge takes in the texts of another table.
func (t *Table) Merge(o *Table) {
	for e := range o.All() {
		text := o.Text(e.Entry)
		hash := HeldHash(text, e.Kind())
		if k := t.Find(hash, text, e.Kind()); k >= 0 {
			t.Item(k).Note(e.Count, e.Row, e.Line)
		} else {
			t.Add(hash, text, e.Kind(), e.Count, e.Row, e.Line)
		}
	}
}

// HeldHash returns the hash of a text as held.
func HeldHash(text []byte, kind workbook.Kind) uint64 {
	if IsLong(text) {
		return binary.BigEndian.Uint64(text[longStart:])
	}
	return HashOf(text, kind)
}

// Reset leaves only the first pinned entries of the table, and limits it to so
// many bytes from then on.
func (t *Table) Reset(pinned, most int) {
	old := *t
	*t = Table{Most: most}
	for k := range pinned {
		e := old.Item(k)
		text := old.Text(e.Entry)
		t.Add(HeldHash(text, e.Kind()), text, e.Kind(), e.Count, e.Row, e.Line)
	}
}

// All goes through the entries in the order in which they came.
func (t *Table) All() func(yield func(Item) bool) {
	return func(yield func(Item) bool) {
		for k, chunk := range t.entries {
			for i := range chunk {
				if !yield(Item{&chunk[i], &t.places[k][i]}) {
					return
				}
			}
		}
	}
}
