package document

import (
	"io"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"almanach/internal/core/fault"
	"almanach/internal/core/notice"
	"almanach/internal/edge/source/sheet"
	"almanach/internal/edge/source/text"
)

// OpenPage opens a web page as a document: its text, and its tables among it.
func OpenPage(t *text.Source, o sheet.Options) (sheet.Book, error) {
	r, err := t.Start()
	if err != nil {
		return nil, err
	}
	d := &Doc{Format: "web page, " + t.Charset}
	limited := &io.LimitedReader{R: r, N: maxText}
	d.Parts, err = PageParts(limited)
	switch {
	case limited.N <= 0:
		return nil, fault.Newf("is a page of more than %d MiB", maxText>>20).At(fault.Place{File: o.Name}).Do("split it")
	case err != nil:
		return nil, fault.Newf("the page cannot be read: %w", err).At(fault.Place{File: o.Name})
	}
	return Book(d, o, t.Close)
}

// PageParts gives the paragraphs, items, headings and tables of a web page.
func PageParts(r io.Reader) ([]Part, error) {
	p := &page{}
	p.nest.out = &p.out
	z := html.NewTokenizer(r)
	z.SetMaxBuf(4 << 20)
	for {
		kind := z.Next()
		switch kind {
		case html.ErrorToken:
			p.flush()
			if z.Err() == io.EOF {
				return p.out, nil
			}
			return p.out, z.Err()
		case html.TextToken:
			p.text(string(z.Text()))
		case html.StartTagToken, html.SelfClosingTagToken, html.EndTagToken:
			name, more := z.TagName()
			a := atom.Lookup(name)
			tag := string(name)
			hidden, crossed, wide, high := false, false, 1, 1
			for more {
				var k, v []byte
				k, v, more = z.TagAttr()
				style := strings.ReplaceAll(strings.ToLower(string(v)), " ", "")
				switch string(k) {
				case "hidden":
					hidden = true
				case "style":
					hidden = hidden || strings.Contains(style, "display:none") || strings.Contains(style, "visibility:hidden")
					crossed = crossed || strings.Contains(style, "line-through")
				case "colspan":
					wide = max(1, min(100, sheet.Count(v)))
				case "rowspan":
					high = max(1, min(5000, sheet.Count(v)))
				}
			}
			began, ended := p.hidden.follow(tag, kind, hidden)
			if ended && tag != p.hidden.tag || ended && kind == html.StartTagToken { // another element ended it, and is read itself
				began, ended = p.hidden.follow(tag, kind, hidden)
			}
			if began || ended || p.hidden.depth > 0 {
				continue
			}
			if began, ended := p.crossed.follow(tag, kind, crossed); began {
				p.struck++
			} else if ended {
				p.struck--
			}
			p.tag(a, kind, wide, high)
		}
	}
}

// page is a page under way.
type page struct {
	out    []Part
	b      strings.Builder
	gone   strings.Builder // what is crossed out of the paragraph
	level  int
	item   bool
	skip   int // elements whose text is not shown
	struck int
	bare   int    // text that is not struck
	raised int    // elements that are open
	strong int    // elements that are open
	light  bool   // some of the paragraph is not bold
	term   string // of a list of terms, which stands in front of what is said of it
	inTerm bool
	said   bool // something is said of the term
	pre    int  // elements that are open whose lines stand as they are
	number int
	quote  int

	nest

	hidden, crossed within
}

// within is an element that is open, whatever lies in it.
type within struct {
	tag   string
	depth int
}

// follow takes account of a tag. begins tells whether such an element begins with it.
func (w *within) follow(tag string, kind html.TokenType, begins bool) (began, ended bool) {
	switch {
	case w.depth == 0 && begins && kind == html.StartTagToken && !void[tag]:
		w.tag, w.depth = tag, 1
		return true, false
	case w.depth > 0 && endless[w.tag] && (kind == html.StartTagToken && endless[tag] || kind == html.EndTagToken && tag != w.tag && around[tag]):
		w.depth = 0 // its end tag was left out
		return false, true
	case w.depth > 0 && tag == w.tag && kind == html.StartTagToken:
		w.depth++
	case w.depth > 0 && tag == w.tag && kind == html.EndTagToken:
		w.depth--
		return false, w.depth == 0
	}
	return false, false
}

// endless are elements whose end tag may be left out, and around those that end them.
var (
	endless = map[string]bool{"p": true, "li": true, "td": true, "th": true, "tr": true, "dt": true, "dd": true}
	around  = map[string]bool{"table": true, "tbody": true, "thead": true, "tr": true, "td": true, "ul": true, "ol": true, "dl": true, "div": true, "body": true}
)

