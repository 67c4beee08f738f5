// Package demo has the demo desk: the harbour office of Tarn Haven, an
// invented port, in the week from Monday 2 March 2026.
package demo

import "embed"

// Now is the present that the demo takes, so that its output is always the
// same.
const Now = "2026-03-02T08:00"

// From and To are the week that the demo is about.
const (
	From = "2026-03-02"
	To   = "2026-03-08"
)

//go:generate go run ./make

// Desk has the desk as it is laid out, under desk/, and what arrives later,
// under later/.
//
//go:embed desk later
var Desk embed.FS
