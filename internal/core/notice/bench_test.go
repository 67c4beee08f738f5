package notice

import (
	"fmt"
	"testing"
)

// BenchmarkMessage reads a message of the usual length.
func BenchmarkMessage(b *testing.B) {
	lines := linesOf("Hello,\n\nThe vessel comes on 5 April at 8:30 to berth 4, for two hours. Please have the ropes ready, as the crew is small\nand the weather is expected to be rough. We would also like to have water and power on board.\n\nThank you\n")
	b.ReportAllocs()
	for b.Loop() {
		if f := Read(lines, Settings{Message: true, Stated: monday, Present: monday, Subject: "Call"}); len(f.Events) != 1 {
			b.Fatal(fmt.Sprint(f))
		}
	}
}