// void are elements without an end.
var void = map[string]bool{"br": true, "hr": true, "img": true, "input": true, "meta": true, "link": true, "col": true, "wbr": true, "area": true, "base": true, "source": true, "track": true, "embed": true}

func (p *page) text(s string) {
	if p.skip > 0 || p.hidden.depth > 0 {
		return
	}
	if p.raised > 0 {
		s = sheet.Raised(s)
	}
	if line, rest, ok := strings.Cut(s, "\n"); ok && p.pre > 0 {
		p.text(line)
		p.flush()
		p.text(rest)
		return
	}
	if strings.TrimSpace(s) != "" {
		if p.struck == 0 {
			p.bare++
		}
		p.light = p.light || p.strong == 0
	}
	if p.struck > 0 {
		p.gone.WriteString(s)
		return
	}
	p.b.WriteString(s)
}

// flush ends a paragraph.
func (p *page) flush() {
	text := strings.Join(strings.Fields(p.b.String()), " ")
	struck, bold := p.bare == 0, !p.light
	gone := strings.Join(strings.Fields(p.gone.String()), " ")
	if struck {
		text, gone = gone, ""
	}
	p.b.Reset()
	p.gone.Reset()
	p.bare, p.light = 0, false
	l := notice.Line{Text: text, Number: p.number + 1, Level: p.level, Item: p.item, Whole: true, Struck: struck, Gone: gone}
	if p.take(l) {
		return
	}
	if text == "" || p.quote > 0 {
		return
	}
	if p.inTerm {
		p.term = strings.TrimRight(strings.TrimSpace(p.term+" "+text), ": ")
		return
	}
	p.number++
	p.out = append(p.out, Part{Line: l, bold: bold})
}

func (p *page) tag(a atom.Atom, kind html.TokenType, wide, high int) {
	opens, closes := kind == html.StartTagToken, kind == html.EndTagToken
	switch a {
	case atom.Script, atom.Style, atom.Head, atom.Template, atom.Noscript, atom.Select, atom.Button:
		if opens {
			p.skip++
		} else if closes {
			p.skip = max(0, p.skip-1)
		}
	case atom.S, atom.Del, atom.Strike:
		if opens {
			p.struck++
		} else if closes {
			p.struck = max(0, p.struck-1)
		}
	case atom.Sup:
		if opens {
			p.raised++
		} else if closes {
			p.raised = max(0, p.raised-1)
		}
	case atom.B, atom.Strong:
		if opens {
			p.strong++
		} else if closes {
			p.strong = max(0, p.strong-1)
		}
	case atom.Blockquote:
		p.flush()
		if opens {
			p.quote++
		} else if closes {
			p.quote = max(0, p.quote-1)
		}
	case atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6:
		p.flush()
		p.level = 0
		if opens {
			p.level = int(a.String()[1] - '0')
		}
	case atom.Dl:
		p.flush()
		p.inTerm = false
		p.loneTerm()
	case atom.Dt:
		p.flush()
		if p.item, p.inTerm = opens, opens; opens {
			p.loneTerm()
		}
	case atom.Dd:
		p.flush()
		if p.item, p.inTerm = opens, false; opens && p.term != "" {
			p.b.WriteString(p.term + ": ")
			p.said = true
		}
	case atom.Li:
		p.flush()
		p.item = opens
	case atom.Pre:
		p.flush()
		if opens {
			p.pre++
		} else if closes {
			p.pre = max(0, p.pre-1)
		}
	case atom.P, atom.Div, atom.Br, atom.Ul, atom.Ol, atom.Section, atom.Article, atom.Header, atom.Footer, atom.Hr, atom.Form, atom.Title, atom.Body, atom.Address:
		if a == atom.Br && p.top() == nil {
			item := p.item
			p.flush()
			p.item = item
			return
		}
		p.flush()
	case atom.Table:
		p.flush()
		if opens {
			p.begin(p.number + 1)
		} else if closes {
			p.endLine()
			p.end()
		}
	case atom.Tr:
		p.flush()
		p.endLine()
	case atom.Td, atom.Th:
		p.flush()
		p.endCell()
		if opens {
			p.beginCell(wide, high)
		}
	}
}

// loneTerm gives a term of which nothing is said.
func (p *page) loneTerm() {
	if p.term != "" && !p.said {
		p.text(p.term)
		inTerm := p.inTerm
		p.inTerm = false
		p.flush()
		p.inTerm = inTerm
	}
	p.term, p.said = "", false
}

// endLine ends the row of a table.
func (p *page) endLine() {
	if p.endRow(p.number + 1) {
		p.number++
	}
}
