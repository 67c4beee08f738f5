package job

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/core/zone"
	"almanach/internal/edge/desk"
)

// TestWholeWay walks the demo's desk: survey, draft, load, a second day,
// extract, reconcile.
func TestWholeWay(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "haven")
	laid, err := LayOut(dir)
	require.NoError(t, err)
	require.Equal(t, dir, laid)
	_, err = LayOut(dir)
	require.ErrorContains(t, err, "the folder is not empty")
	d, faults := desk.Find(dir)
	require.Empty(t, faults)
	zones, err := zone.NewBook(nil)
	require.NoError(t, err)
	office := &Office{Desk: d, Zones: zones, Now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC), Run: "7"}
	book := filepath.Join(dir, "inbox", "berth-bookings.xlsx")

	s, err := SurveyFile(t.Context(), office, book, intake.From{})
	require.NoError(t, err)
	assert.Equal(t, "Bookings", s.Origin.Sheet)
	path, err := Draft(office, s, "drafted", "")
	require.NoError(t, err)
	assert.Equal(t, filepath.Join(dir, "intakes", "drafted.yaml"), path)
	_, err = Draft(office, s, "drafted", "")
	require.ErrorContains(t, err, "exists already and was not touched")
	s.Path = "-"
	_, err = Draft(office, s, "", "")
	require.ErrorContains(t, err, "cannot be drafted from standard input")

	load := func(name string) *Report {
		t.Helper()
		in, faults := d.Intake(name)
		require.Empty(t, faults)
		r, err := Load(t.Context(), office, LoadRequest{Intake: in, OfDesk: true, Write: true, Allow: map[string]int{}})
		require.NoError(t, err)
		return r
	}
	first := load("berth-bookings")
	assert.Equal(t, "20260302T080000Z-7", first.Run)
	assert.True(t, first.Left())
	for _, name := range []string{"ferries", "closures", "pilots"} {
		assert.Positive(t, load(name).Totals.New, name)
	}
	require.NoError(t, Later(dir))
	require.NoError(t, HandEdit(dir, filepath.Join("calendars", "berths.ics"), "TH-1033", "LOCATION", "Berth 6"))
	require.Error(t, HandEdit(dir, "none.ics", "", "", ""))
	second := load("berth-bookings")
	assert.Equal(t, 1, second.Totals.Edited)

	week, f := office.ParseRange("2026-03-02", "2026-03-08")
	require.Nil(t, f)
	x, err := ExtractCalendars(t.Context(), office, nil, week)
	require.NoError(t, err)
	assert.Equal(t, 4, x.Series)
	assert.Greater(t, len(x.Rows), 25)
	_, err = ExtractCalendars(t.Context(), office, []string{"nowhere"}, week)
	require.ErrorContains(t, err, `"nowhere" is not a calendar`)
	_, err = ExtractCalendars(t.Context(), &Office{Desk: &desk.Desk{}, Zones: zones}, nil, week)
	require.ErrorContains(t, err, "nothing says which calendar")

	in, _ := d.Intake("berth-bookings")
	r, err := Reconcile(t.Context(), office, LoadRequest{Intake: in, OfDesk: true}, days(t, office, "2026-03-02", "2026-03-08"))
	require.NoError(t, err)
	assert.True(t, r.Left())
	assert.Equal(t, 1, r.Totals.Source.Differs)
	whole, err := Reconcile(t.Context(), office, LoadRequest{Intake: in, OfDesk: true}, nil)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, whole.Totals.Source.Rows, r.Totals.Source.Rows)

	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = Load(ended, office, LoadRequest{Intake: in, OfDesk: true})
	require.ErrorIs(t, err, context.Canceled)
	_, err = ExtractCalendars(ended, office, nil, week)
	require.ErrorIs(t, err, context.Canceled)
}

