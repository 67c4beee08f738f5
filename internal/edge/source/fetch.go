package source

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"almanach/internal/core/fault"
)

// Limits of what is fetched.
const (
	fetchTime = 60 * time.Second
	fetchSize = 256 << 20
)

// fetched is what is remembered of an address, beside its content.
type fetched struct {
	URL, ETag, LastModified string
}

// Fetch opens what an http or https address holds. memory is a folder in which
// the content is kept, so that it is fetched again only when it has changed;
// with "" it is fetched every time.
func Fetch(ctx context.Context, address string, memory string, o Options) (Reader, error) {
	at := fault.Place{File: address}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || (u.Scheme != "http" && u.Scheme != "https") {
		return nil, fault.New(address, "is not an http or https address")
	}
	o.Name = u.Redacted()
	at.File = o.Name
	ctx, cancel := context.WithTimeout(ctx, fetchTime)
	defer cancel()
	client := retryablehttp.NewClient()
	client.Logger, client.RetryMax = nil, 3
	client.RetryWaitMin, client.RetryWaitMax = 200*time.Millisecond, 3*time.Second
	request, err := retryablehttp.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, fault.Newf("cannot be fetched: %w", err).At(at)
	}
	known, body := recall(address, memory)
	if known.ETag != "" {
		request.Header.Set("If-None-Match", known.ETag)
	}
	if known.LastModified != "" {
		request.Header.Set("If-Modified-Since", known.LastModified)
	}
	response, err := client.Do(request)
	if err != nil {
		return nil, fault.Newf("cannot be fetched: %w", err).At(at).Do("check the address and the network, then try again").FromOutside()
	}
	defer response.Body.Close()
	switch {
	case response.StatusCode == http.StatusNotModified && body != "":
		return Open(body, o)
	case response.StatusCode != http.StatusOK:
		return nil, fault.Newf("the server answers %s", response.Status).At(at).Do("check the address").FromOutside()
	case response.ContentLength > fetchSize:
		return nil, tooLarge(at)
	}
	if memory != "" {
		path, err := remember(response, address, memory)
		if err == nil {
			return Open(path, o)
		}
		return nil, fault.Of(err).At(at).FromOutside()
	}
	b, err := openStream(io.LimitReader(response.Body, fetchSize), o)
	if err != nil {
		return nil, err
	}
	r, err := openSheets(b, o)
	if err != nil {
		b.Close()
		return nil, err
	}
	return closing{r, b}, nil
}

func tooLarge(at fault.Place) *fault.Fault {
	return fault.Newf("holds more than 256 MiB").At(at).Do("fetch a part of it")
}

func memoryName(address, memory string) string {
	sum := sha256.Sum256([]byte(address))
	return filepath.Join(memory, hex.EncodeToString(sum[:8]))
}

// recall gives what is remembered of an address and the path of its content.
func recall(address, memory string) (f fetched, body string) {
	if memory == "" {
		return f, ""
	}
	path := memoryName(address, memory)
	text, err := os.ReadFile(path + ".json")
	if err != nil || json.Unmarshal(text, &f) != nil || f.URL != address {
		return fetched{}, ""
	}
	if _, err := os.Stat(path + ".body"); err != nil {
		return fetched{}, ""
	}
	return f, path + ".body"
}

// remember keeps a response's content, and what makes the next request for it
// conditional.
func remember(response *http.Response, address, memory string) (string, error) {
	path := memoryName(address, memory)
	if err := os.MkdirAll(memory, 0o755); err != nil {
		return "", fmt.Errorf("cannot be kept: %w", err)
	}
	temp, err := os.CreateTemp(memory, "*.new")
	if err != nil {
		return "", fmt.Errorf("cannot be kept: %w", err)
	}
	defer os.Remove(temp.Name())
	n, err := io.Copy(temp, io.LimitReader(response.Body, fetchSize+1))
	if e := temp.Close(); err == nil {
		err = e
	}
	if n > fetchSize {
		return "", tooLarge(fault.Place{})
	}
	if err == nil {
		_ = os.Remove(path + ".json") // never a note of the old content beside the new
		err = os.Rename(temp.Name(), path+".body")
	}
	if err != nil {
		return "", fmt.Errorf("cannot be fetched whole: %w", err)
	}
	note, err := json.Marshal(fetched{address, response.Header.Get("ETag"), response.Header.Get("Last-Modified")})
	if err == nil {
		err = os.WriteFile(path+".json", note, 0o600)
	}
	return path + ".body", err
}
