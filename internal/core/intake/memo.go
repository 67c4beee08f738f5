package intake

// memo remembers what texts came to, since the cells of a sheet repeat: a
// hundred thousand rows have a few dozen agents. Where they do not repeat it
// gives itself up. It is not safe for concurrent use.
type memo struct {
	known        map[string]string
	hits, misses int
	off          bool
}

const memoSize = 4096

// get gives what key came to. The key need not outlive the call.
func (m *memo) get(key []byte) (string, bool) {
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

func (m *memo) put(key []byte, value string) {
	if m.off || len(m.known) >= memoSize {
		return
	}
	if m.known == nil {
		m.known = map[string]string{}
	}
	m.known[string(key)] = value
}
