package show

import (
	"path/filepath"
	"strings"

	"almanach/internal/job"
)

type setupJSON struct {
	*job.Setup
	Drafted []string `json:"drafted"`
}

// SetupJSON gives the JSON form of a desk that was set up.
func SetupJSON(s *job.Setup, drafted []string) any {
	return setupJSON{&job.Setup{Dir: s.Dir, Made: list(s.Made), There: list(s.There)}, list(drafted)}
}

// Setup says what was made of a desk, and what comes next.
func (p *Printer) Setup(s *job.Setup, drafted []string, fresh bool) {
	switch {
	case fresh:
		p.line("%s   %s", bold.Render("the desk is ready"), s.Dir)
	case len(s.Made) > 0:
		p.line("%s   %s", bold.Render("the desk has what it lacked"), s.Dir)
	default:
		p.line("%s   %s", bold.Render("the desk was there already, and nothing is missing"), s.Dir)
	}
	if len(s.Made) > 0 {
		p.wrapped(dim.Render("made")+"      ", strings.Join(s.Made, ", "))
	}
	if len(s.There) > 0 {
		p.wrapped(dim.Render("was there")+" ", strings.Join(s.There, ", ")+dim.Render("   not touched"))
	}
	for _, path := range drafted {
		p.wrapped(dim.Render("drafted")+"   ", path+dim.Render("   look it over"))
	}
	p.line("")
	at := ""
	if s.Dir != "." {
		at = " --desk " + quoted(s.Dir)
	}
	if len(drafted) > 0 {
		name := strings.TrimSuffix(filepath.Base(drafted[0]), filepath.Ext(drafted[0]))
		p.line("next: almanach preview %s%s", name, at)
		return
	}
	p.line("next: put a sheet, a notice or a mail into %s, and draft an intake for it:", filepath.Join(s.Dir, "inbox"))
	p.line("      almanach draft %s%s", quoted(filepath.Join(s.Dir, "inbox", "FILE")), at)
}
