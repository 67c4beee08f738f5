package job

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/edge/standin"
)

var serverHistories = flag.Int("server-histories", 12, "how many histories to live through on a server")

// A sheet changes from day to day and its rows go from one calendar to the other,
// on a server that is busy and loses answers. Loaded until it is done, every row
// stands once, where it goes and as it says; what a person wrote is kept.
func TestServerHistories(t *testing.T) {
	for seed := range *serverHistories {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			r := rand.New(rand.NewPCG(uint64(seed), 11))
			office, dir := harbour(t, "")
			s, base := standing(t, office)
			require.NoError(t, os.WriteFile(filepath.Join(dir, "almanach.yaml"), []byte("zone: Europe/Lisbon\ncalendars: { a: { caldav: '"+base+"/calendars/a/' }, b: { caldav: '"+base+"/calendars/b/' } }\n"), 0o600))
			office.Desk = deskOf(t, dir)

			type row struct {
				in    bool
				title string
				into  string
			}
			rows := make([]row, 8)
			for i := range rows {
				rows[i] = row{true, fmt.Sprint("Call ", i), []string{"a", "b"}[r.IntN(2)]}
			}
			settings := "name: calls\nkey: No\ninto: '{Into}'\nassume: { length: 1h }\nevent: { title: '{Ship}', start: '{Start}' }\nagree: { gone: delete }\n"
			for day := range 5 {
				for range r.IntN(4) {
					x := &rows[r.IntN(len(rows))]
					switch r.IntN(4) {
					case 0:
						x.in = !x.in
					case 1:
						x.into = map[string]string{"a": "b", "b": "a"}[x.into]
					default:
						x.title = fmt.Sprintf("Call %d of day %d", r.IntN(100), day)
					}
				}
				sheet := "No,Ship,Start,Into\nTH-X,Always,2026-05-01 08:00,a"
				for i, x := range rows {
					if x.in {
						sheet += fmt.Sprintf("\nTH-%d,%s,2026-04-%02d 08:15,%s", i, x.title, i+1, x.into)
					}
				}
				s.Faults = standin.Faults{Drop: 2 + r.IntN(4), Busy: 5 + r.IntN(9), BusyStatus: []int{503, 429, 502}[r.IntN(3)], NoSync: r.IntN(3) == 0, NoPutETag: r.IntN(2) == 0, Reorder: r.IntN(2) == 0}
				req := request(t, dir, settings, sheet)
				req.Pairs.BesideAll = true
				for n := 0; ; n++ {
					report, err := Load(t.Context(), office, req)
					if err == nil && report.Events() == 0 {
						break
					}
					require.Less(t, n, 12, "%v", err)
				}
				s.Faults = standin.Faults{}
				seen := map[string]string{}
				for _, name := range []string{"a", "b"} {
					for _, v := range served(t, office, base, name) {
						require.Empty(t, seen[v.Key], "%s stands twice", v.Key)
						seen[v.Key] = name + " " + v.Text(event.Title)
					}
				}
				for i, x := range rows {
					key := fmt.Sprintf("TH-%d", i)
					want := ""
					if x.in {
						want = x.into + " " + x.title
					}
					require.Equal(t, want, seen[key], "day %d, %s", day, key)
				}
				require.NotEmpty(t, seen["TH-X"])
			}
		})
	}
}

// standing runs the stand-in with two calendars until the test ends.
func standing(t *testing.T, office *Office) (*standin.Server, string) {
	t.Helper()
	s, err := standin.New(office.Zones, "")
	require.NoError(t, err)
	h := httptest.NewServer(s)
	t.Cleanup(h.Close)
	require.NoError(t, s.Make("a"))
	require.NoError(t, s.Make("b"))
	return s, h.URL
}

// served reads the feed of a calendar.
func served(t *testing.T, office *Office, base, name string) (out []event.View) {
	t.Helper()
	resp, err := http.Get(base + "/feeds/" + name + ".ics")
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Equal(t, http.StatusOK, resp.StatusCode)
	zones := ical.NewTimeZones(office.Zones)
	rd := ical.NewReader(resp.Body)
	for {
		p, err := rd.Next()
		if err != nil {
			return out
		}
		if p.Name == "VTIMEZONE" {
			_ = zones.Define(p.Raw)
		}
		if strings.EqualFold(p.Name, "VEVENT") {
			v, err := event.Read(p.Raw, zones.Find)
			require.NoError(t, err)
			out = append(out, v)
		}
	}
}
