package caldav

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/calendar/servertest"
	"almanach/internal/edge/secret"
	"almanach/internal/edge/standin"
)

// BenchmarkCreate creates events, reads them back and compares the time with that
// of bare PUTs of the same bytes, as many at once: the ratio is what is asked.
//
//	go test ./internal/edge/calendar/caldav -bench Create -benchtime 3x -run -
func BenchmarkCreate(b *testing.B) {
	b.Run("stand-in, 10000 events", func(b *testing.B) {
		book, err := zone.NewBook(nil)
		require.NoError(b, err)
		s, err := standin.New(book, "")
		require.NoError(b, err)
		s.User, s.Password = "clerk", "tide"
		b.Setenv("TIDE", "tide")
		create(b, servertest.Serve(b, s)+"/calendars/", calendar.Server{User: "clerk", Password: secret.Place{Env: "TIDE"}}, 10000)
	})
	b.Run("radicale, 300 events", func(b *testing.B) {
		create(b, servertest.Radicale(b), calendar.Server{User: "clerk"}, 300)
	})
}

func create(b *testing.B, base string, server calendar.Server, n int) {
	book, err := zone.NewBook(nil)
	require.NoError(b, err)
	number := 0
	fresh := func() *Calendar {
		number++
		server.URL = fmt.Sprintf("%scal%d/", base, number)
		c, err := Open(calendar.Spec{Server: server}, book)
		require.NoError(b, err)
		require.NoError(b, c.Make(b.Context(), "c"))
		return c
	}
	edits := calls(n)
	var ours, bare time.Duration
	for b.Loop() {
		c := fresh()
		began := time.Now()
		results, err := c.Apply(b.Context(), edits)
		require.NoError(b, err)
		ours += time.Since(began)
		for _, r := range results {
			require.NoError(b, r.Err)
		}
		c = fresh()
		began = time.Now()
		next := make(chan calendar.Edit)
		var wait sync.WaitGroup
		for range workers {
			wait.Go(func() {
				for e := range next {
					var body bytes.Buffer
					if (&ical.Document{}).Write(&body, []ical.ObjectEdit{ical.ObjectEdit(e)}, ical.NewTimeZones(book)) == nil {
						_, _ = c.send(context.Background(), request{method: http.MethodPut, href: c.server.Path + e.UID() + ".ics", body: body.Bytes(), header: map[string]string{"Content-Type": "text/calendar", "If-None-Match": "*"}}, true)
					}
				}
			})
		}
		for _, e := range edits {
			next <- e
		}
		close(next)
		wait.Wait()
		bare += time.Since(began)
	}
	b.ReportMetric(float64(ours)/float64(bare), "ratio")
	b.ReportMetric(0, "ns/op")
}
