package notice

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"
)

func TestScratch(t *testing.T) {
	path := os.Getenv("NOTICE")
	if path == "" {
		t.Skip()
	}
	data, _ := os.ReadFile(path)
	var lines []Line
	for i, l := range strings.Split(string(data), "\n") {
		lines = append(lines, Line{Text: l, Number: i + 1})
	}
	set := Settings{Present: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)}
	if os.Getenv("MESSAGE") != "" {
		set.Message, set.Stated, set.Subject = true, set.Present, os.Getenv("MESSAGE")
	}
	f := Read(lines, set)
	for _, e := range f.Events {
		c := ""
		if e.Cancelled {
			c = " CANCELLED"
		}
		fmt.Printf("%3d %-38s | %-40s | %-20s | %v | h=%s%s %v\n", e.Line, e.When(), e.What, e.Where, e.Who, e.Heading, c, e.Notes)
		if e.Held != nil {
			fmt.Printf("      HELD %v\n", e.Held)
		}
	}
	for _, p := range f.Passed {
		fmt.Printf("%3d passed: %s (%s)\n", p.Line, p.Why, p.Text)
	}
}
