package office

import (
	"path"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
	"almanach/internal/edge/source/sheet"
)

// layout are the codes in the header and the footer of a printed page: fonts, sizes,
// colours, the number of the page (ECMA-376 Part 1, §18.3.1.46).
var layout = pattern.Lazy(`&(?:"[^"]*"|K[0-9A-Fa-f]{6}|K\d\d[+-]\d{3}|\d+|.)`)

// regions begin the parts of such a line: left, middle, right.
var regions = pattern.Lazy(`&[LCRlcr]`)

// readBehind reads what stands behind the rows: merged ranges, what is said to who fills a
// cell in, and what is printed above and below each page.
func (w *worksheet) readBehind() error {
	for {
		switch k := w.xml.next(); {
		case k == xmlEnd && w.xml.err != nil:
			return w.fail("the sheet cannot be read on: %w", w.xml.err)
		case k == xmlEnd:
			return nil
		case k != xmlStart:
		case w.xml.is("mergeCell") && w.merged.Len() < sheet.MaxRows:
			if a, err := sheet.ParseArea(string(w.xml.get("ref"))); err == nil && a.Bottom > 0 {
				w.merged.Add(a)
			}
		case w.xml.is("dataValidation"):
			w.asides.Add(sheet.Hint, "", string(w.xml.get("promptTitle"))+" "+string(w.xml.get("prompt")))
		case !w.xml.is("headerFooter") && (strings.HasSuffix(string(w.xml.name), "Header") || strings.HasSuffix(string(w.xml.name), "Footer")):
			for _, part := range regions().Split(w.xml.spoken(), -1) {
				w.asides.Add(sheet.Margin, "", layout().ReplaceAllString(part, " "))
			}
		}
	}
}

// readBeside reads what lies on the sheet without being in a cell: notes that are pinned to
// one, and text boxes.
func (w *worksheet) readBeside(ref sheetRef) {
	dir, name := path.Split(strings.TrimPrefix(ref.part.Name, "/"))
	rels := w.parts[dir+"_rels/"+name+".rels"]
	if rels == nil {
		return
	}
	targets, err := w.relations(rels)
	if err != nil {
		w.asides.Failed(fault.Newf("what lies on the sheet beside its cells cannot be read: %w", err))
		return
	}
	threads := false
	for _, to := range targets {
		threads = threads || strings.Contains(to, "hreadedComment")
	}
	for _, to := range targets {
		part := w.parts[strings.TrimPrefix(path.Join("/", dir, to), "/")]
		if strings.HasPrefix(to, "/") {
			part = w.parts[strings.TrimPrefix(to, "/")]
		}
		element := ""
		switch base := strings.ToLower(path.Base(to)); {
		case strings.HasPrefix(base, "threadedcomment"):
			element = "threadedComment"
		case strings.HasPrefix(base, "comments"):
			element = "comment"
		case strings.HasPrefix(base, "drawing"):
			element = "txBody"
		}
		if element == "" || part == nil {
			continue
		}
		r, err := openPart(w.budget, part)
		if err != nil {
			w.asides.Failed(fault.Newf("what lies on the sheet beside its cells cannot be read: %w", err))
			continue
		}
		x := newXML(r)
		for k := x.next(); k != xmlEnd; k = x.next() {
			if k != xmlStart || !x.is(element) {
				continue
			}
			cell := string(x.get("ref"))
			text := x.spoken()
			switch {
			case element == "txBody":
				w.asides.Add(sheet.TextBox, "", text)
			case !threads || element == "threadedComment" || !strings.HasPrefix(strings.TrimSpace(text), "[Threaded comment]"): // which stands there for old programs
				w.asides.Add(sheet.Note, cell, text)
			}
		}
		r.Close()
		if x.err != nil {
			w.asides.Failed(fault.Newf("what lies on the sheet beside its cells cannot be read: %w", x.err))
		}
	}
}

// spoken gives the text of the current element, with a space between its paragraphs, and
// without who wrote it and when.
func (x *xmlScanner) spoken() string {
	var b strings.Builder
	depth, byline := 1, 0
	if !x.open {
		depth = 0
	}
	for depth > 0 {
		switch x.next() {
		case xmlEnd:
			x.damaged()
			return b.String()
		case xmlText:
			if byline == 0 {
				b.Write(x.text)
			}
		case xmlStart:
			if x.open {
				depth++
				if byline > 0 || x.is("creator") || x.is("date") || x.is("date-string") {
					byline++
				}
			} else {
				b.WriteByte(' ') // a break, a tab
			}
		case xmlClose:
			if x.is("p") {
				b.WriteByte(' ')
			}
			depth, byline = depth-1, max(0, byline-1)
		}
	}
	return b.String()
}

// Asides implements sheet.Talkative.
func (w *worksheet) Asides() *sheet.Asides { return &w.asides }

// Asides implements sheet.Talkative.
func (s *odsSheet) Asides() *sheet.Asides { return &s.asides }
