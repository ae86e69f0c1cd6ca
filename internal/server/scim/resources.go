package scim

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"

	library "github.com/elimity-com/scim"
	scimerrors "github.com/elimity-com/scim/errors"
	"github.com/elimity-com/scim/optional"
	"github.com/elimity-com/scim/schema"
	parser "github.com/scim2/filter-parser/v2"

	"arbora.example/internal/problem"
	"arbora.example/internal/provision"
	"arbora.example/internal/store"
)

// attributes are a resource's, by their names.
type attributes = map[string]any

// keeper keeps the resources of a type, each of them told as a T.
type keeper[T any] interface {
	kind() store.ProvisionedKind
	schemas() []schema.Schema // the core one first
	read(attributes) (T, error)
	show(provision.Record, attributes) // adds what is not kept as it was told

	Create(context.Context, provision.System, T) (provision.Record, error)
	Get(context.Context, provision.System, string) (provision.Record, error)
	Edit(context.Context, provision.System, string, provision.Editing[T]) (provision.Record, error)
	Remove(context.Context, provision.System, string, func(provision.Record) error) error
	List(context.Context, provision.System, store.ProvisionedQuery) ([]provision.Record, int, error)
}

// resources are the library's callbacks for the resources of a type.
type resources[T any] struct {
	h    Handler
	kept keeper[T]
}

// version is the entity tag of what was told.
func version(r provision.Record) string { return fmt.Sprintf(`W/"%d"`, r.Version) }

// matches refuses to change what is not as whoever asks knows it (RFC 7644, section 3.14).
func matches(r *http.Request) func(provision.Record) error {
	return func(is provision.Record) error {
		wanted := r.Header.Get("If-Match")
		if wanted == "" || wanted == "*" || wanted == version(is) {
			return nil
		}
		return &problem.Problem{Kind: problem.Outdated, Detail: "somebody has changed it since", Next: "read it again, and repeat the change"}
	}
}

// told returns what was told of a resource, as it is shown.
func (s resources[T]) told(r provision.Record) (attributes, error) {
	all := attributes{}
	if err := json.Unmarshal(r.Body, &all); err != nil {
		return nil, err
	}
	s.kept.show(r, all)
	return all, nil
}

// resource is what the library answers with, as far as the request asks for its attributes.
func (s resources[T]) resource(asked *http.Request, r provision.Record, err error) (library.Resource, error) {
	var all attributes
	if err == nil {
		all, err = s.told(r)
	}
	if err != nil {
		return library.Resource{}, s.h.scimError(err)
	}
	only(all, asked.URL.Query().Get("attributes"), asked.URL.Query().Get("excludedAttributes"))
	external := optional.String{}
	if r.External != "" {
		external = optional.NewString(r.External)
	}
	return library.Resource{ID: r.ID.String(), ExternalID: external, Attributes: all, Meta: library.Meta{Created: &r.CreatedAt, LastModified: &r.ChangedAt, Version: version(r)}}, nil
}

// only leaves of a resource what is asked for (RFC 7644, section 3.9). Parts of an attribute come with the whole.
func only(all attributes, wanted, unwanted string) {
	named := func(list, name string) bool {
		return slices.ContainsFunc(strings.Split(list, ","), func(one string) bool {
			one = strings.TrimSpace(one)
			if at := strings.LastIndexByte(one, ':'); at >= 0 && !strings.EqualFold(one, name) {
				if strings.EqualFold(one[:at], name) {
					return true
				}
				one = one[at+1:]
			}
			one, _, _ = strings.Cut(one, ".")
			return strings.EqualFold(one, name)
		})
	}
	for name := range all {
		if wanted != "" && !named(wanted, name) || wanted == "" && unwanted != "" && named(unwanted, name) {
			delete(all, name)
		}
	}
}

func (s resources[T]) Create(r *http.Request, given library.ResourceAttributes) (library.Resource, error) {
	wanted, err := s.kept.read(given)
	var made provision.Record
	if err == nil {
		made, err = s.kept.Create(r.Context(), systemOf(r), wanted)
	}
	return s.resource(r, made, err)
}

func (s resources[T]) Get(r *http.Request, id string) (library.Resource, error) {
	is, err := s.kept.Get(r.Context(), systemOf(r), id)
	return s.resource(r, is, err)
}

func (s resources[T]) Replace(r *http.Request, id string, given library.ResourceAttributes) (library.Resource, error) {
	is, err := s.kept.Edit(r.Context(), systemOf(r), id, func(is provision.Record) (wanted T, err error) {
		if err := matches(r)(is); err != nil {
			return wanted, err
		}
		return s.kept.read(given)
	})
	return s.resource(r, is, err)
}

func (s resources[T]) Patch(r *http.Request, id string, operations []library.PatchOperation) (library.Resource, error) {
	is, err := s.kept.Edit(r.Context(), systemOf(r), id, func(is provision.Record) (wanted T, err error) {
		if err := matches(r)(is); err != nil {
			return wanted, err
		}
		all, err := s.told(is)
		if err != nil {
			return wanted, err
		}
		all["active"] = is.Active // what the system said, not what an administrator decided
		for _, o := range operations {
			if err := patch(all, o, s.kept.schemas()); err != nil {
				return wanted, err
			}
		}
		return s.kept.read(all)
	})
	return s.resource(r, is, err)
}

