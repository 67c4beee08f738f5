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
	"strings"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
	"almanach/internal/edge/replace"
	"almanach/internal/edge/source/sheet"
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
// with "" it is fetched every time. A password in the address is in no message
// and not in memory.
func Fetch(ctx context.Context, address string, memory string, o Options) (Reader, error) {
	o.Name = public(address)
	at := fault.Place{File: o.Name}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || (u.Scheme != "http" && u.Scheme != "https") {
		return nil, fault.New(o.Name, "is not an http or https address")
	}
	o.Budget = sheet.NewBudget(ctx)
	limited, cancel := context.WithTimeout(ctx, fetchTime)
	defer cancel()
	known, body := recall(address, memory)
	response, err := request(limited, address, known)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fault.Newf("cannot be fetched: %s", withoutPassword(err.Error(), u)).At(at).Do("check the address and the network, then try again").FromOutside()
	}
	defer response.Body.Close()
	switch {
	case response.StatusCode == http.StatusNotModified && body != "":
		return Open(ctx, body, o)
	case response.StatusCode != http.StatusOK:
		return nil, fault.Newf("the server answers %s", response.Status).At(at).Do("check the address").FromOutside()
	case response.ContentLength > fetchSize:
		return nil, tooLarge(at)
	}
	if memory != "" {
		path, err := remember(response, address, memory)
		if err == nil {
			return Open(ctx, path, o)
		}
		return nil, fault.Newf("%s", withoutPassword(err.Error(), u)).At(at).FromOutside()
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

// request asks for an address, unless it is as known.
func request(ctx context.Context, address string, known fetched) (*http.Response, error) {
	client := retryablehttp.NewClient()
	client.Logger, client.RetryMax = nil, 3
	client.RetryWaitMin, client.RetryWaitMax = 200*time.Millisecond, 3*time.Second
	r, err := retryablehttp.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, err
	}
	if known.ETag != "" {
		r.Header.Set("If-None-Match", known.ETag)
	}
	if known.LastModified != "" {
		r.Header.Set("If-Modified-Since", known.LastModified)
	}
	return client.Do(r)
}

var userinfo = pattern.Lazy(`//[^/@\s]*@`)

// public gives an address without the user and the password in it.
func public(address string) string { return userinfo().ReplaceAllString(address, "//") }

// withoutPassword takes out of a message what of an address is secret.
func withoutPassword(message string, u *url.URL) string {
	message = public(message)
	if secret, ok := u.User.Password(); ok && secret != "" {
		message = strings.ReplaceAll(message, secret, "…")
	}
	return message
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
	if err != nil || json.Unmarshal(text, &f) != nil || f.URL != public(address) {
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
	_ = os.Remove(path + ".json") // never a note of the old content beside the new
	var n int64
	err := replace.File(path+".body", replace.Options{Mode: 0o600}, func(w io.Writer) (err error) {
		n, err = io.Copy(w, io.LimitReader(response.Body, fetchSize+1))
		if err == nil && n > fetchSize {
			err = tooLarge(fault.Place{})
		}
		return err
	})
	if err != nil {
		return "", fmt.Errorf("cannot be fetched whole: %w", err)
	}
	note, err := json.Marshal(fetched{public(address), response.Header.Get("ETag"), response.Header.Get("Last-Modified")})
	if err == nil {
		err = os.WriteFile(path+".json", note, 0o600)
	}
	return path + ".body", err
}
