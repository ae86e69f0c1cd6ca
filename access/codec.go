package access

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"time"
	"unicode"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// codecVersion is the version of the form in which changes are written. Another form gets another number, and this one is read on.
const codecVersion = 1

// recorded is how changes are written: the version of the form, and each change as its kind and what it says.
type recorded struct {
	Version int           `json:"version"`
	Changes []recordedOne `json:"changes"`
}

type recordedOne struct {
	Kind string          `json:"change"`
	Says json.RawMessage `json:"says"`
}

// EncodeChanges writes changes in the form in which they are kept, from which [DecodeChanges] reads the same changes: JSON with a
// version.
func EncodeChanges(changes []Change) ([]byte, error) {
	list := recorded{Version: codecVersion, Changes: make([]recordedOne, len(changes))}
	for i, change := range changes {
		says, err := json.Marshal(change)
		if err != nil {
			return nil, fmt.Errorf("change %T: %w", change, err)
		}
		list.Changes[i] = recordedOne{Kind: KindOf(change), Says: says}
	}
	return json.Marshal(list)
}

// DecodeChanges reads what [EncodeChanges] wrote. The error says which form or change is not known, or what cannot be read.
func DecodeChanges(text []byte) ([]Change, error) {
	var list recorded
	if err := json.Unmarshal(text, &list); err != nil {
		return nil, fmt.Errorf("recorded changes: %w", err)
	}
	if list.Version != codecVersion {
		return nil, fmt.Errorf("recorded changes: version %d is not known", list.Version)
	}
	changes := make([]Change, len(list.Changes))
	for i, one := range list.Changes {
		typ, ok := changeTypes[one.Kind]
		if !ok {
			return nil, fmt.Errorf("recorded changes: %q is not a change that is known", one.Kind)
		}
		read := reflect.New(typ)
		if err := json.Unmarshal(one.Says, read.Interface()); err != nil {
			return nil, fmt.Errorf("recorded change %q: %w", one.Kind, err)
		}
		changes[i] = read.Elem().Interface().(Change)
	}
	return changes, nil
}

// KindOf returns the word by which recorded changes call a change's kind, such as create-grant.
func KindOf(c Change) string { return kindOf(reflect.TypeOf(c)) }

// changeTypes are the types of changes by kind, as [Visitor] has them.
var changeTypes = func() map[string]reflect.Type {
	types := map[string]reflect.Type{}
	visitor := reflect.TypeFor[Visitor]()
	for i := range visitor.NumMethod() {
		typ := visitor.Method(i).Type.In(0)
		types[kindOf(typ)] = typ
	}
	return types
}()

// kindOf writes the name of a type in small letters, its words apart by hyphens.
func kindOf(typ reflect.Type) string {
	var kind strings.Builder
	for i, letter := range typ.Name() {
		if unicode.IsUpper(letter) && i > 0 {
			kind.WriteByte('-')
		}
		kind.WriteRune(unicode.ToLower(letter))
	}
	return kind.String()
}

// What follows are the written forms of what changes are about. An empty list and none are written apart, as null and []. They are
// converted to and from the types themselves, so that the compiler names a form that lacks a field.

type writtenPrincipal struct {
	ID       model.ID            `json:"id"`
	Home     model.ID            `json:"home,omitzero"`
	Kind     model.PrincipalKind `json:"kind"`
	Inactive bool                `json:"inactive,omitempty"`
	Name     string              `json:"name"`
	Tags     map[string]string   `json:"tags"`
	Owner    model.ID            `json:"owner,omitzero"`
	Gathers  *gathering          `json:"gathers,omitempty"`
	Provider model.ID            `json:"provider,omitzero"`
	Subject  string              `json:"subject,omitempty"`
	Claims   map[string][]string `json:"claims,omitzero"`
	Pattern  bool                `json:"pattern,omitempty"`
	Own      bool                `json:"own,omitempty"`
}