func (s resources[T]) Delete(r *http.Request, id string) error {
	if err := s.kept.Remove(r.Context(), systemOf(r), id, matches(r)); err != nil {
		return s.h.scimError(err)
	}
	return nil
}

// GetAll lists resources. What is found by name, or asked for whole, is read by the part; another filter or an order takes a look at all.
func (s resources[T]) GetAll(r *http.Request, params library.ListRequestParams) (library.Page, error) {
	text, _ := r.Context().Value(filterKey{}).(string)
	wanted, err := readFilter(text, s.kept.schemas())
	if err != nil {
		return library.Page{}, err
	}
	q := r.URL.Query()
	return s.page(r, wanted, q.Get("sortBy"), q.Get("sortOrder") == "descending", params.StartIndex-1, params.Count)
}

// Search is GetAll by POST (RFC 7644, section 3.4.3).
func (s resources[T]) Search(r *http.Request, params library.SearchParams) (library.Page, error) {
	var wanted parser.Expression
	if params.FilterValidator != nil {
		wanted = params.FilterValidator.GetFilter()
	}
	asked := r.Clone(r.Context())
	asked.URL.RawQuery = ""
	q := asked.URL.Query()
	q.Set("attributes", strings.Join(params.Attributes, ","))
	q.Set("excludedAttributes", strings.Join(params.ExcludedAttributes, ","))
	asked.URL.RawQuery = q.Encode()
	return s.page(asked, wanted, params.SortBy, params.SortOrder == "descending", params.StartIndex-1, params.Count)
}

func (s resources[T]) page(r *http.Request, wanted parser.Expression, sortBy string, descending bool, from, count int) (library.Page, error) {
	page := library.Page{Resources: []library.Resource{}}
	query := store.ProvisionedQuery{Kind: s.kept.kind(), Offset: from, Limit: count}
	found := s.narrow(wanted, &query)
	if found && sortBy == "" {
		list, total, err := s.kept.List(r.Context(), systemOf(r), query)
		if err != nil {
			return page, s.h.scimError(err)
		}
		page.TotalResults = total
		return page, s.add(&page, r, list)
	}
	all, err := s.all(r, wanted, query)
	if err != nil {
		return page, s.h.scimError(err)
	}
	if sortBy != "" {
		slices.SortStableFunc(all, func(a, b shown) int {
			order := cmp.Compare(sortKey(a.attributes, sortBy), sortKey(b.attributes, sortBy))
			if descending {
				return -order
			}
			return order
		})
	}
	page.TotalResults = len(all)
	all = all[min(from, len(all)):]
	var list []provision.Record
	for _, one := range all[:min(count, len(all))] {
		list = append(list, one.record)
	}
	return page, s.add(&page, r, list)
}

func (s resources[T]) add(page *library.Page, r *http.Request, list []provision.Record) error {
	for _, one := range list {
		resource, err := s.resource(r, one, nil)
		if err != nil {
			return err
		}
		page.Resources = append(page.Resources, resource)
	}
	return nil
}

// shown is what was told, with its attributes as they are shown.
type shown struct {
	record     provision.Record
	attributes attributes
}

// all reads all that a filter lets through.
func (s resources[T]) all(r *http.Request, wanted parser.Expression, query store.ProvisionedQuery) (passed []shown, err error) {
	query.Limit = mostListed
	for query.Offset = 0; ; query.Offset += mostListed {
		list, total, err := s.kept.List(r.Context(), systemOf(r), query)
		if err != nil {
			return nil, err
		}
		for _, one := range list {
			told, err := s.told(one)
			if err != nil {
				return nil, err
			}
			told["id"], told["externalId"] = one.ID.String(), one.External
			told["meta"] = attributes{"created": one.CreatedAt, "lastModified": one.ChangedAt, "version": version(one), "resourceType": s.kept.schemas()[0].Name.Value()}
			if wanted == nil || passes(told, wanted, s.kept.schemas()) {
				passed = append(passed, shown{one, told})
			}
		}
		if query.Offset+len(list) >= total || len(list) == 0 {
			return passed, nil
		}
	}
}

// narrow has the records find what a filter asks for, if that is a name or the system's own id alone; else it reports false.
func (s resources[T]) narrow(wanted parser.Expression, q *store.ProvisionedQuery) bool {
	if wanted == nil {
		return true
	}
	e, ok := wanted.(*parser.AttributeExpression)
	if !ok || e.Operator != parser.EQ {
		return false
	}
	text, ok := e.CompareValue.(string)
	if !ok || text == "" {
		return false
	}
	switch strings.ToLower(e.AttributePath.AttributeName) {
	case "username", "displayname":
		named := "username"
		if s.kept.kind() == store.ProvisionedGroup {
			named = "displayname"
		}
		if q.Name = text; !strings.EqualFold(e.AttributePath.AttributeName, named) {
			q.Name = ""
			return false
		}
	case "externalid":
		q.External = text
	default:
		return false
	}
	return true
}

// noTarget refuses a change of what is not there.
func noTarget(path string) error {
	e := scimerrors.ScimErrorNoTarget
	e.Detail = "nothing is found at " + path
	return e
}
