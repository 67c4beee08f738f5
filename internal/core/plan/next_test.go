package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/agree"
)

// TestNext asks what the same load comes to next. Where it is not nil TestHistories holds it
// against the next load; here is where it must be nil, as something is for this once.
func TestNext(t *testing.T) {
	once := map[string]func(*Request){
		"items of all":  func(r *Request) { r.Brief = false },
		"their events":  func(r *Request) { r.Full = true },
		"some rows":     func(r *Request) { r.Selected = func(row int) bool { return row > 0 } },
		"a take":        func(r *Request) { r.Takes = []Take{{agree.Sheet, "1"}} },
		"an allowance":  func(r *Request) { r.Allow = map[string]int{"removed": 3} },
		"a restore":     func(r *Request) { r.Restore = map[string]bool{"1": true} },
		"every restore": func(r *Request) { r.RestoreAll = true },
		"a removal":     func(r *Request) { r.Remove = map[string]bool{"1": true} },
		"a rekey":       func(r *Request) { r.Pairs.Rekey = map[string]string{"1": "8"} },
		"every rekey":   func(r *Request) { r.Pairs.RekeyAll = true },
		"an adoption":   func(r *Request) { r.Pairs.Adopt = map[string]bool{"1": true} },
		"all alike":     func(r *Request) { r.Pairs.AdoptFrom = 90 },
		"pairs alone":   func(r *Request) { r.Pairs.Only = true },
	}
	for name, ask := range once {
		w := newWorld(t, "c")
		w.request.Full, w.request.Brief = false, true
		ask(&w.request)
		p, err := w.plan(plainCalls, threeCalls)
		require.NoError(t, err)
		assert.Nil(t, p.Next(), name)
	}

	w := newWorld(t, "c")
	w.request.Full, w.request.Brief, w.request.Memory = false, true, Memory{}
	p := w.load(plainCalls, threeCalls)
	require.NotNil(t, p.Next())
	assert.Equal(t, Totals{Rows: 3, Wanted: 3, Same: 3}, p.Next().Totals)
	assert.Zero(t, p.Next().Items.Len())
	w.remember(p)
	renumbered := strings.Replace(threeCalls, "\n1|", "\n9|", 1)
	p, err := w.plan(plainCalls, renumbered)
	require.NoError(t, err)
	assert.Nil(t, p.Next(), "%s: a row that may be another's", told(p))
	w.take("c", "2")
	p, err = w.plan(plainCalls, threeCalls)
	require.NoError(t, err)
	assert.Nil(t, p.Next(), "%s: the first to see that someone deleted an event", told(p))
}
