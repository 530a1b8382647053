package source

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"io"
)

// Content is what is known of the bytes of a delivery that is kept: by it they are proved when they
// are read.
type Content struct {
	SHA256 string // in hexadecimal digits; "" where nothing is known
	Bytes  int64
}

// Damaged says that the bytes of a delivery are no longer those that arrived.
type Damaged struct {
	Content
	Why string
}

func (d *Damaged) Error() string {
	return fmt.Sprintf("the bytes of the delivery are no longer those that arrived: %s; they were damaged where they are "+
		"kept: check the disk, and send the file again, which mends it", d.Why)
}

// Size demands that so many bytes are there as have arrived.
func (c Content) Size(bytes int64) error {
	if c.SHA256 != "" && bytes != c.Bytes {
		return &Damaged{c, fmt.Sprintf("%d have arrived, and %d are there", c.Bytes, bytes)}
	}
	return nil
}

// Prove returns a reader of what r yields, which is to be the content from its first byte to its last.
// At the end it fails with *Damaged, in the place of io.EOF and of what was read last, where it is not;
// otherwise done is called.
func (c Content) Prove(r io.Reader, done func()) io.Reader {
	return &proving{r: r, content: c, sum: sha256.New(), done: done}
}

type proving struct {
	r       io.Reader
	content Content
	sum     hash.Hash
	done    func()
}

func (p *proving) Read(b []byte) (int, error) {
	n, err := p.r.Read(b)
	p.sum.Write(b[:n])
	if err != io.EOF {
		return n, err
	}
	if got := hex.EncodeToString(p.sum.Sum(nil)); got != p.content.SHA256 {
		return 0, &Damaged{p.content, "their SHA-256 is " + got + ", and not " + p.content.SHA256}
	}
	p.done()
	return n, io.EOF
}
