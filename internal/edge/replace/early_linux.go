package replace

import (
	"os"
	"syscall"
)

// beginSync has the disk begin to write a part of a file, and does not wait for it. It is no
// more than a hint: the file is synced as a whole at its end.
func beginSync(f *os.File, at, n int64) {
	const begin = 2 // SYNC_FILE_RANGE_WRITE
	_ = syscall.SyncFileRange(int(f.Fd()), at, n, begin)
}
