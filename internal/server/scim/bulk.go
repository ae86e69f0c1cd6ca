package scim

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	library "github.com/elimity-com/scim"
	scimerrors "github.com/elimity-com/scim/errors"
)

// bulkRequest is several requests in one (RFC 7644, section 3.7).
type bulkRequest struct {
	Schemas      []string        `json:"schemas"`
	FailOnErrors int             `json:"failOnErrors"`
	Operations   []bulkOperation `json:"Operations"`
}

type bulkOperation struct {
	Method  string          `json:"method"`
	Path    string          `json:"path"`
	BulkID  string          `json:"bulkId"`
	Version string          `json:"version"`
	Data    json.RawMessage `json:"data"`
}

type bulkAnswer struct {
	Method   string          `json:"method"`
	BulkID   string          `json:"bulkId,omitempty"`
	Location string          `json:"location,omitempty"`
	Version  string          `json:"version,omitempty"`
	Status   string          `json:"status"`
	Response json.RawMessage `json:"response,omitempty"`
}

var bulkReference = regexp.MustCompile(`bulkId:([A-Za-z0-9._~-]+)`)

// bulk answers several requests, one after another, until as many have failed as the asker bears. Each stands for itself.
func (h Handler) bulk(w http.ResponseWriter, r *http.Request, server library.Server, base string) {
	r.Body = http.MaxBytesReader(w, r.Body, mostBytes)
	var asked bulkRequest
	if err := json.NewDecoder(r.Body).Decode(&asked); err != nil {
		h.fail(w, scimerrors.ScimErrorInvalidSyntax)
		return
	}
	if len(asked.Operations) > mostOperations {
		h.fail(w, scimerrors.ScimError{Status: http.StatusRequestEntityTooLarge, Detail: fmt.Sprintf("a bulk request has at most %d operations", mostOperations)})
		return
	}
	answers, failed, made := []bulkAnswer{}, 0, map[string]string{}
	for _, o := range asked.Operations {
		one := h.bulkOne(r, server, base, o, made)
		answers = append(answers, one)
		if one.Response != nil {
			if failed++; asked.FailOnErrors > 0 && failed >= asked.FailOnErrors {
				break
			}
		}
	}
	write(w, http.StatusOK, map[string]any{"schemas": []string{"urn:ietf:params:scim:api:messages:2.0:BulkResponse"}, "Operations": answers})
}

// bulkOne answers one of several requests. What it makes goes by its bulkId in those after it.
func (h Handler) bulkOne(r *http.Request, server library.Server, base string, o bulkOperation, made map[string]string) bulkAnswer {
	told := bulkAnswer{Method: o.Method, BulkID: o.BulkID}
	refuse := func(e scimerrors.ScimError) bulkAnswer {
		told.Status = strconv.Itoa(e.Status)
		told.Response, _ = json.Marshal(e) // an error of the protocol's can be written
		return told
	}
	unknown := ""
	resolve := func(text string) string {
		return bulkReference.ReplaceAllStringFunc(text, func(reference string) string {
			id, ok := made[strings.TrimPrefix(reference, "bulkId:")]
			if !ok {
				unknown = reference
			}
			return id
		})
	}
	path, data := resolve(o.Path), resolve(string(o.Data))
	method := strings.ToUpper(o.Method)
	switch {
	case unknown != "":
		return refuse(scimerrors.ScimError{Status: http.StatusConflict, Detail: "nothing was made before as " + unknown})
	case method != http.MethodPost && method != http.MethodPut && method != http.MethodPatch && method != http.MethodDelete || method == http.MethodPost && strings.HasSuffix(path, "/.search"):
		return refuse(scimerrors.ScimError{Status: http.StatusBadRequest, ScimType: scimerrors.ScimTypeInvalidSyntax, Detail: "an operation of a bulk request is a POST, PUT, PATCH or DELETE"})
	case method == http.MethodPost && o.BulkID == "":
		return refuse(scimerrors.ScimError{Status: http.StatusBadRequest, ScimType: scimerrors.ScimTypeInvalidSyntax, Detail: "a POST in a bulk request has a bulkId"})
	}
	at, err := url.Parse(path)
	if err != nil || at.Host != "" || !strings.HasPrefix(at.Path, "/") {
		return refuse(scimerrors.ScimErrorInvalidPath)
	}
	one, err := http.NewRequestWithContext(r.Context(), method, at.Path, bytes.NewReader([]byte(data)))
	if err != nil {
		return refuse(scimerrors.ScimErrorInvalidPath)
	}
	one.Header.Set("Content-Type", contentType)
	if o.Version != "" {
		one.Header.Set("If-Match", o.Version)
	}
	answer := recorder{header: http.Header{}}
	server.ServeHTTP(&answer, one)
	told.Status, told.Version = strconv.Itoa(answer.status), answer.header.Get("Etag")
	if answer.status >= http.StatusBadRequest {
		told.Response = answer.body
		return told
	}
	told.Location = base + at.Path
	if method == http.MethodPost {
		told.Location = answer.header.Get("Location")
		made[o.BulkID] = told.Location[strings.LastIndexByte(told.Location, '/')+1:]
	}
	return told
}