// TestReconcileKinds has one of everything that reconciling can find, in two
// calendars.
func TestReconcileKinds(t *testing.T) {
	office, dir := harbour(t, "calendars: { north: { file: n.ics }, south: { folder: s } }\n")
	settings := strings.Replace(calls, "into: c", "into: '{Pier}'", 1) + "leave_out: 'Ship == \"None\"'\ncancel_when: 'Berth == \"off\"'\nperiod: { from: 2026-04-01, to: 2026-04-30 }\n"
	rows := "No,Ship,Start,Berth,Agent,Email,Pier\n1,Corvane,2026-04-05 08:00,N,,,north\n2,Petrel,2026-04-06 08:00,S,,,south\n3,Gull,2026-04-07 08:00,S,,,south\n4,Tern,2026-04-08 08:00,S,,,south\n5,Heron,2026-04-09 08:00,S,,,south\n6,Late,2026-05-09 08:00,S,,,south\n"
	_, err := Load(t.Context(), office, request(t, dir, settings, rows))
	require.NoError(t, err)
	stray := "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:x\r\nDTSTART:20260405T100000Z\r\nSUMMARY:By hand\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nUID:y\r\nDTSTART:20260406T070000Z\r\nDTEND:20260406T080000Z\r\nSUMMARY:Petrel\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nUID:bad\r\nDTSTART:x\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "s", "x.ics"), []byte(stray), 0o600))
	now := strings.NewReplacer("1,Corvane", "1,Corvane II", "3,Gull,", "3,None,", "4,Tern,2026-04-08", "4,Tern,soon", "5,Heron,2026-04-09 08:00,S,,,south\n", "7,Ling,2026-04-10 08:00,S,,,north\n").Replace(rows)
	req := request(t, dir, settings, now)
	r, err := Reconcile(t.Context(), office, req, days(t, office, "2026-04-01", "2026-04-30"))
	require.NoError(t, err)
	var got []string
	for _, f := range r.Findings {
		got = append(got, string(f.Kind)+" "+f.Key+" "+f.Calendar+" "+f.Reason)
	}
	assert.ElementsMatch(t, []string{
		`held 4 south Start "soon 08:00" is not a date`, "missing 7 north in the source, not in the calendar", "differs 1 north ", "differs 4 south its row is held",
		`gone 3 south its row is left out: Ship == "None"`, "gone 5 south its row is no longer in the source", "stray  south not from this source", "twin  south looks like the event of key 2",
	}, got)
	assert.Len(t, r.Faults, 1)
	assert.Contains(t, r.Faults[0].Error(), "x.ics, line 15: event bad")
}

func TestRanges(t *testing.T) {
	office, _ := harbour(t, "")
	for _, tt := range []struct{ from, to, want, refused string }{
		{"", "", "2026-03-02T00:00 2026-03-09T00:00", ""},
		{"2026-03-05", "", "2026-03-05T00:00 2026-03-12T00:00", ""},
		{"2026-03-05", "2026-03-05", "2026-03-05T00:00 2026-03-06T00:00", ""},
		{"2026-03-05 08:00", "2026-03-05 09:30", "2026-03-05T08:00 2026-03-05T09:30", ""},
		{"2026-03-05T08:00+02:00", "2026-03-05T08:00-03:30", "2026-03-05T06:00 2026-03-05T11:30", ""},
		{"2026-07-05T08:00Z", "2026-07-05T20:00 UTC", "2026-07-05T08:00 2026-07-05T20:00", ""},
		{"tomorrow", "next Friday", "2026-03-03T00:00 2026-03-07T00:00", ""},
		{"2026-03-05", "2026-03-04", "", "lies before"},
		{"soon", "", "", `"soon" is not a date`},
		{"9:00", "", "", "is not one day"},
		{"2026-03-05", "3–5 March", "", "is not one day"},
	} {
		r, f := office.ParseRange(tt.from, tt.to)
		if tt.refused != "" {
			require.NotNil(t, f, "%s %s", tt.from, tt.to)
			assert.Contains(t, f.Error(), tt.refused)
			continue
		}
		require.Nil(t, f, "%s %s", tt.from, tt.to)
		if strings.Contains(tt.from, "07-05") {
			assert.Equal(t, tt.want, time.Unix(r.From, 0).UTC().Format("2006-01-02T15:04")+" "+time.Unix(r.To, 0).UTC().Format("2006-01-02T15:04"))
			continue
		}
		assert.Equal(t, tt.want, time.Unix(r.From, 0).UTC().Format("2006-01-02T15:04")+" "+time.Unix(r.To, 0).UTC().Format("2006-01-02T15:04"), "%s %s", tt.from, tt.to)
	}
	office.Zone = "Nowhere/Land"
	_, f := office.ParseRange("", "")
	require.NotNil(t, f)
	z, why, f := (&Office{Desk: &desk.Desk{}, Zones: office.Zones}).DefaultZone()
	require.Nil(t, f)
	assert.Equal(t, zone.UTC, z)
	assert.Contains(t, why, "no other is known")
}

