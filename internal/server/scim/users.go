package scim

import (
	"context"
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

// users keeps people.
type users struct{ p *provision.Provisioning }

func (users) kind() store.ProvisionedKind { return store.ProvisionedUser }

func (users) schemas() []schema.Schema {
	return []schema.Schema{schema.CoreUserSchema(), schema.ExtensionEnterpriseUser()}
}

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

func (k users) create(ctx context.Context, sys provision.System, u provision.User) (provision.Record, error) {
	return k.p.CreateUser(ctx, sys, u)
}
func (k users) get(ctx context.Context, sys provision.System, id string) (provision.Record, error) {
	return k.p.User(ctx, sys, id)
}
func (k users) edit(ctx context.Context, sys provision.System, id string, edit provision.Editing[provision.User]) (provision.Record, error) {
	return k.p.EditUser(ctx, sys, id, edit)
}
func (k users) remove(ctx context.Context, sys provision.System, id string, match func(provision.Record) error) error {
	return k.p.RemoveUser(ctx, sys, id, match)
}
func (k users) list(ctx context.Context, sys provision.System, q store.ProvisionedQuery) ([]provision.Record, int, error) {
	return k.p.List(ctx, sys, q)
}

// groups keeps groups.
type groups struct{ p *provision.Provisioning }

func (groups) kind() store.ProvisionedKind { return store.ProvisionedGroup }

func (groups) schemas() []schema.Schema { return []schema.Schema{schema.CoreGroupSchema()} }

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

func (k groups) create(ctx context.Context, sys provision.System, g provision.Group) (provision.Record, error) {
	return k.p.CreateGroup(ctx, sys, g)
}
func (k groups) get(ctx context.Context, sys provision.System, id string) (provision.Record, error) {
	return k.p.Group(ctx, sys, id)
}
func (k groups) edit(ctx context.Context, sys provision.System, id string, edit provision.Editing[provision.Group]) (provision.Record, error) {
	return k.p.EditGroup(ctx, sys, id, edit)
}
func (k groups) remove(ctx context.Context, sys provision.System, id string, match func(provision.Record) error) error {
	return k.p.RemoveGroup(ctx, sys, id, match)
}
func (k groups) list(ctx context.Context, sys provision.System, q store.ProvisionedQuery) ([]provision.Record, int, error) {
	return k.p.List(ctx, sys, q)
}
