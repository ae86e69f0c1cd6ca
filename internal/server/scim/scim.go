// Package scim speaks SCIM 2.0 (RFC 7643, RFC 7644) with the systems of identity providers, for package provision: users, groups, filters, PATCH,
// sorting, paging, bulk and ETags. A library reads requests and holds them against the schemas; what is asked for is answered here.
package scim

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"

	library "github.com/elimity-com/scim"
	scimerrors "github.com/elimity-com/scim/errors"
	"github.com/elimity-com/scim/optional"
	"github.com/elimity-com/scim/schema"
	"github.com/gin-gonic/gin"

	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/provision"
)

// Handler answers the requests of the protocol.
type Handler struct {
	Provisioning *provision.Provisioning
	Address      string                                                           // of the service
	Level        func(context.Context) error                                      // has a change be made with all that is recorded by now
	Refused      func(ctx context.Context, from string, p *problem.Problem) error // notes a token that opens nothing
	Log          func(error)                                                      // of what is nobody's fault who asks

	types []library.ResourceType // made by Mount
}

const (
	mostListed     = 500
	mostOperations = 1000
	mostBytes      = 1 << 20
	contentType    = "application/scim+json"
)

// Mount adds the routes to a router: each provider has a base address of its own.
func (h Handler) Mount(router gin.IRouter) {
	schema.SetAllowStringValues(true) // systems send "True" where true is meant
	h.types = h.resourceTypes()
	router.Any("/scim/:organisation/:provider/v2/*path", h.serve)
}

type (
	systemKey struct{}
	filterKey struct{}
)

// systemOf returns the system that asks.
func systemOf(r *http.Request) provision.System {
	sys, _ := r.Context().Value(systemKey{}).(provision.System)
	return sys
}

// BaseAddress is where the system of a provider reaches the service.
func BaseAddress(address, organisation, provider string) string {
	return address + "/scim/" + organisation + "/" + provider + "/v2"
}

func (h Handler) serve(c *gin.Context) {
	sys, err := h.admit(c)
	if err != nil {
		h.fail(c.Writer, err)
		return
	}
	base := BaseAddress(h.Address, c.Param("organisation"), c.Param("provider"))
	server, err := library.NewServer(&library.ServerArgs{
		ServiceProviderConfig: &library.ServiceProviderConfig{MaxResults: mostListed, SupportFiltering: true, SupportPatch: true}, ResourceTypes: h.types,
	}, library.WithBaseURL(base))
	if err != nil {
		h.fail(c.Writer, err)
		return
	}
	// The library takes no filter that asks for attributes of several schemas: filters are read here.
	query := c.Request.URL.Query()
	ctx := context.WithValue(context.WithValue(c.Request.Context(), systemKey{}, sys), filterKey{}, query.Get("filter"))
	query.Del("filter")
	r := c.Request.Clone(ctx)
	r.URL.Path, r.URL.RawPath, r.URL.RawQuery = c.Param("path"), "", query.Encode()
	switch {
	case r.URL.Path == "/ServiceProviderConfig" && r.Method == http.MethodGet:
		write(c.Writer, http.StatusOK, config(base))
	case r.URL.Path == "/Bulk" && r.Method == http.MethodPost:
		h.bulk(c.Writer, r, server, base)
	default:
		answer := recorder{header: http.Header{}}
		server.ServeHTTP(&answer, r)
		answer.send(c.Writer, r)
	}
}

// admit finds the system that asks. What changes something is asked with all that is recorded by now.
func (h Handler) admit(c *gin.Context) (provision.System, error) {
	if c.Request.Method != http.MethodGet {
		if err := h.Level(c.Request.Context()); err != nil {
			return provision.System{}, err
		}
	}
	scheme, token, _ := strings.Cut(c.GetHeader("Authorization"), " ")
	if !strings.EqualFold(scheme, "Bearer") {
		token = ""
	}
	sys, err := h.Provisioning.Admit(c.Request.Context(), c.Param("organisation"), c.Param("provider"), credential.Token(strings.TrimSpace(token)), c.ClientIP())
	var p *problem.Problem
	if errors.As(err, &p) {
		if noted := h.Refused(c.Request.Context(), c.ClientIP(), p); noted != nil {
			err = noted
		}
	}
	return sys, err
}

