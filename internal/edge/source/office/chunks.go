package office

import (
	"bytes"
	"io"
	"runtime"
	"slices"

	"almanach/internal/edge/source/sheet"
)

// chunkSize is about how many octets of a sheet's rows are read in one go. A test changes it.
var chunkSize = 1 << 20

// chunk is some whole rows of a sheet. Chunks are read side by side, each by a worksheet of
// its own.
type chunk struct {
	*worksheet
	data []byte // whole rows
	done chan bool
}

// mostChunks is how many are read side by side at most: each takes memory.
const mostChunks = 8

var endOfRow = []byte("</row>")

// readChunks reads rows as long as they are written the way that office programs nearly always
// write them. What is not, from the start of its chunk on, and what is behind the last row,
// stands in front of the scanner again.
func (w *worksheet) readChunks() {
	n := min(runtime.GOMAXPROCS(0), mostChunks) + 1
	chunks, begun, taken := make([]*chunk, n), 0, 0
	rest, more := bytes.Clone(w.xml.buf[w.xml.pos:]), true
	usual := true
	for usual && (more || taken < begun) {
		if begun-taken == n || !more {
			if usual = w.take(chunks[taken%n]); usual {
				taken++
			}
			continue
		}
		c := chunks[begun%n]
		if c == nil {
			c = &chunk{worksheet: &worksheet{workbook: w.workbook, from: w.from, xml: &xmlScanner{}}, done: make(chan bool, 1)}
			chunks[begun%n] = c
		}
		if rest, more = c.cut(w.xml.src, rest); len(c.data) > 0 {
			begun++
			go c.read()
		}
	}
	var again []byte
	for i := taken; i < begun; i++ {
		again = append(again, chunks[i%n].data...)
	}
	again = append(again, rest...)
	w.xml.buf, w.xml.pos = slices.Grow(again, 64<<10), 0
}

// cut takes whole rows from rest and from what follows it, and gives what is left and whether
// there may be more. It takes none where it meets no end of a row, or the end of all.
func (c *chunk) cut(from io.Reader, rest []byte) (left []byte, more bool) {
	c.data = append(c.data[:0], rest...)
	c.data = slices.Grow(c.data, max(0, chunkSize-len(rest)))
	for len(c.data) < chunkSize {
		n, err := from.Read(c.data[len(c.data):cap(c.data)])
		if c.data = c.data[:len(c.data)+n]; err != nil {
			more = false
			break
		}
		more = true
	}
	end := bytes.LastIndex(c.data, endOfRow) + len(endOfRow)
	if end < len(endOfRow) {
		end, more = 0, false
	}
	left = append(rest[:0], c.data[end:]...)
	c.data = c.data[:end]
	return left, more
}

// read reads the rows of the chunk, and says whether they are what they usually are.
func (c *chunk) read() {
	usual := false
	defer func() {
		if recover() != nil { // who reads them once more is told
			usual = false
		}
		c.done <- usual
	}()
	*c.xml = xmlScanner{buf: c.data, eof: true} // where a comment has the end of a row, it meets the end of all
	for usual = true; usual; {
		switch c.xml.next() {
		case xmlEnd:
			usual = c.xml.err == nil
			return
		case xmlClose:
			usual = false
		case xmlStart:
			usual = c.xml.is("row") && len(c.xml.get("r")) > 0 && c.readRow() == nil && c.long == nil && c.size[0] <= len(c.data) && c.size[1] <= maxChunkText
		}
	}
}

// maxChunkText is how many octets of text, most of them shared ones, a chunk usually has at most.
const maxChunkText = 64 << 20

// take takes over the rows of a chunk, once they are read, where they are what they usually are.
func (w *worksheet) take(c *chunk) bool {
	usual := <-c.done
	rows := c.rows.Take()
	cells, text := w.size[0]+c.size[0], w.size[1]+c.size[1]
	c.size = [2]int{}
	if !usual || w.read+rows.Len() > sheet.MaxRows || cells > sheet.MaxCells || text > sheet.MaxText {
		return false
	}
	w.size = [2]int{cells, text}
	w.read += rows.Len()
	w.row = c.row
	w.before = append(w.before, rows)
	return true
}
