package standin

import (
	"almanach/internal/core/ical"
	"context"
	"encoding/xml"
	"fmt"

	"github.com/cespare/xxhash/v2"
)

// collection is one calendar.
type collection struct {
	name, colour string
	items        map[string]*resource
	named        map[string]string // by UID: the name of its resource
	revision     int
	changes      map[string]int // revision of the last change, by name; of what has gone too
}

type resource struct {
	data []byte
	etag string
	uid  string
}

func newCollection(name string) *collection {
	return &collection{name: name, items: map[string]*resource{}, named: map[string]string{}, changes: map[string]int{}}
}

func (c *collection) put(name string, data []byte, uid string) *resource {
	r := &resource{data, fmt.Sprintf("%016x", xxhash.Sum64(data)), uid}
	c.revision++
	c.forget(name)
	c.items[name], c.changes[name], c.named[uid] = r, c.revision, name
	return r
}

func (c *collection) remove(name string) {
	c.revision++
	c.forget(name)
	delete(c.items, name)
	c.changes[name] = c.revision
}

// forget drops the UID of a resource.
func (c *collection) forget(name string) {
	if was := c.items[name]; was != nil && c.named[was.uid] == name {
		delete(c.named, was.uid)
	}
}

func uidOf(data []byte) string {
	doc, err := ical.ParseDocument(context.Background(), data)
	if err != nil || len(doc.Objects) != 1 || doc.Damaged {
		return ""
	}
	return doc.Objects[0].UID
}

// describe takes the name and the colour of a calendar out of a request.
func (c *collection) describe(body []byte) {
	var v struct {
		Sets []struct {
			Prop struct {
				Name   *string `xml:"DAV: displayname"`
				Colour *string `xml:"http://apple.com/ns/ical/ calendar-color"`
			} `xml:"DAV: prop"`
		} `xml:"DAV: set"`
	}
	if xml.Unmarshal(body, &v) != nil {
		return
	}
	for _, set := range v.Sets {
		if set.Prop.Name != nil {
			c.name = *set.Prop.Name
		}
		if set.Prop.Colour != nil {
			c.colour = *set.Prop.Colour
		}
	}
}