// resourceTypes are what the library answers for, whoever's they are.
func (h Handler) resourceTypes() []library.ResourceType {
	return []library.ResourceType{
		{
			ID: optional.NewString("User"), Name: "User", Endpoint: "/Users", Description: optional.NewString("People who come by the identity provider"), Schema: userSchemas[0],
			SchemaExtensions: []library.SchemaExtension{{Schema: userSchemas[1]}}, Handler: resources[provision.User]{h, users{provision.Users{Provisioning: h.Provisioning}}},
		},
		{
			ID: optional.NewString("Group"), Name: "Group", Endpoint: "/Groups", Description: optional.NewString("Groups that the identity provider names"), Schema: groupSchemas[0],
			Handler: resources[provision.Group]{h, groups{provision.Groups{Provisioning: h.Provisioning}}},
		},
	}
}

// config tells what of the protocol is spoken (RFC 7643, section 5).
func config(base string) any {
	yes := gin.H{"supported": true}
	return gin.H{
		"schemas":        []string{"urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig"},
		"patch":          yes,
		"bulk":           gin.H{"supported": true, "maxOperations": mostOperations, "maxPayloadSize": mostBytes},
		"filter":         gin.H{"supported": true, "maxResults": mostListed},
		"changePassword": gin.H{"supported": false},
		"sort":           yes,
		"etag":           yes,
		"authenticationSchemes": []gin.H{
			{"type": "oauthbearertoken", "name": "Bearer token", "description": "A provisioning token, or an access token of a service account", "specUri": "https://www.rfc-editor.org/rfc/rfc6750", "primary": true},
		},
		"meta": gin.H{"resourceType": "ServiceProviderConfig", "location": base + "/ServiceProviderConfig"},
	}
}

// scimError turns an error into the protocol's.
func (h Handler) scimError(err error) error {
	var told scimerrors.ScimError
	if errors.As(err, &told) {
		return told
	}
	var p *problem.Problem
	if !errors.As(err, &p) {
		h.Log(err)
		return scimerrors.ScimErrorInternal
	}
	e := scimerrors.ScimError{Detail: p.Error(), Status: http.StatusBadRequest}
	switch p.Kind {
	case problem.NotSignedIn, problem.Expired, problem.Revoked, problem.Foreign:
		e.Status = http.StatusUnauthorized
	case problem.Refused, problem.BreaksRule:
		e.Status = http.StatusForbidden
	case problem.NotThere:
		e.Status = http.StatusNotFound
	case problem.Conflict:
		e.Status, e.ScimType = http.StatusConflict, scimerrors.ScimTypeUniqueness
	case problem.TooOften:
		e.Status = http.StatusTooManyRequests
	case problem.Outdated:
		e.Status = http.StatusPreconditionFailed
	default:
		e.ScimType = scimerrors.ScimTypeInvalidValue
	}
	return e
}

// fail answers with what an error stands for.
func (h Handler) fail(w http.ResponseWriter, err error) {
	var e scimerrors.ScimError
	if !errors.As(h.scimError(err), &e) {
		e = scimerrors.ScimErrorInternal
	}
	if e.Status == http.StatusUnauthorized {
		w.Header().Set("WWW-Authenticate", "Bearer")
	}
	write(w, e.Status, e)
}

// write answers with JSON. Whoever has gone away is told nothing.
func write(w http.ResponseWriter, status int, body any) {
	text, err := json.Marshal(body)
	if err != nil {
		status, text = http.StatusInternalServerError, nil
	}
	w.Header().Set("Content-Type", contentType)
	w.WriteHeader(status)
	_, _ = w.Write(text)
}

// recorder keeps an answer of the library's.
type recorder struct {
	header http.Header
	status int
	body   []byte
}

func (r *recorder) Header() http.Header { return r.header }
func (r *recorder) WriteHeader(status int) {
	if r.status == 0 {
		r.status = status
	}
}
func (r *recorder) Write(text []byte) (int, error) {
	r.WriteHeader(http.StatusOK)
	r.body = append(r.body, text...)
	return len(text), nil
}

// send passes an answer on; nothing of what the asker has already (RFC 7232, section 3.2).
func (r *recorder) send(w http.ResponseWriter, asked *http.Request) {
	for name, values := range r.header {
		w.Header()[name] = values
	}
	if tag := r.header.Get("Etag"); tag != "" && asked.Method == http.MethodGet && asked.Header.Get("If-None-Match") == tag {
		w.WriteHeader(http.StatusNotModified)
		return
	}
	w.WriteHeader(r.status)
	_, _ = w.Write(r.body)
}
