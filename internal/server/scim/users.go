package scim

import (
	"encoding/json"
	"maps"
	"strings"

	"github.com/elimity-com/scim/schema"

	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/provision"
	"arbora.example/internal/store"
)

// notKept are attributes that are answered with and not kept: they follow from others, or are nobody's business here.
var notKept = []string{"id", "meta", "schemas", "groups", "members", "password"}

// bodyOf is what is kept of a resource.
func bodyOf(told attributes) (json.RawMessage, error) {
	kept := maps.Clone(told)
	for _, name := range notKept {
		delete(kept, name)
	}
	return json.Marshal(kept)
}

func text(of attributes, name string) string {
	value, _ := of[name].(string)
	return value
}

func parts(of attributes, name string) attributes {
	value, _ := of[name].(attributes)
	return value
}

// The schemas of each type, the core one first.
var (
	userSchemas  = []schema.Schema{schema.CoreUserSchema(), schema.ExtensionEnterpriseUser()}
	groupSchemas = []schema.Schema{schema.CoreGroupSchema()}
)

// users are people.
type users struct{ provision.Users }

func (users) kind() store.ProvisionedKind { return store.ProvisionedUser }

func (users) schemas() []schema.Schema { return userSchemas }

func (users) read(told attributes) (u provision.User, err error) {
	u = provision.User{Name: strings.TrimSpace(text(told, "userName")), External: text(told, "externalId"), Title: text(told, "displayName"), Email: mailOf(told), Active: true}
	if active, said := told["active"].(bool); said {
		u.Active = active
	}
	name := parts(told, "name")
	if u.Title == "" {
		u.Title = text(name, "formatted")
	}
	if u.Title == "" {
		u.Title = strings.TrimSpace(text(name, "givenName") + " " + text(name, "familyName"))
	}
	u.Body, err = bodyOf(told)
	return u, err
}

// mailOf returns the primary mail address, or the first.
func mailOf(told attributes) (address string) {
	list, _ := told["emails"].([]any)
	for _, one := range list {
		mail, _ := one.(attributes)
		if primary, _ := mail["primary"].(bool); primary || address == "" {
			address = text(mail, "value")
		}
		if primary, _ := mail["primary"].(bool); primary {
			return address
		}
	}
	return address
}

func (users) show(r provision.Record, all attributes) {
	all["active"] = r.InUse
	if len(r.Groups) == 0 {
		return
	}
	var in []any
	for _, g := range r.Groups {
		in = append(in, attributes{"value": g.ID.String(), "display": g.Name, "type": "direct"})
	}
	all["groups"] = in
}

// groups are groups.
type groups struct{ provision.Groups }

func (groups) kind() store.ProvisionedKind { return store.ProvisionedGroup }

func (groups) schemas() []schema.Schema { return groupSchemas }

func (groups) read(told attributes) (g provision.Group, err error) {
	g = provision.Group{Name: strings.TrimSpace(text(told, "displayName")), External: text(told, "externalId")}
	list, _ := told["members"].([]any)
	for _, one := range list {
		member, _ := one.(attributes)
		id, err := model.ParseID(text(member, "value"))
		if err != nil || strings.EqualFold(text(member, "type"), "Group") {
			return g, &problem.Problem{Kind: problem.Invalid, Detail: "a member is a user, by the id that it has here", Next: "send members of groups in this one as its own members", Field: "members"}
		}
		g.Members = append(g.Members, id)
	}
	delete(told, "active")
	g.Body, err = bodyOf(told)
	return g, err
}

func (groups) show(r provision.Record, all attributes) {
	members := []any{}
	for _, id := range r.Members {
		members = append(members, attributes{"value": id.String(), "type": "User"})
	}
	all["members"] = members
}
