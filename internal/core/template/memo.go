package template

// Memo remembers what texts came to, since the cells of a sheet repeat: a
// hundred thousand rows have a few dozen agents. Where they do not repeat it
// gives itself up. The zero Memo is empty. It belongs to one goroutine.
type Memo struct {
	known        map[string]string
	hits, misses int
	off          bool
}

const memoSize = 4096

// Get gives what key came to. The key need not outlive the call.
func (m *Memo) Get(key []byte) (string, bool) {
	if m.off {
		return "", false
	}
	s, ok := m.known[string(key)]
	if ok {
		m.hits++
		return s, true
	}
	if m.misses++; m.misses > 1000 && m.hits < m.misses {
		m.off, m.known = true, nil
	}
	return "", false
}

// Put remembers what key came to, while there is room.
func (m *Memo) Put(key []byte, value string) {
	if m.off || len(m.known) >= memoSize {
		return
	}
	if m.known == nil {
		m.known = map[string]string{}
	}
	m.known[string(key)] = value
}
