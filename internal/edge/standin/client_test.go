package standin

import (
	"net/http/httptest"
	"os/exec"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
)

// Another client, of other people, gets on with the server.
func TestOtherClient(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	s, err := New(book, t.TempDir())
	require.NoError(t, err)
	s.User, s.Password = "clerk", "tide"
	h := httptest.NewServer(s)
	defer h.Close()
	out, err := exec.Command("/usr/bin/python3", "testdata/walk.py", h.URL+"/").CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Equal(t, "walked\n", string(out))
}
