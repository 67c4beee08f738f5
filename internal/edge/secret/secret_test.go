package secret

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zalando/go-keyring"
)

// A secret is read from each of its places, and what fails says where.
func TestRead(t *testing.T) {
	keyring.MockInit()
	require.NoError(t, keyring.Set("harbour calendar", "clerk", "tide"))
	t.Setenv("TIDE", "tide")
	path := filepath.Join(t.TempDir(), "tide")
	require.NoError(t, os.WriteFile(path, []byte("tide\r\n"), 0o600))
	for name, c := range map[string]struct {
		place Place
		fails string
	}{
		"environment":        {place: Place{Env: "TIDE"}},
		"file":               {place: Place{File: path}},
		"command":            {place: Place{Command: "echo tide"}},
		"keyring":            {place: Place{Keyring: "harbour calendar"}},
		"empty environment":  {Place{Env: "NONE"}, "the password is to be in the variable NONE of the environment, which is empty"},
		"no file":            {Place{File: path + "x"}, "the file with the password cannot be read"},
		"failing command":    {Place{Command: "exit 3"}, "the command that gives the password failed: exit status 3"},
		"not in the keyring": {Place{Keyring: "x"}, `the system's keyring has no password of user "clerk" under the name "x"`},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := c.place.Read(t.Context(), "password", "clerk")
			if c.fails != "" {
				require.ErrorContains(t, err, c.fails)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, "tide", got)
		})
	}
}
