package job

import (
	"context"
	"fmt"

	"almanach/internal/core/intake"
	"almanach/internal/core/plan"
)

// TwinsRequest says where to look for doubles, and whether to remove the spare
// ones.
type TwinsRequest struct {
	Calendar string
	Remove   bool
	Allow    map[string]int
}

// TwinsReport is what was found in one calendar.
type TwinsReport struct {
	*Report
	Calendar string
	Events   int
	Twins    []plan.Twins
}

// Twins finds the events of a calendar that look like one, and removes the spare
// one of a pair where that is asked for and loses nothing.
func Twins(ctx context.Context, office *Office, req TwinsRequest) (*TwinsReport, error) {
	l := &load{office: office, in: &intake.Intake{Name: "twins"}, report: &Report{}, req: LoadRequest{Write: req.Remove}}
	defer l.close()
	spec, f := office.Desk.Calendar(req.Calendar, false)
	if f != nil {
		return nil, f
	}
	l.in.Name = spec.Name
	backend, err := office.openCalendar(ctx, spec, office.Desk.Has(req.Calendar))
	if err != nil {
		return nil, err
	}
	c := &opened{Backend: backend, spec: spec}
	l.calendars = append(l.calendars, c)
	if l.report.Warnings, err = c.read(ctx, true); err != nil {
		return nil, err
	}
	out := &TwinsReport{Report: l.report, Calendar: spec.Name, Events: c.holding.Events(), Twins: plan.FindTwins(c.holding)}
	l.report.Plan = plan.RemoveSpare(spec.Name, out.Twins, req.Allow, out.Events)
	if err := l.intact(); err != nil {
		return nil, err
	}
	l.report.Source.File = spec.Path()
	if !req.Remove || len(l.report.Edits) == 0 {
		return out, nil
	}
	if len(l.report.Guards) > 0 {
		return out, Faults{l.report.Guards[0].Fault("calendar " + spec.Name)}
	}
	if err := l.openBook(); err != nil {
		return out, err
	}
	l.report.Run = fmt.Sprintf("%s-%s", office.Now.UTC().Format("20060102T150405Z"), office.Run)
	return out, l.perform(ctx, "twins")
}
