//go:build !linux

package replace

import "os"

func beginSync(*os.File, int64, int64) {}
