package server

import (
	"cmp"
	"context"
	"crypto/subtle"
	"errors"
	"fmt"
	"mime"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/gin-gonic/gin"

	"arbora.example/api"
	"arbora.example/internal/credential"
	"arbora.example/internal/english"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/tenant"
)

// route is an operation of the contract and what it needs of its caller.
type route struct {
	routers.Route
	needs string
}

var pathParameter = regexp.MustCompile(`\{(\w+)\}`)

// readContract returns the routes of the contract by method and gin path. Every one declares what it needs.
func readContract() (map[string]route, error) {
	spec, err := openapi3.NewLoader().LoadFromData(api.Contract)
	if err != nil {
		return nil, fmt.Errorf("the contract cannot be read: %w", err)
	}
	routes := map[string]route{}
	for path, item := range spec.Paths.Map() {
		for method, operation := range item.Operations() {
			needs, _ := operation.Extensions["x-needs"].(string)
			if needs == "" {
				return nil, fmt.Errorf("the contract does not declare what %s %s needs: add x-needs", method, path)
			}
			key := method + " " + basePath + pathParameter.ReplaceAllString(path, ":$1")
			routes[key] = route{
				Route: routers.Route{Spec: spec, Path: path, PathItem: item, Method: method, Operation: operation},
				needs: needs,
			}
		}
	}
	return routes, nil
}

type callerKey struct{}

// callerOf returns who calls; there is none on routes that need nothing.
func callerOf(ctx context.Context) (tenant.Caller, bool) {
	caller, ok := ctx.Value(callerKey{}).(tenant.Caller)
	return caller, ok
}

// admit lets a request through to its handler when its caller is known and it fits the contract.
func (s *Server) admit(c *gin.Context) {
	r, ok := s.routes[c.Request.Method+" "+c.FullPath()]
	if !ok {
		s.writeError(c, fmt.Errorf("%s %s is not in the contract", c.Request.Method, c.FullPath()))
		return
	}
	if r.needs != "nothing" {
		// What changes something is asked with all that is recorded by now, at whatever instance.
		var err error
		if c.Request.Method != http.MethodGet && !slices.Contains(readsByPost, r.Operation.OperationID) {
			err = s.service.LevelNow(c.Request.Context())
		}
		var caller tenant.Caller
		if err == nil {
			caller, err = s.identify(c)
		}
		if err == nil && caller.Audience != "" && r.Operation.Extensions["x-audience"] != caller.Audience {
			err = forAnother(caller)
		}
		if err != nil {
			s.writeError(c, err)
			return
		}
		caller.Confirmed = strings.Trim(c.GetHeader("If-Match"), `"`)
		c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), callerKey{}, caller))
		if p, waits := first(caller); waits && !slices.Contains(beforeAll, r.Operation.OperationID) {
			writeProblem(c, p)
			return
		}
		if err := s.actFor(c, &caller); err != nil {
			s.writeError(c, err)
			return
		}
		if err := s.viewAs(c, r, caller); err != nil {
			s.writeError(c, err)
			return
		}
	}
	if err := checkRequest(c, r); err != nil {
		s.writeError(c, err)
	}
}

// viewAs has the request answered as somebody else would see it, if it asks for that: KIND NAME. Nothing is changed so, and
// what is the caller's own, such as their sessions, stays their own.
func (s *Server) viewAs(c *gin.Context, r route, caller tenant.Caller) error {
	kind, name, wanted := strings.Cut(c.GetHeader(viewAsHeader), " ")
	if c.GetHeader(viewAsHeader) == "" || r.needs == "session" || r.needs == "keeper" {
		return nil
	}
	if !wanted {
		return &problem.Problem{Kind: problem.Invalid, Detail: viewAsHeader + " names nobody", Next: "send a kind and a name, such as user bram", Field: viewAsHeader}
	}
	if c.Request.Method != http.MethodGet && !slices.Contains(readsByPost, r.Operation.OperationID) {
		return &problem.Problem{Kind: problem.Refused, Detail: "you look as " + name + ", and nothing is changed so", Next: "look as yourself again first"}
	}
	seen, err := s.service.ViewAs(c.Request.Context(), caller, tenant.PrincipalRef{Kind: kind, Name: name})
	if err != nil {
		return err
	}
	c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), callerKey{}, seen))
	return nil
}

// actFor has records say whom a platform service serves by a request, if it tells: KIND NAME.
func (s *Server) actFor(c *gin.Context, caller *tenant.Caller) error {
	header := c.GetHeader(actForHeader)
	if header == "" {
		return nil
	}
	kind, name, _ := strings.Cut(header, " ")
	served, err := s.service.ActFor(c.Request.Context(), *caller, tenant.PrincipalRef{Kind: kind, Name: name}, c.GetHeader(actForFromHeader))
	if err != nil {
		return err
	}
	*caller = served
	c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), callerKey{}, served))
	return nil
}

// viewAsHeader says whom a request is to be answered as; actForHeader whom a platform service serves by it, and actForFromHeader
// where that one is; atLeastHeader at which revision or a later one.
const (
	viewAsHeader     = "View-As"
	actForHeader     = "Act-For"
	actForFromHeader = "Act-For-From"
	atLeastHeader    = "At-Least-Revision"
)

// readsByPost are the operations that change nothing though they carry a body.
var readsByPost = []string{"check", "listHolders", "rankRoles", "readStatements", "fillPattern"}

// beforeAll are the operations open to somebody who has to choose a password or set up a second factor first.
var beforeAll = []string{
	"getSession", "signOut", "proveSession", "choosePassword", "showSecondFactor", "beginSecondFactor", "confirmSecondFactor", "listPasskeys", "beginPasskey", "addPasskey",
}

// first returns what a caller has to do before anything else.
func first(caller tenant.Caller) (api.Problem, bool) {
	switch {
	case caller.Identity.Temporary:
		return problemOf(http.StatusForbidden, "choose-password", "your password is temporary", "choose your own first: arbora password, or the console's page for it"), true
	case len(caller.Wanted) > 0:
		detail, next := "the organisation that you work in requires a second factor", "set one up first, by arbora second-factor set-up or in the console; if you have one, sign in with it"
		if !slices.Contains(caller.Wanted, settings.CodeFactor) {
			detail, next = "the organisation that you work in requires a passkey", "sign in with it in a browser; if you have none, the console has you set one up"
		}
		return problemOf(http.StatusForbidden, "set-up-factor", detail, next), true
	}
	return api.Problem{}, false
}

// identifyReady is identify for what is open only to those who have nothing else to do first.
func (s *Server) identifyReady(c *gin.Context) (tenant.Caller, error) {
	caller, err := s.identify(c)
	if err == nil && caller.Audience != "" {
		err = forAnother(caller)
	}
	if err == nil {
		if p, waits := first(caller); waits {
			err = &problem.Problem{Kind: problem.Refused, Detail: p.Detail, Next: p.Next}
		}
	}
	return caller, err
}

// forAnother refuses an access token that was made to be shown to somebody else.
func forAnother(caller tenant.Caller) error {
	return &problem.Problem{Kind: problem.Foreign, Detail: "this access token is for " + caller.Audience + " alone", Next: "use your own here"}
}

// identify finds the caller, and by which factors they have to come in first.
func (s *Server) identify(c *gin.Context) (tenant.Caller, error) {
	caller, err := s.credential(c)
	if err != nil {
		var p *problem.Problem
		if errors.As(err, &p) {
			err = cmp.Or(s.service.NoteToken(c.Request.Context(), c.ClientIP(), p), err)
		}
		return caller, err
	}
	if err := s.atLeast(c, caller); err != nil {
		return caller, err
	}
	caller.Wanted, err = s.service.WantedFactors(c.Request.Context(), caller)
	return caller, err
}

// atLeast has a request answered at a revision or a later one, if it asks for that: another instance may have led there, and told.
func (s *Server) atLeast(c *gin.Context, caller tenant.Caller) error {
	text := c.GetHeader(atLeastHeader)
	if text == "" {
		return nil
	}
	revision, err := strconv.ParseUint(text, 10, 64)
	if err != nil {
		return &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("%s %q is not a revision", atLeastHeader, text), Next: "send the revision of an earlier answer", Field: atLeastHeader}
	}
	return s.service.AtLeast(c.Request.Context(), caller, revision)
}

// credential finds the caller by bearer token, or by cookie; a write by cookie needs the CSRF token beside it.
func (s *Server) credential(c *gin.Context) (tenant.Caller, error) {
	if !s.service.IsLevel() {
		c.Request = c.Request.WithContext(tenant.Arrived(c.Request.Context()))
	}
	if header := c.GetHeader("Authorization"); header != "" {
		scheme, token, _ := strings.Cut(header, " ")
		if !strings.EqualFold(scheme, "Bearer") {
			return tenant.Caller{}, &problem.Problem{Kind: problem.NotSignedIn, Detail: "the Authorization header is not in a known form", Next: "send Bearer and the token"}
		}
		return s.service.Caller(c.Request.Context(), credential.Token(strings.TrimSpace(token)), c.ClientIP())
	}
	cookie, err := c.Cookie(s.cookieName())
	if err != nil && !errors.Is(err, http.ErrNoCookie) {
		return tenant.Caller{}, err
	}
	token := credential.Token(cookie)
	caller, err := s.service.Caller(c.Request.Context(), token, c.ClientIP())
	if err != nil {
		return tenant.Caller{}, err
	}
	if c.Request.Method != http.MethodGet && subtle.ConstantTimeCompare([]byte(c.GetHeader(csrfHeader)), []byte(token.CSRF())) != 1 {
		return tenant.Caller{}, &problem.Problem{Kind: problem.Refused, Detail: "the CSRF token is missing or wrong", Next: "send the one of GET /session as " + csrfHeader}
	}
	return caller, nil
}

const csrfHeader = "X-CSRF-Token"

// cookieName is what the session's cookie is called. Where people reach the service by https, its name has browsers take it from
// this very host alone, by TLS (RFC 6265bis, section 4.1.3.2).
func (s *Server) cookieName() string {
	if s.secure {
		return "__Host-arbora-session"
	}
	return "arbora-session"
}

func (s *Server) sessionCookie(value string, maxAge int) string {
	cookie := http.Cookie{
		Name: s.cookieName(), Value: value, Path: "/", MaxAge: maxAge,
		HttpOnly: true, SameSite: http.SameSiteStrictMode, Secure: s.secure,
	}
	return cookie.String()
}

// checkRequest holds a request against the contract and says in plain words what does not fit.
func checkRequest(c *gin.Context, r route) error {
	if body := r.Operation.RequestBody; body != nil {
		kind, _, err := mime.ParseMediaType(c.ContentType())
		if err != nil || kind != "application/json" {
			return &problem.Problem{Kind: problem.Invalid, Detail: fmt.Sprintf("the content type %q is not supported", c.ContentType()), Next: "send application/json"}
		}
	}
	parameters := map[string]string{}
	for _, p := range c.Params {
		parameters[p.Key] = p.Value
	}
	err := openapi3filter.ValidateRequest(c.Request.Context(), &openapi3filter.RequestValidationInput{
		Request: c.Request, PathParams: parameters, Route: &r.Route,
		// The body is decoded here, and what came of it is bound to the handler's types.
		Options: &openapi3filter.Options{MultiError: false, AuthenticationFunc: openapi3filter.NoopAuthenticationFunc, KeepValidatedValue: true},
	})
	if err == nil {
		return nil
	}
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return tooLarge
	}
	return misfit(err)
}

// misfit tells in plain words how a request does not fit the contract.
func misfit(err error) *problem.Problem {
	p := &problem.Problem{Kind: problem.Invalid, Next: "correct the request; the contract in openapi.yaml has its form"}
	var request *openapi3filter.RequestError
	if errors.As(err, &request) && request.Parameter != nil {
		p.Field = request.Parameter.Name
	}
	var schema *openapi3.SchemaError
	var parse *openapi3filter.ParseError
	switch {
	case errors.As(err, &schema):
		if at := strings.Join(schema.JSONPointer(), "."); at != "" {
			p.Field = at
		}
		p.Detail = schemaDetail(schema, p)
	case errors.As(err, &parse) && p.Field == "":
		p.Detail, p.Next = "the body is not well-formed JSON: "+parse.RootCause().Error(), "send one JSON object"
	case errors.Is(err, openapi3filter.ErrInvalidRequired):
		p.Detail = "a body is needed"
		if p.Field != "" {
			p.Detail = p.Field + " is missing"
		}
	default:
		p.Detail = "the request does not fit the contract: " + err.Error()
	}
	return p
}

var unknownProperty = regexp.MustCompile(`property "([^"]+)" is unsupported`)

func schemaDetail(e *openapi3.SchemaError, p *problem.Problem) string {
	at := p.Field
	if at == "" {
		at = "the body"
	}
	switch e.SchemaField {
	case "properties":
		if found := unknownProperty.FindStringSubmatch(e.Reason); found != nil {
			p.Field = strings.TrimPrefix(strings.Join(append(e.JSONPointer(), found[1]), "."), ".")
			var known []string
			for name := range e.Schema.Properties {
				known = append(known, name)
			}
			slices.Sort(known)
			if p.Nearest = english.Nearest(found[1], known); p.Nearest != "" {
				p.Next = "did you mean " + p.Nearest + "?"
			} else {
				p.Next = "the fields are " + strings.Join(known, ", ")
			}
			return fmt.Sprintf("there is no field %q", found[1])
		}
	case "required":
		return p.Field + " is missing"
	case "enum":
		values := make([]string, len(e.Schema.Enum))
		for i, v := range e.Schema.Enum {
			values[i] = fmt.Sprint(v)
		}
		p.Nearest = english.Nearest(fmt.Sprint(e.Value), values)
		p.Next = "use one of " + strings.Join(values, ", ")
		return fmt.Sprintf("%s cannot be %q", at, fmt.Sprint(e.Value))
	case "maxLength":
		p.Next = "shorten it"
		return fmt.Sprintf("%s is longer than %d characters", at, *e.Schema.MaxLength)
	case "minLength":
		p.Next = "write more"
		return fmt.Sprintf("%s is shorter than %d characters", at, e.Schema.MinLength)
	case "minimum":
		p.Next = "give a number that is not below that"
		return fmt.Sprintf("%s must be at least %v", at, *e.Schema.Min)
	case "maximum":
		p.Next = "give a number that is not above that"
		return fmt.Sprintf("%s must be at most %v", at, *e.Schema.Max)
	case "type":
		return fmt.Sprintf("%s has the wrong type: %s", at, e.Reason)
	}
	return at + ": " + e.Reason
}
