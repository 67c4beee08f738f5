package zone

import (
	"archive/zip"
	"bytes"
	_ "embed" // the zone data and the Windows names are data files
	"fmt"
	"hash/crc32"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// zoneinfo.zip is lib/time/zoneinfo.zip of the Go distribution: the IANA time
// zone database compiled by its makers. It is embedded and preferred to the
// system's, so that the same sheet gives the same instants on every machine.
//
//go:embed zoneinfo.zip
var embedded []byte

// Release is the IANA release of the embedded zone data.
const Release = "2025c"

//go:embed windows.tsv
var windowsNames string

// A Book finds zones by name. It is safe for concurrent use.
type Book struct {
	release string
	mu      sync.Mutex
	files   map[string]*zip.File // by lower-case name
	zones   map[string]*Zone
}

// NewBook reads zone data in the layout of Go's zoneinfo.zip; nil data means
// the embedded release.
func NewBook(data []byte) (*Book, error) {
	b := &Book{release: fmt.Sprintf("given zone data %08x", crc32.ChecksumIEEE(data)), zones: map[string]*Zone{}}
	if data == nil {
		data, b.release = embedded, Release
	}
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fmt.Errorf("zone data: %w", err)
	}
	b.files = make(map[string]*zip.File, len(r.File))
	for _, f := range r.File {
		b.files[strings.ToLower(f.Name)] = f
	}
	return b, nil
}

// windows gives the IANA names of the zones of Windows, by their names in lower case.
var windows = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	for line := range strings.Lines(windowsNames) {
		if name, iana, ok := strings.Cut(strings.TrimSpace(line), "\t"); ok {
			out[strings.ToLower(name)] = iana
		}
	}
	return out
})

// Release names the zone data in use, given data by their checksum.
func (b *Book) Release() string { return b.release }

var offsetForm = pattern.Lazy(`^(?:UTC|GMT)?\s*([-+−])(\d{1,2})(?::?(\d{2}))?$`)

// abbreviations are those that mean one offset wherever they are written, in
// hours, with a region that uses it. CST, IST, BST and PST mean several.
var abbreviations = map[string]struct {
	hours  int
	region string
}{
	"cet": {1, "Europe/Paris"}, "cest": {2, "Europe/Paris"}, "mez": {1, "Europe/Berlin"}, "mesz": {2, "Europe/Berlin"},
	"wet": {0, "Europe/Lisbon"}, "west": {1, "Europe/Lisbon"}, "eet": {2, "Europe/Athens"}, "eest": {3, "Europe/Athens"},
	"est": {-5, "America/New_York"}, "edt": {-4, "America/New_York"}, "mst": {-7, "America/Denver"}, "mdt": {-6, "America/Denver"},
	"pdt": {-7, "America/Los_Angeles"}, "akdt": {-8, "America/Anchorage"}, "hst": {-10, "Pacific/Honolulu"},
}

// OneClock tells whether an abbreviation means one offset wherever it is written.
func OneClock(abbreviation string) bool {
	_, ok := abbreviations[strings.ToLower(abbreviation)]
	return ok
}

// City gives the zone that is named after a city, such as Europe/Paris for Paris.
func (b *Book) City(name string) (*Zone, bool) {
	name = strings.ReplaceAll(strings.TrimSpace(name), " ", "_")
	for _, full := range b.Names() {
		if region, _, ok := strings.Cut(full, "/"); ok && region != "Etc" && strings.EqualFold(full[strings.LastIndexByte(full, '/')+1:], name) {
			z, err := b.Find(full)
			return z, err == nil
		}
	}
	return nil, false
}

// Abbreviation gives the offset that an abbreviation means, in seconds, and the
// zone of a region that uses it.
func (b *Book) Abbreviation(name string) (seconds int, region *Zone, ok bool) {
	a, ok := abbreviations[strings.ToLower(name)]
	if !ok {
		return 0, nil, false
	}
	region, err := b.Find(a.region)
	return a.hours * 3600, region, err == nil
}

