package server

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"slices"
	"strconv"

	"arbora.example/internal/ask"
	"arbora.example/internal/problem"
)

// pageDefault is how many items a page has when its request says nothing.
const pageDefault = 200

// paging reads and makes the cursors of one list: each holds the key of the last item of its page, and a digest of the question that it
// goes on answering, so that no other question goes on at a place of which it knows nothing.
type paging struct {
	page     ask.Page
	question []byte
}

// pagingOf reads which page of a list is wanted. Asked is the body of a question that has one; nil for none.
func pagingOf(ctx context.Context, after string, limit int, asked any) (p paging, err error) {
	r := requestOf(ctx)
	query := r.URL.Query()
	query.Del("after")
	query.Del("limit")
	body, err := json.Marshal(asked)
	if err != nil {
		return p, err
	}
	digest := sha256.New()
	for _, part := range []string{r.Method, r.URL.Path, query.Encode(), r.Header.Get(viewAsHeader), string(body)} {
		digest.Write(strconv.AppendQuote(nil, part))
	}
	p.question = digest.Sum(nil)[:8]
	p.page.Limit = cmp.Or(limit, pageDefault)
	if after == "" {
		return p, nil
	}
	raw, err := base64.RawURLEncoding.DecodeString(after)
	if err != nil || len(raw) <= len(p.question) || !bytes.Equal(raw[:len(p.question)], p.question) {
		return p, &problem.Problem{Kind: problem.Invalid, Field: "after", Detail: "the cursor does not belong to this question", Next: "ask for the first page, without a cursor"}
	}
	p.page.After = string(raw[len(p.question):])
	return p, nil
}

// listing is paging of a list that can be searched and ordered.
func (p paging) listing(find, sort string, descending bool) ask.Listing {
	l := ask.Listing{Page: p.page, Find: find, Sort: sort}
	l.Descending = descending
	return l
}

// number is the key of a page that goes on after a number, 0 for the first one.
func (p paging) number() (uint64, error) {
	if p.page.After == "" {
		return 0, nil
	}
	return strconv.ParseUint(p.page.After, 10, 64)
}

// next makes the cursor of the page after a key; none for none.
func (p paging) next(key string) string {
	if key == "" {
		return ""
	}
	return base64.RawURLEncoding.EncodeToString(append(slices.Clone(p.question), key...))
}

// nextNumber makes the cursor of the page after a number; none for 0.
func (p paging) nextNumber(number uint64) string {
	if number == 0 {
		return ""
	}
	return p.next(strconv.FormatUint(number, 10))
}
