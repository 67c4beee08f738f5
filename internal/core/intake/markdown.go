package intake

import (
	"bytes"
	"strings"

	"github.com/yuin/goldmark"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// markdown gives a text written in Markdown as plain text and as HTML that does
// nothing: the renderer leaves out HTML of the text itself and links that act.
func markdown(text string) (plain, styled string) {
	if text == "" {
		return "", ""
	}
	var b bytes.Buffer
	if err := goldmark.Convert([]byte(text), &b); err != nil {
		return text, ""
	}
	styled = strings.TrimSpace(strings.ReplaceAll(b.String(), "<!-- raw HTML omitted -->", ""))
	return cleanText(styled), styled
}

// markdownSigns are the characters that may mean something in Markdown, each of
// which a backslash makes itself (CommonMark §2.4).
const markdownSigns = "!\"#$%&'()*+,-./:;<=>?@[\\]^_`{|}~"

// escapeMarkdown gives a text that means itself where Markdown is read. Its
// lines stay lines.
func escapeMarkdown(s string) string {
	var b strings.Builder
	lines := strings.Split(strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(s), "\n")
	for n, line := range lines {
		line = strings.TrimSpace(line)
		switch {
		case n == 0:
		case line != "" && strings.TrimSpace(lines[n-1]) != "":
			b.WriteString("\\\n") // a hard line break
		default:
			b.WriteByte('\n')
		}
		for _, r := range line {
			if r < 0x80 && strings.ContainsRune(markdownSigns, r) {
				b.WriteByte('\\')
			}
			b.WriteRune(r)
		}
	}
	return b.String()
}

// cleanText takes out of a text what an export leaves behind: HTML becomes
// text, entities the characters they stand for, runs of spaces one space.
func cleanText(s string) string {
	if strings.ContainsAny(s, "<&") {
		s = stripHTML(s)
	}
	lines := strings.Split(strings.ReplaceAll(s, "\u00a0", " "), "\n")
	kept := lines[:0]
	for _, l := range lines {
		l = strings.Join(strings.Fields(l), " ")
		if l == "" && (len(kept) == 0 || kept[len(kept)-1] == "") {
			continue // at most one blank line, and none in front
		}
		kept = append(kept, l)
	}
	return strings.TrimSpace(strings.Join(kept, "\n"))
}

// stripHTML gives the text of a piece of HTML. A "<" that begins no tag is
// itself.
func stripHTML(s string) string {
	var b strings.Builder
	z := html.NewTokenizer(strings.NewReader(s))
	skip := false
	for {
		switch z.Next() {
		case html.ErrorToken:
			return b.String()
		case html.TextToken:
			if !skip {
				b.WriteString(string(z.Text()))
			}
		case html.StartTagToken, html.SelfClosingTagToken:
			name, _ := z.TagName()
			switch atom.Lookup(name) {
			case atom.Script, atom.Style:
				skip = true
			case atom.Br, atom.P, atom.Div, atom.Tr, atom.H1, atom.H2, atom.H3, atom.Ul, atom.Ol:
				b.WriteByte('\n')
			case atom.Li:
				if !strings.HasSuffix(b.String(), "\n") {
					b.WriteByte('\n')
				}
				b.WriteString("- ")
			case atom.Td, atom.Th:
				b.WriteByte(' ')
			}
		case html.EndTagToken:
			name, _ := z.TagName()
			switch atom.Lookup(name) {
			case atom.Script, atom.Style:
				skip = false
			case atom.P, atom.Div, atom.H1, atom.H2, atom.H3:
				b.WriteByte('\n')
			}
		}
	}
}
