package survey

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/match"
	"almanach/internal/core/table"
)

// Draft is what a first intake needs to know besides the survey.
type Draft struct {
	Name      string
	From      string // the file, as the intake names it
	Sheet     string // "" where the file has no named sheets
	Records   string // path of the records in a JSON document
	Header    table.Header
	HeaderRow int
	Calendars []string // of the desk; "" is asked for when there are none
	Zone      string   // of times that name none
	Day       string   // of the drafting, for the heading
}

// fields are the event's fields in the order a draft has them.
var fields = []string{"title", "start", "end", "length", "all_day", "zone", "location", "description", "url", "conference", "categories", "colour", "status", "busy", "priority", "visibility", "organizer", "attendees", "optional", "resources", "reminders", "repeat", "repeat_every", "repeat_until", "repeat_times", "except", "also", "occurrence"}

// Write writes the intake that a survey suggests, with comments that say how
// sure each part is and what is left to decide.
func (s *Survey) Write(d Draft) string {
	var b strings.Builder
	line := func(text, comment string) {
		if comment != "" {
			text = fmt.Sprintf("%-44s # %s", text, comment)
		}
		b.WriteString(strings.TrimRight(text, " ") + "\n")
	}
	line("# Drafted from "+d.From+" on "+d.Day+". Look it over and finish it; then see", "")
	line("# what it would do, which writes nothing: almanach preview "+d.Name, "")
	if s.Problem != nil {
		line("# It is not complete: "+s.Problem.Cause.Error(), "")
		if rest, ok := strings.CutPrefix(s.Problem.Advice, "describe the columns in an intake file, with "); ok {
			line("# Give it "+rest, "")
		}
	}
	line("name: "+scalar(d.Name), "event IDs derive from it: keep it")
	line("from:", "")
	line("  file: "+scalar(d.From), "or newest: with a pattern, for a new file every week")
	if d.Sheet != "" {
		line("  sheet: "+scalar(d.Sheet), "")
	}
	if d.Records != "" {
		line("  records: "+scalar(d.Records), "")
	}
	if d.HeaderRow > 1 {
		line("  # header: "+strconv.Itoa(d.HeaderRow), "found there; set it if titles come and go")
	}
	for _, name := range s.Carried {
		line("  # fill_down: ["+scalar(name)+"]", "if blanks in it mean: the same as above")
	}
	s.writeKey(line)
	s.writeInto(line, d)
	line("event:", "")
	s.writeFields(line)
	s.writeStart(line, d.Header)
	if s.Template("title") == "" {
		line("  # title: \"{…}\"", "say what the events are called")
	}
	if rest := s.rest(d.Header); len(rest) > 0 {
		line("  # no field takes "+strings.Join(rest, " "), "")
	}
	s.writeAssumptions(line)
	if d.Zone != "" {
		line("# zone: "+d.Zone, "of times that name none")
	}
	line("# leave_out: '…'", "a condition; rows that meet it are left out")
	condition, _ := match.Cancels(d.Header, func(i int) []string {
		if i >= len(s.traits) || s.Columns[i].Field == "status" {
			return nil
		}
		return s.traits[i].Samples
	})
	if condition != "" {
		line("cancel_when: "+quoteYAML(condition), "the event of such a row is cancelled")
	} else {
		line("# cancel_when: '…'", "a condition; the event of such a row is cancelled")
	}
	return b.String()
}

// writeFields writes the columns chosen for the fields, and how sure each is.
func (s *Survey) writeFields(line func(string, string)) {
	for _, field := range fields {
		if text := s.Template(field); text != "" {
			sure := match.Perhaps
			for _, c := range s.Choices {
				if c.Field == field {
					sure = c.Sure
				}
			}
			if field == "attendees" && sure == match.Perhaps {
				line("  # "+field+": "+strconv.Quote(text), "if they take part")
				continue
			}
			line("  "+field+": "+strconv.Quote(text), sure.String())
		}
	}
}

// writeStart says which columns hold dates where none was chosen as the start.
func (s *Survey) writeStart(line func(string, string), header table.Header) {
	if s.Template("start") != "" {
		return
	}
	var dated []string
	for _, kind := range []string{"date and time", "date"} { // the fuller first
		for i, c := range s.Columns {
			if c.Kind == kind {
				dated = append(dated, match.Reference(header, i))
			}
		}
	}
	switch {
	case len(dated) == 0:
		line("  # start: \"{…}\"", "no column holds dates: say when the events start")
	case len(dated) == 1:
		line("  # start: "+strconv.Quote(dated[0]), "if it says when the events start")
	default:
		line("  # start: "+strconv.Quote(dated[0]), "or "+strings.Join(dated[1:], ", ")+": no name says when the events start")
	}
}

