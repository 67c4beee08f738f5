package plan

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
)

// memory is a spool that takes so many writes, and may lose what it has.
type memory struct {
	bytes  []byte
	writes int
	lost   bool
}

func (m *memory) WriteAt(p []byte, at int64) (int, error) {
	if m.writes--; m.writes < 0 {
		return 0, errors.New("no space left")
	}
	m.bytes = append(m.bytes[:at], p...)
	return len(p), nil
}

func (m *memory) ReadAt(p []byte, at int64) (int, error) {
	if m.lost {
		return 0, errors.New("lost")
	}
	return bytes.NewReader(m.bytes).ReadAt(p, at)
}

// TestSpool plans more new events than one block has, with spools that take all, some
// or none of them. What they give must be what is kept in memory.
func TestSpool(t *testing.T) {
	rows := "No|Ship|Start|Berth\n"
	for n := range 1200 {
		rows += fmt.Sprintf("%d|Corvane %d|2026-04-05 08:00|%s\n", n, n, strings.Repeat("N", n%700))
	}
	w := newWorld(t, "c")
	texts := func(p *Plan) (out [][]byte) {
		buf := make([]byte, 1000)
		for i := range p.Edits {
			text, err := p.Edits[i].Text(buf)
			require.NoError(t, err)
			require.Equal(t, Print(text), p.Edits[i].Print())
			out = append(out, bytes.Clone(text[0]))
		}
		return out
	}
	plain, err := w.plan(plainCalls, rows)
	require.NoError(t, err)
	want := texts(plain)
	for writes, spooled := range map[int]bool{100: true, 1: true, 0: false} {
		m := &memory{writes: writes}
		w.request.Spool = m
		p, err := w.plan(plainCalls, rows)
		require.NoError(t, err)
		for range 2 { // what is read must not spoil what is in memory
			require.Equal(t, want, texts(p))
		}
		second := p.Items.At(1)
		assert.Equal(t, "Corvane 1", p.Event(&second).Text(event.Title))
		if !spooled {
			continue
		}
		m.bytes[100] ^= 1
		_, err = p.Edits[0].Text(nil)
		assert.ErrorContains(t, err, "is not as it was written")
		m.lost = true
		_, err = p.Edits[0].Text(nil)
		assert.ErrorContains(t, err, "lost")
	}
	w.request.Spool = &memory{writes: 100, lost: true} // series are put together from memory
	p, err := w.plan("name: calls\nkey: No\ninto: c\nassume: { length: 1h }\nevent: { title: '{Ship}', start: '{Start}', repeat: '{Repeat}', occurrence: '{Of}' }\n", "No|Ship|Start|Repeat|Of\n1|Corvane|2026-04-05 08:00|daily, 5 times|\n1|Petrel|2026-04-06 09:00||2026-04-06\n")
	require.NoError(t, err)
	require.Len(t, p.Edits, 1)
	text, err := p.Edits[0].Text(nil)
	require.NoError(t, err)
	assert.Len(t, text, 2)
}
