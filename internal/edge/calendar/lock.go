package calendar

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"time"

	"github.com/gofrs/flock"

	"almanach/internal/core/fault"
)

// lockWait is how long a run waits for another one to finish writing.
const lockWait = 30 * time.Second

// Lock takes the lock file at path, which every user of a shared folder can
// take. at is the calendar, for messages.
func Lock(ctx context.Context, path string, at fault.Place) (*flock.Flock, error) {
	lock := flock.New(path, flock.SetPermissions(0o666))
	wait, cancel := context.WithTimeout(ctx, lockWait)
	defer cancel()
	ok, err := lock.TryLockContext(wait, 20*time.Millisecond)
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.Is(err, fs.ErrPermission):
		return nil, fault.Newf("its folder may not be written to").At(at).Do("ask for permission, or choose another place").FromOutside()
	case err != nil && !errors.Is(err, context.DeadlineExceeded):
		return nil, fault.Newf("the lock beside it cannot be taken: %w", fault.Bare(err)).At(at).FromOutside()
	case !ok:
		return nil, fault.Newf("another run is writing it").At(at).Do("wait for it to finish, then load again").FromOutside()
	}
	_ = os.Chmod(path, 0o666) // whatever this user's mask; only the owner can
	return lock, nil
}
