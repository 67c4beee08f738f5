package source

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/zone"
	"almanach/internal/edge/source/sheet"
)

// told takes in what the sheet says outside of its cells: what it says of the zone of its times
// counts as a title does, and of the rest it is said that it is there.
func (t *framed) told() {
	talkative, ok := t.raw.(sheet.Talkative)
	if !ok || t.heard {
		return
	}
	t.heard = true
	said := talkative.Asides()
	for _, one := range said.List {
		if one.Row() > t.about.HeaderLast { // it is about that row
			continue
		}
		name := zone.Stated(one.Text)
		if one.Where == sheet.TextBox && name == "" {
			name = zone.Titled(one.Text)
		}
		if name != "" {
			t.about.Zones = append(t.about.Zones, sheet.ZoneNote{Text: one.Text, Zone: name})
		}
	}
	if list := said.At(sheet.Note); len(list) > 0 {
		t.aside("cell has a note that is", "cells have notes that are", list, said.Many)
	}
	list := slices.DeleteFunc(said.At(sheet.TextBox), func(a sheet.Aside) bool { return zone.Titled(a.Text) != "" || zone.Stated(a.Text) != "" })
	if len(list) > 0 {
		t.aside("text box is", "text boxes are", list, said.Many)
	}
	if said.Fault != nil {
		t.about.Notes = append(t.about.Notes, said.Fault.Error())
	}
}

const asidesShown = 3

func (t *framed) aside(one, several string, list []sheet.Aside, more bool) {
	var texts []string
	for _, a := range list[:min(len(list), asidesShown)] {
		texts = append(texts, strings.TrimSpace(a.Cell+" "+strconv.Quote(fault.Shorten(a.Text, 60))))
	}
	count, etc := strconv.Itoa(len(list)), ""
	if more {
		count = "more than " + count
	}
	if len(list) > asidesShown {
		etc = ", …"
	}
	what := several
	if len(list) == 1 {
		count, what = "1", one
	}
	t.about.Notes = append(t.about.Notes, fmt.Sprintf("%s %s not read: %s%s", count, what, strings.Join(texts, ", "), etc))
}
