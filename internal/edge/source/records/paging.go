package records

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// paging is what stands beside the records of a document, by the names of its fields without
// their signs, in lower case.
type paging map[string]field

type field struct{ path, text string }

// note keeps a field that stands outside of records.
func (p paging) note(path, text string) {
	names := strings.Split(strings.NewReplacer("_", "", "-", "", " ", "", "@", "").Replace(strings.ToLower(path)), ".")
	name := names[len(names)-1]
	switch above := names[max(0, len(names)-2)]; {
	case above == "next" && (name == "href" || name == "url" || name == "uri"): // links: { next: { href: … } }
		name = "nexthref"
	case (name == "rel" || name == "relation") && text == "next": // links: [{ rel: next, href: … }]
		name = "nextlink"
	case name == "next" && !strings.ContainsAny(text, "/?=&") && strings.Trim(text, "0123456789") != "": // the next port
		return
	}
	p[name] = field{path, text}
}

var (
	nexts  = []string{"next", "nextpage", "nexturl", "nextlink", "odatanextlink", "odata.nextlink", "nexthref", "nextpagetoken", "nexttoken", "nextcursor", "continuationtoken"}
	flags  = []string{"hasmore", "hasnext", "hasnextpage", "moreavailable", "truncated", "istruncated", "incomplete", "partial"}
	totals = []string{"totalcount", "totalitems", "totalresults", "totalrecords", "totalelements", "totalhits", "numfound", "resultcount", "recordcount", "odatacount"}
	loose  = []string{"total", "count"} // can be of something else, where nothing says that there are pages
	pages  = []string{"totalpages", "pagecount", "numpages", "pages", "lastpage"}
	paged  = []string{"page", "pageno", "pagenumber", "currentpage", "limit", "offset", "skip", "perpage", "pagesize", "size", "previous", "prev"}
)

// more tells what says that there are more records than the document holds; "" for nothing.
func (p paging) more(records int) string {
	said := func(names []string, says func(text string) bool) string {
		for _, name := range names {
			if f, ok := p[name]; ok && says(f.text) {
				return fmt.Sprintf("%s: %s", f.path, f.text)
			}
		}
		return ""
	}
	over := func(most int) func(string) bool {
		return func(text string) bool {
			n, err := strconv.Atoi(text)
			return err == nil && n > most
		}
	}
	if found := said(nexts, func(text string) bool {
		return !slices.Contains([]string{"", "null", "<nil>", "false", "0", "none"}, strings.ToLower(text))
	}); found != "" {
		return found
	}
	if found := said(flags, func(text string) bool { return strings.EqualFold(text, "true") }); found != "" {
		return found
	}
	if found := said(totals, over(records)); found != "" {
		return found
	}
	if slices.ContainsFunc(paged, func(name string) bool { _, ok := p[name]; return ok }) {
		if found := said(loose, over(records)); found != "" {
			return found
		}
	}
	return said(pages, over(1))
}
