package cli

import (
	"fmt"
	"io"
	"sync"
	"time"

	"github.com/schollz/progressbar/v3"
)

// progress says how far something has come: as a bar on a terminal, otherwise
// as a line from time to time. What is done soon says nothing.
type progress struct {
	w        io.Writer
	terminal bool
	width    int
	now      func() time.Time

	sync.Mutex
	what  string
	began time.Time
	last  time.Time
	bar   *progressbar.ProgressBar
}

// Before a bar shows, and between two lines.
const (
	barAfter  = 700 * time.Millisecond
	lineEvery = 10 * time.Second
)

// tell is job.Office.Progress.
func (p *progress) tell(what string, done, total, failed int) {
	p.Lock()
	defer p.Unlock()
	now := p.now()
	if what != p.what {
		p.clear()
		p.what, p.began, p.last = what, now, now
	}
	switch {
	case p.terminal && total > 0 && done+failed >= total:
		p.clear()
	case p.terminal && now.Sub(p.began) >= barAfter:
		if p.bar == nil {
			most := total
			if total == 0 { // nobody knows
				most = -1
			}
			p.bar = progressbar.NewOptions(most, progressbar.OptionSetWriter(p.w), progressbar.OptionSetWidth(max(10, min(40, p.width-50))),
				progressbar.OptionShowCount(), progressbar.OptionShowIts(), progressbar.OptionSetItsString("events"), progressbar.OptionSetPredictTime(true), progressbar.OptionThrottle(100*time.Millisecond),
				progressbar.OptionClearOnFinish(), progressbar.OptionSetTheme(progressbar.Theme{Saucer: "█", SaucerPadding: "░", BarStart: "", BarEnd: ""}))
		}
		p.bar.Describe(what + failures(failed))
		_ = p.bar.Set(done + failed)
	case !p.terminal && now.Sub(p.last) >= lineEvery:
		p.last = now
		of := ""
		if total > 0 {
			of = fmt.Sprintf(" of %d", total)
		}
		fmt.Fprintf(p.w, "%s: %d%s%s\n", what, done, of, failures(failed))
	}
}

// end takes a bar away again.
func (p *progress) end() {
	p.Lock()
	defer p.Unlock()
	p.clear()
}

func (p *progress) clear() {
	if p.bar != nil {
		_ = p.bar.Clear()
		p.bar = nil
	}
	p.what = ""
}

func failures(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf(", %d failed", n)
}