func (s *Survey) writeKey(line func(string, string)) {
	list := func(k Key) string {
		parts := make([]string, len(k.Columns))
		for i, c := range k.Columns {
			parts[i] = scalar(c)
		}
		if len(parts) == 1 {
			return parts[0]
		}
		return "[" + strings.Join(parts, ", ") + "]"
	}
	spoilt := func(k Key) string {
		var why []string
		for _, d := range k.Doubles {
			why = append(why, "doubled in rows "+numbers(d))
		}
		if k.Blank > 0 {
			why = append(why, fmt.Sprintf("empty in %d", k.Blank))
		}
		return strings.Join(why, "; ")
	}
	moves := func(k Key) bool {
		return slices.ContainsFunc(s.Columns, func(c Column) bool {
			return (c.Field != "" || s.Template("start") == "") && strings.Contains(c.Kind, "date") && slices.Contains(k.Columns, c.Header)
		})
	}
	switch {
	case len(s.Keys) > 0 && (len(s.Near) == 0 || len(s.Keys[0].Columns) == 1):
		remark := "in every row, and different in each"
		if moves(s.Keys[0]) {
			remark = "in every row; but dates move, so better a number of some kind"
		}
		line("key: "+list(s.Keys[0]), remark)
		for _, k := range s.Keys[1:min(len(s.Keys), 3)] {
			line("# key: "+list(k), "holds too")
		}
	case len(s.Near) > 0:
		line("key: "+list(s.Near[0]), spoilt(s.Near[0])+": those rows are held until corrected")
		for _, k := range s.Keys[:min(len(s.Keys), 2)] {
			remark := "in every row, and different in each"
			if moves(k) {
				remark += "; but dates move"
			}
			line("# key: "+list(k), remark)
		}
	default:
		line("# key: …", "no column, and no few together, tell the rows apart")
	}
}

func (s *Survey) writeInto(line func(string, string), d Draft) {
	switch {
	case len(d.Calendars) == 0:
		line("into: "+scalar(d.Name+".ics"), "made when something is first loaded into it")
	case len(d.Calendars) == 1:
		line("into: "+scalar(d.Calendars[0]), "")
	default:
		best := d.Calendars[0]
		for _, c := range d.Calendars {
			if strings.Contains(d.Name, strings.TrimSuffix(c, "s")) {
				best = c
			}
		}
		others := slices.DeleteFunc(slices.Clone(d.Calendars), func(c string) bool { return c == best })
		line("into: "+scalar(best), "or "+strings.Join(others, ", "))
	}
}

func (s *Survey) writeAssumptions(line func(string, string)) {
	timed := false
	var unsettled []string
	for _, c := range s.Columns {
		if c.Field == "start" && c.Kind != "date" {
			timed = true
		}
		if strings.HasPrefix(c.Dates, "unsettled") && (c.Field != "" || s.Template("start") == "") && c.Field != "length" {
			unsettled = append(unsettled, c.Header)
		}
	}
	if len(unsettled) > 0 {
		line("# day_order: day first", "nothing in "+strings.Join(unsettled, " and ")+" tells 05/03 from 03/05: say which")
	}
	switch {
	case timed && s.Template("end") == "" && s.Template("length") == "":
		line("assume: { length: 1h, overnight: 12h }", "no column says when events end")
	case timed:
		line("assume: { overnight: 12h }", "add length: 1h for rows without an end")
	}
}

// rest gives the columns that no field takes, as templates name them.
func (s *Survey) rest(header table.Header) []string {
	var out []string
	for i, c := range s.Columns {
		key := len(s.Keys) > 0 && slices.Contains(s.Keys[0].Columns, c.Header) || len(s.Near) > 0 && slices.Contains(s.Near[0].Columns, c.Header)
		if c.Field == "" && !key && c.Filled > 0 {
			out = append(out, match.Reference(header, i))
		}
	}
	return out
}

func numbers(rows []int) string {
	parts := make([]string, len(rows))
	for i, r := range rows {
		parts[i] = strconv.Itoa(r)
	}
	return strings.Join(parts, " and ")
}

// scalar writes a text so that YAML reads it as that text.
func scalar(s string) string {
	plain := s != "" && s == strings.TrimSpace(s)
	for i, r := range s {
		letter := r == '_' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r > 0x7f
		if !letter && (i == 0 || !strings.ContainsRune("0123456789 .-/()+", r)) {
			plain = false
		}
	}
	switch strings.ToLower(s) {
	case "yes", "no", "true", "false", "null", "on", "off", "y", "n":
		plain = false
	}
	if plain {
		return s
	}
	return strconv.Quote(s)
}

func quoteYAML(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }
