package loam

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/google/uuid"

	"arbora.example/access/model"
	"arbora.example/internal/english"
	"arbora.example/internal/standin/loam/loamapi"
)

// Subject is who something is done as: whoever calls, or whoever a program runs as.
type Subject struct {
	Kind, ID, Name, Organisation string
	Looker                       string // who looks as the subject; empty for oneself
}

// words name the subject in a sentence.
func (s Subject) words() string {
	switch {
	case s.Kind == builtInSet && s.ID == public:
		return "a visitor who is not signed in"
	case s.Kind == builtInSet:
		return "somebody whom " + s.Organisation + " does not know"
	}
	return strings.ReplaceAll(s.Kind, "-", " ") + " " + s.Name
}

// The words Arbora has for kinds of principals that Loam makes subjects of itself.
const (
	builtInSet      = "set"
	public          = "public"
	signedIn        = "signed-in"
	serviceAccount  = "service-account"
	platformService = "service"
)

// call is a request under way.
type call struct {
	*Cloud
	subject Subject
	ip      string // where it came from
	token   string // as it was shown
	viewAs  string
	key     string // the id or address of what it is about
	typ     string // its type
	in      loamapi.Input
	// revealHidden has refusals tell what the subject does not see: whoever reads them sees it.
	revealHidden bool
}

// newCall finds out as whom a request is to be answered. What is in another organisation than the caller works in is asked
// for as somebody whom that organisation does not know; without a token, as anybody at all.
func (l *Cloud) newCall(ctx context.Context, r *http.Request, ip, key string) (*call, error) {
	c := &call{Cloud: l, ip: ip, key: key, viewAs: r.Header.Get("View-As")}
	first, _, _ := strings.Cut(key, "/")
	if _, err := uuid.Parse(first); err == nil {
		first = ""
	}
	header := r.Header.Get("Authorization")
	if header == "" {
		if first == "" {
			return nil, problem(http.StatusUnauthorized, "not-signed-in", "you are not signed in", "sign in at Arbora, or ask for a public thing by its address")
		}
		c.subject = Subject{Kind: builtInSet, ID: public, Name: public, Organisation: first}
		if r.Header.Get("X-Forwarded-For") != "" {
			c.ip = "" // what a header says of it proves nothing: it is not told
		}
		return c, nil
	}
	scheme, token, _ := strings.Cut(header, " ")
	if !strings.EqualFold(scheme, "Bearer") {
		return nil, problem(http.StatusUnauthorized, "not-signed-in", "the Authorization header is not in a known form", "send Bearer and the token that Arbora gave you")
	}
	c.token = strings.TrimSpace(token)
	told, err := l.arbora.introspect(ctx, c.token, c.viewAs)
	if err != nil {
		return nil, err
	}
	if !told.Active || told.Organisation == "" {
		return nil, problem(http.StatusUnauthorized, "revoked", "your sign-in does not work here, or no longer", "sign in at Arbora again, as somebody of an organisation")
	}
	// Arbora says where the caller is, by the token: a header could say anything.
	if told.From != "" {
		c.ip = told.From
	}
	c.subject = Subject{Kind: told.Kind, ID: told.Subject, Name: told.Name, Organisation: told.Organisation}
	if told.Kind == "user" {
		c.subject.Name = strings.TrimSuffix(told.Name, "@"+told.Organisation)
	}
	if told.Act != nil {
		c.subject.Looker = told.Act.Subject
	}
	if first != "" && first != told.Organisation && !slices.Contains(told.Formerly, first) {
		c.subject = Subject{Kind: builtInSet, ID: signedIn, Name: signedIn, Organisation: first}
	}
	return c, nil
}

// asOneself refuses whoever looks as somebody else: what another may do is shown, but not done, and data is not read so.
func (c *call) asOneself() error {
	if c.subject.Looker == "" {
		return nil
	}
	return problem(http.StatusForbidden, "refused", "you look as "+c.subject.words()+": so nothing is changed or run, and no data is read", "look as yourself again first")
}

// by returns a call of another subject, as which a program runs.
func (c *call) by(s Subject) *call {
	other := *c
	s.Organisation = c.subject.Organisation
	other.subject = s
	return &other
}

func (c *call) question(operation, typ, at string, refers ...string) question {
	return question{subject: c.subject, operation: operation, typ: typ, at: at, refers: refers, ip: c.ip}
}

func (c *call) seat(typ string) seat { return seat{kinds[typ].service, c.subject.Organisation} }

// may asks Arbora whether the subject may do something that they are doing; the error is the refusal, which Arbora records.
func (c *call) may(ctx context.Context, operation, typ, at string, refers ...string) (verdict, error) {
	service := c.seat(typ)
	if typ == "object" {
		service.service = "storage"
	}
	q := c.question(operation, typ, at, refers...)
	q.attempted = true
	answers, err := c.arbora.ask(ctx, service, q)
	if err != nil {
		return verdict{}, err
	}
	if v := answers[0]; !v.Allowed {
		v.Context.Hidden = v.Context.Hidden && !c.revealHidden
		return v, refusal(&q, &v)
	}
	return answers[0], nil
}

// use asks whether the subject may do something with a resource, and gives what Loam keeps of it.
func (c *call) use(ctx context.Context, operation, typ, at string, refers ...string) (resource, verdict, error) {
	v, err := c.may(ctx, operation, typ, at, refers...)
	if err != nil {
		return resource{}, v, err
	}
	r, err := c.known(ctx, v.Scope, c.subject.Organisation, typ)
	return r, v, err
}

// known returns what Loam keeps of a resource that Arbora has. One registered there by other means than Loam is made as a new
// one of its type would be.
func (l *Cloud) known(ctx context.Context, id uuid.UUID, organisation, typ string) (resource, error) {
	r, err := l.records.resource(ctx, id)
	if err != errNone {
		return r, err
	}
	r = newResource(id, organisation, typ)
	if err := l.records.add(ctx, r, l.moment(), true); err != nil {
		return r, err
	}
	return l.records.resource(ctx, id)
}

// typeOf tells the type of a resource from its address, or from Loam's records.
func (l *Cloud) typeOf(ctx context.Context, key string) (string, error) {
	if id, err := uuid.Parse(key); err == nil {
		r, err := l.records.resource(ctx, id)
		if err == errNone {
			return "", notThere("resource " + key)
		}
		return r.Type, err
	}
	_, last := model.SplitAddress(key)
	_, typ := model.SplitFullName(last)
	if _, ok := kinds[typ]; !ok {
		return "", unknownType("", typ)
	}
	return typ, nil
}

// unknownType refuses what is no type that Loam runs, and says which was meant.
func unknownType(field, typ string) *Problem {
	types := slices.Sorted(maps.Keys(kinds))
	next := "the types are " + strings.Join(types, ", ")
	if near := english.Nearest(typ, types); near != "" {
		next = "did you mean " + near + "?"
	}
	if typ == "" {
		return invalid(field, "the address names no resource", "write one that ends in its type, such as notes.bucket; "+next)
	}
	return invalid(field, fmt.Sprintf("Loam has no resources of the type %q", typ), next)
}

// decodeInput reads what an act is told, and says what it does not understand.
func decodeInput(from io.Reader, in *loamapi.Input) error {
	d := json.NewDecoder(from)
	d.DisallowUnknownFields()
	err := d.Decode(in)
	var tooLarge *http.MaxBytesError
	if err == nil || errors.As(err, &tooLarge) {
		return err
	}
	return invalid("", "the body is not the JSON that is needed: "+err.Error(), "see docs/loam.md")
}
