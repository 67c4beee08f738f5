// Package secret reads passwords and tokens from where a desk says they are, so
// that none stands in a file of the desk.
package secret

import (
	"context"
	"os"
	"os/exec"
	"strings"
	"time"

	"github.com/zalando/go-keyring"

	"almanach/internal/core/fault"
	"almanach/internal/core/settings"
)

// Place says where a secret is. Its file is a path that can be opened.
type Place settings.SecretPlace

// commandLimit is how long a command may take.
const commandLimit = time.Minute

// Read gives the secret of a user. what names it in messages: "password",
// "token". No message holds the secret itself.
func (p Place) Read(ctx context.Context, what, user string) (string, error) {
	switch {
	case p.Env != "":
		text := os.Getenv(p.Env)
		if text == "" {
			return "", fault.Newf("the %s is to be in the variable %s of the environment, which is empty", what, p.Env).Do("set it, and try again")
		}
		return text, nil
	case p.File != "":
		data, err := os.ReadFile(p.File)
		if err != nil {
			return "", fault.Newf("the file with the %s cannot be read: %w", what, fault.Bare(err)).At(fault.Place{File: p.File}).FromOutside()
		}
		return trimmed(data), nil
	case p.Command != "":
		ctx, cancel := context.WithTimeout(ctx, commandLimit)
		defer cancel()
		out, err := exec.CommandContext(ctx, "sh", "-c", p.Command).Output()
		if err != nil {
			return "", fault.Newf("the command that gives the %s failed: %w", what, err).Do("try it by hand: %s", p.Command).FromOutside()
		}
		return trimmed(out), nil
	case p.Keyring != "":
		text, err := keyring.Get(p.Keyring, user)
		if err != nil {
			return "", fault.Newf("the system's keyring has no %s of user %q under the name %q: %w", what, user, p.Keyring, err).Do("put it there, or say env:, file: or command:").FromOutside()
		}
		return text, nil
	}
	return "", nil
}

func trimmed(data []byte) string { return strings.TrimRight(string(data), "\r\n") }