// TestSources reads an intake's rows from everything that it can name.
func TestSources(t *testing.T) {
	office, dir := harbour(t, "calendars: { c: { file: c.ics } }\n")
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "inbox"), 0o755))
	head := "No,Ship,Start,Berth,Agent,Email,Pier\n"
	old, fresh := filepath.Join(dir, "inbox", "a.csv"), filepath.Join(dir, "inbox", "b.csv")
	require.NoError(t, os.WriteFile(old, []byte(head+"1,Corvane,2026-04-05 08:00,N,,,\n"), 0o600))
	require.NoError(t, os.WriteFile(fresh, []byte(head+"2,Petrel,2026-04-06 08:00,S,,,\n3,Gull,2026-04-06 08:00,S,,,\n"), 0o600))
	then := time.Now().Add(-time.Hour)
	require.NoError(t, os.Chtimes(old, then, then))
	for from, rows := range map[string]int{"file: inbox/a.csv": 1, "newest: 'inbox/*.csv'": 2, "files: 'inbox/*.csv'": 3, "folder: inbox": 3, "file: inbox/none.csv": -1, "newest: 'none/*'": -1, "files: 'none/*'": -1, "folder: none": -1, "url: 'x:y'": -1, "sheet: x": -1} {
		in, faults := intake.Parse("calls.yaml", []byte(calls+"from: { "+from+" }\n"))
		require.Empty(t, faults)
		r, err := Load(t.Context(), office, LoadRequest{Intake: in, OfDesk: true, Allow: map[string]int{}})
		if rows < 0 {
			require.Error(t, err, from)
			assert.NotEmpty(t, fault.Of(err).Advice+fault.Of(err).Error(), from)
			continue
		}
		require.NoError(t, err, from)
		assert.Equal(t, rows, r.Totals.Rows, from)
	}
	for name, rows := range map[string]string{"there is no row below the header": head, "nothing says which calendar": head + "1,A,2026-04-05 08:00,N,,,\n"} {
		settings := calls
		if strings.HasPrefix(name, "nothing") {
			settings = strings.Replace(calls, "into: c\n", "", 1)
		}
		_, err := Load(t.Context(), office, request(t, dir, settings, rows))
		assert.ErrorContains(t, err, name)
	}
	_, err := Load(t.Context(), office, request(t, dir, strings.Replace(calls, "into: c\n", "into: none/x.ics\n", 1), head+"1,A,2026-04-05 08:00,N,,,\n"))
	assert.ErrorContains(t, err, "does not exist")
	// A table that no intake describes.
	req := LoadRequest{Intake: &intake.Intake{Name: "table", Key: []string{"No"}}, File: fresh, Into: filepath.Join(dir, "t.ics"), Match: true, Write: true, First: 1}
	req.Intake.Assume.Length = time.Hour
	req.Intake.Defaults()
	r, err := Load(t.Context(), office, req)
	require.NoError(t, err)
	assert.Equal(t, 1, r.Totals.New)
	assert.Equal(t, "only some rows were tried", r.NoGone)
	assert.Empty(t, req.Intake.EventText("title"), "the intake is not changed")
	req.First, req.Rows = 0, map[int]bool{3: true}
	r, err = Load(t.Context(), office, req)
	require.NoError(t, err)
	assert.Equal(t, 1, r.Totals.New)
}

// TestPanics brings a panic beside the main line back to it, with its stack.
func TestPanics(t *testing.T) {
	wait := beside(func() { panic("broken") })
	defer func() {
		p, ok := recover().(panicked)
		require.True(t, ok)
		assert.Equal(t, "broken", p.Error())
		assert.Contains(t, string(p.Stack()), "TestPanics")
		assert.Equal(t, "a\nb", Faults{fault.Newf("a"), fault.Newf("b")}.Error())
		assert.ErrorContains(t, several([]error{errors.New("x"), errors.New("x"), errors.New("y")}), "x\ny")
	}()
	wait()
}

func days(t *testing.T, office *Office, from, to string) *Range {
	t.Helper()
	r, f := office.ParseRange(from, to)
	require.Nil(t, f)
	return &r
}
