package records

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestMore finds what says that a document holds one page of several.
func TestMore(t *testing.T) {
	for name, c := range map[string]struct {
		fields [][2]string
		want   string
	}{
		"nothing":                       {nil, ""},
		"a next page":                   {[][2]string{{"links.next", "https://x.example/?page=2"}}, "links.next: https://x.example/?page=2"},
		"no next page":                  {[][2]string{{"next", ""}, {"has_more", "false"}, {"nextPageToken", "null"}}, ""},
		"in another spelling":           {[][2]string{{"@odata.nextLink", "https://x.example"}}, "@odata.nextLink: https://x.example"},
		"a link":                        {[][2]string{{"_links.next.href", "/p2"}}, "_links.next.href: /p2"},
		"one of a list of links":        {[][2]string{{"link.relation", "self"}, {"link.relation", "next"}}, "link.relation: next"},
		"the next port":                 {[][2]string{{"vessel.next", "Lisbon"}, {"next", "2026"}, {"next", "soon"}}, "next: 2026"},
		"a flag":                        {[][2]string{{"meta.hasMore", "true"}}, "meta.hasMore: true"},
		"a total":                       {[][2]string{{"total_count", "3"}}, "total_count: 3"},
		"a total that is there":         {[][2]string{{"total_count", "2"}, {"total_pages", "1"}}, ""},
		"a sum of money":                {[][2]string{{"total", "1250"}, {"count", "9"}}, ""},
		"a total beside pages":          {[][2]string{{"total", "1250"}, {"per_page", "2"}}, "total: 1250"},
		"pages":                         {[][2]string{{"page", "3"}, {"total_pages", "3"}}, "total_pages: 3"},
		"a number that cannot be meant": {[][2]string{{"total_count", "many"}, {"pages", "A4"}}, ""},
	} {
		p := paging{}
		for _, f := range c.fields {
			p.note(f[0], f[1])
		}
		assert.Equal(t, c.want, p.more(2), name)
	}
}