// Find gives the zone of an IANA name, a Windows name, "UTC", "Z", or an
// offset such as "+01:00" or "UTC+1", or an abbreviation that means one offset. Letter case is forgiven.
func (b *Book) Find(name string) (*Zone, error) {
	name = strings.TrimSpace(name)
	b.mu.Lock()
	defer b.mu.Unlock()
	if z, ok := b.zones[name]; ok {
		return z, nil
	}
	z, err := b.read(name)
	if err != nil {
		return nil, err
	}
	b.zones[name] = z
	return z, nil
}

func (b *Book) read(name string) (*Zone, error) {
	lower := strings.ToLower(name)
	switch lower {
	case "utc", "z", "gmt", "etc/utc", "etc/gmt", "zulu":
		return UTC, nil
	}
	if a, ok := abbreviations[lower]; ok && b.files[lower] == nil {
		return Fixed(FormatOffset(a.hours*3600, ":"), a.hours*3600), nil
	}
	if m := offsetForm().FindStringSubmatch(strings.ToUpper(name)); m != nil {
		return parseOffset(name, m)
	}
	file := b.files[lower]
	if file == nil {
		file = b.files[strings.ToLower(windows()[lower])]
	}
	if file == nil {
		return nil, fmt.Errorf("no time zone is called %q", name)
	}
	proper := file.Name
	if z, ok := b.zones[proper]; ok {
		return z, nil
	}
	f, err := file.Open()
	if err != nil {
		return nil, fmt.Errorf("zone %s: %w", proper, err)
	}
	defer f.Close()
	data, err := io.ReadAll(f)
	if err != nil {
		return nil, fmt.Errorf("zone %s: %w", proper, err)
	}
	loc, err := time.LoadLocationFromTZData(proper, data)
	if err != nil {
		return nil, fmt.Errorf("zone %s: %w", proper, err)
	}
	z := fromLocation(proper, loc, data)
	b.zones[proper] = z
	return z, nil
}

func parseOffset(name string, m []string) (*Zone, error) {
	h, _ := strconv.Atoi(m[2])   // digits, as the pattern has it
	min, _ := strconv.Atoi(m[3]) // or nothing, which is 0
	if h > 14 || min > 59 || h == 14 && min > 0 {
		return nil, fmt.Errorf("%q is not an offset from UTC", name)
	}
	seconds := h*3600 + min*60
	if m[1] != "+" {
		seconds = -seconds
	}
	if seconds == 0 {
		return UTC, nil
	}
	return Fixed(FormatOffset(seconds, ":"), seconds), nil
}

// Names gives the IANA names of the book.
func (b *Book) Names() []string {
	out := make([]string, 0, len(b.files))
	for _, f := range b.files {
		if !strings.HasSuffix(f.Name, "/") {
			out = append(out, f.Name)
		}
	}
	slices.Sort(out)
	return out
}

// Unknown gives the fault of a name that Find does not know, with the IANA
// name it is nearest to, whether whole or by its city.
func (b *Book) Unknown(name string) *fault.Fault {
	names := map[string]string{} // what may have been meant → IANA name
	for _, full := range b.Names() {
		names[full] = full
		if region, city, ok := strings.Cut(full, "/"); ok && region != "Etc" {
			city = city[strings.LastIndexByte(city, '/')+1:]
			if _, ok := names[city]; !ok {
				names[city] = full
			}
		}
	}
	f := fault.New(name, "is not a time zone").Do("write a name such as Europe/Lisbon, or an offset such as +01:00")
	spaced := strings.ReplaceAll(strings.TrimSpace(name), " ", "_")
	if near := fault.Nearest(spaced, slices.Sorted(maps.Keys(names))); near != "" && strings.EqualFold(spaced[:1], near[:1]) { // "local" is not Asia/Oral
		return f.Do("did you mean %q?", names[near])
	}
	return f
}