// MarshalJSON writes the principal as recorded changes hold it.
func (p Principal) MarshalJSON() ([]byte, error) {
	return json.Marshal(writtenPrincipal{p.ID, p.Home, p.Kind, p.Inactive, p.Name, p.Tags, p.Owner, (*gathering)(p.Gathers), p.Provider, p.Subject, p.Claims, p.Pattern, p.Own})
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (p *Principal) UnmarshalJSON(text []byte) error {
	var w writtenPrincipal
	err := json.Unmarshal(text, &w)
	*p = Principal{w.ID, w.Home, w.Kind, w.Inactive, w.Name, w.Tags, w.Owner, (*statement.Condition)(w.Gathers), w.Provider, w.Subject, w.Claims, w.Pattern, w.Own}
	return err
}

// gathering is the condition of a group, which is read by [statement.ParseGathering].
type gathering statement.Condition

// MarshalText writes the condition.
func (g *gathering) MarshalText() ([]byte, error) { return (*statement.Condition)(g).MarshalText() }

// UnmarshalText reads a condition as [statement.ParseGathering] does.
func (g *gathering) UnmarshalText(text []byte) error {
	c, err := statement.ParseGathering(string(text))
	if err == nil {
		*g = gathering(*c)
	}
	return err
}

type writtenGathers struct {
	Group     model.ID   `json:"group"`
	Condition *gathering `json:"condition"`
}

// MarshalJSON writes the change as it is recorded.
func (c SetGathers) MarshalJSON() ([]byte, error) {
	return json.Marshal(writtenGathers{c.Group, (*gathering)(c.Condition)})
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (c *SetGathers) UnmarshalJSON(text []byte) error {
	var w writtenGathers
	err := json.Unmarshal(text, &w)
	*c = SetGathers{w.Group, (*statement.Condition)(w.Condition)}
	return err
}

type writtenGrant struct {
	ID        model.ID             `json:"id"`
	Scope     model.ID             `json:"scope"`
	Principal model.ID             `json:"principal"`
	Role      string               `json:"role"`
	Condition *statement.Condition `json:"condition,omitempty"`
	From      time.Time            `json:"from,omitzero"`
	Until     time.Time            `json:"until,omitzero"`
}

// MarshalJSON writes the grant as recorded changes hold it.
func (g Grant) MarshalJSON() ([]byte, error) {
	return json.Marshal(writtenGrant{g.ID, g.Scope, g.Principal, g.Role, g.Condition, g.From, g.Until})
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (g *Grant) UnmarshalJSON(text []byte) error {
	var w writtenGrant
	err := json.Unmarshal(text, &w)
	*g = Grant{w.ID, w.Scope, w.Principal, w.Role, w.Condition, statement.Period{From: w.From, Until: w.Until}}
	return err
}

type writtenRole struct {
	Name        string             `json:"name"`
	Title       string             `json:"title,omitempty"`
	Description string             `json:"description,omitempty"`
	Include     []catalogue.Filter `json:"include"`
	Exclude     []catalogue.Filter `json:"exclude"`
	Scope       model.ID           `json:"scope,omitzero"`
	Under       []model.ID         `json:"under"`
}

type writtenRoleChange struct {
	Definition writtenRole `json:"definition"`
	Recorded   bool        `json:"recorded,omitempty"`
}

// MarshalJSON writes the change as it is recorded.
func (c CreateRole) MarshalJSON() ([]byte, error) {
	return json.Marshal(writtenRoleChange{writtenRole(c.Definition), c.Recorded})
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (c *CreateRole) UnmarshalJSON(text []byte) error {
	var w writtenRoleChange
	err := json.Unmarshal(text, &w)
	*c = CreateRole{catalogue.RoleDefinition(w.Definition), w.Recorded}
	return err
}

// MarshalJSON writes the change as it is recorded.
func (c EditRole) MarshalJSON() ([]byte, error) {
	return json.Marshal(writtenRoleChange{Definition: writtenRole(c.Definition)})
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (c *EditRole) UnmarshalJSON(text []byte) error {
	var w writtenRoleChange
	err := json.Unmarshal(text, &w)
	*c = EditRole{catalogue.RoleDefinition(w.Definition)}
	return err
}

type writtenPolicy struct {
	ID         model.ID              `json:"id"`
	Scope      model.ID              `json:"scope"`
	Name       string                `json:"name"`
	Statements []statement.Statement `json:"statements"`
	Notes      []string              `json:"notes"`
	Suspended  bool                  `json:"suspended,omitempty"`
}

type writtenPolicyChange struct {
	Policy writtenPolicy `json:"policy"`
}

// MarshalJSON writes the change as it is recorded.
func (c PutPolicy) MarshalJSON() ([]byte, error) {
	return json.Marshal(writtenPolicyChange{writtenPolicy(c.Policy)})
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (c *PutPolicy) UnmarshalJSON(text []byte) error {
	var w writtenPolicyChange
	err := json.Unmarshal(text, &w)
	*c = PutPolicy{statement.Policy(w.Policy)}
	return err
}
