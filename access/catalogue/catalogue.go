package catalogue

import (
	"crypto/sha256"
	"fmt"
	"slices"
	"strings"
	"sync"

	"arbora.example/access/model"
	"arbora.example/internal/english"
)

// Class says what sort of act an operation is. Every operation has exactly one.
type Class string

// The classes, from the mildest on. Every write on people, groups, roles, grants and policies is Govern.
const (
	Observe Class = "observe"
	Operate Class = "operate"
	Modify  Class = "modify"
	Destroy Class = "destroy"
	Govern  Class = "govern"
)

// Classes lists all classes, from the mildest on.
var Classes = []Class{Observe, Operate, Modify, Destroy, Govern}

// Plane says whether an operation touches a thing itself or what is in it.
type Plane string

// The planes: a machine is on the control plane, what is on its disk on the data plane.
const (
	Control Plane = "control"
	Data    Plane = "data"
)

// Planes lists both planes.
var Planes = []Plane{Control, Data}

// Operation is one verb that a resource type knows.
type Operation struct {
	Name       string
	Type       string
	Service    string
	Class      Class
	Plane      Plane
	Permission Permission
	Needs      []Permission // on what the operation refers to, such as a machine's network: all or none
}

// String writes the operation as a permission: "fetch object".
func (o Operation) String() string { return o.Name + " " + o.Type }

// Type is a resource type, a kind of container, or one of Arbora's own objects.
type Type struct {
	Name        string
	Title       string
	Description string
	Service     string
	Parents     []string // the types it may sit in; "resource" stands for every resource type
	Open        bool     // addresses beneath an instance need not be registered: the instance decides for them
	Registered  bool     // its instances are scopes of the tree
	Operations  []Operation

	kind    model.Kind // of its instances
	index   uint16
	meaning Set // the permissions that mean something at an instance
}

// Service is a platform service: a set of types that belong together.
type Service struct {
	Name        string
	Title       string
	Description string
	Types       []*Type
	Shipped     bool // it came with Arbora, rather than being registered
}

// Own reports whether the service is one of Arbora's own: the general roles cover it, and it is always offered.
func (s *Service) Own() bool { return slices.Contains(ownServices, s.Name) }

var ownServices = []string{"tree", "people", "access"}

// Catalogue is what can be permitted at all, and the roles built from it. It never changes once loaded.
type Catalogue struct {
	services   []*Service
	types      map[string]*Type
	typeOrder  []*Type               // by index
	operations []Operation           // by permission number
	byName     map[string]Permission // "fetch object"
	byWords    map[permissionWords]Permission
	acting     map[model.ID]string // the services by the id under which they act
	lasting    Set                 // what is still decided in a retired scope
	governing  Set
	finding    Set // what it takes to find what to repair: no cut from beneath takes it from those who govern
	everything Set
	roles      map[string]*Role
	roleOrder  []*Role
	general    []byte   // the file of the general roles
	files      [][]byte // of the services, in order
	shipped    int      // how many of them came with Arbora

	digesting sync.Once
	digest    [sha256.Size]byte
}

// permissionWords are an operation and the type it is on.
type permissionWords struct{ operation, on string }

// Services lists the services in the order they were loaded.
func (c *Catalogue) Services() []*Service { return c.services }

// Type finds a type by name.
func (c *Catalogue) Type(name string) (*Type, bool) {
	t, ok := c.types[name]
	return t, ok
}

// TypeNamed finds a type by a name that somebody gave. The error is a [*model.Violation] that names the nearest one known.
func (c *Catalogue) TypeNamed(name string) (*Type, error) {
	if t, ok := c.types[name]; ok {
		return t, nil
	}
	return nil, model.UnknownWord("type", name, c.TypeNames())
}

// Operation returns what a permission number stands for.
func (c *Catalogue) Operation(p Permission) Operation { return c.operations[p] }

// Permissions counts the permissions; their numbers are 0 to one less.
func (c *Catalogue) Permissions() int { return len(c.operations) }

// Permission finds a permission by its text, an operation and a type such as "fetch object". The error is a
// [*model.Violation] that names the nearest one known.
func (c *Catalogue) Permission(text string) (Permission, error) {
	if p, ok := c.byName[text]; ok {
		return p, nil
	}
	words := strings.Fields(text)
	if p, ok := c.byName[strings.Join(words, " ")]; ok {
		return p, nil
	}
	if len(words) != 2 {
		return 0, model.Violationf(model.RuleUnknown, "%q is not a permission: write an operation and a type, such as \"describe project\"", text)
	}
	t, ok := c.types[words[1]]
	if !ok {
		v := model.Violationf(model.RuleUnknown, "there is no type %q", words[1])
		v.Nearest = english.Nearest(words[1], c.TypeNames())
		return 0, v
	}
	var verbs []string
	for _, o := range t.Operations {
		verbs = append(verbs, o.Name)
	}
	v := model.Violationf(model.RuleUnknown, "%s has no operation %q; it has %s", t.Name, words[0], strings.Join(verbs, ", "))
	v.Nearest = english.Nearest(words[0], verbs)
	return 0, v
}

// PermissionOn is [Catalogue.Permission] for an operation and a type that are told apart. It allocates nothing when it is known.
func (c *Catalogue) PermissionOn(operation, typeName string) (Permission, error) {
	if p, ok := c.byWords[permissionWords{operation, typeName}]; ok {
		return p, nil
	}
	return c.Permission(operation + " " + typeName)
}

// MustPermission is [Catalogue.Permission] for texts known to be right. It panics when one is not.
func (c *Catalogue) MustPermission(text string) Permission {
	p, err := c.Permission(text)
	if err != nil {
		panic(fmt.Sprintf("access: %v", err))
	}
	return p
}

// MeaningAt returns the permissions that mean something at a scope of the named type: those on the type itself and on
// all that may sit beneath it.
func (c *Catalogue) MeaningAt(typeName string) Set {
	if t, ok := c.types[typeName]; ok {
		return t.meaning
	}
	return nil
}

// OfServices returns the permissions of Arbora's own services and of those named.
func (c *Catalogue) OfServices(services []string) Set {
	var set Set
	for _, service := range c.services {
		if !service.Own() && !slices.Contains(services, service.Name) {
			continue
		}
		for _, t := range service.Types {
			for _, o := range t.Operations {
				set.Add(o.Permission)
			}
		}
	}
	return set
}

// ServiceOf returns the service whose type a permission is on.
func (c *Catalogue) ServiceOf(p Permission) *Service {
	return c.Service(c.types[c.operations[p].Type].Service)
}

// Service returns the service of a name; nil when there is none.
func (c *Catalogue) Service(name string) *Service {
	for _, s := range c.services {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// ServiceNames returns the names of the services, in the order they were loaded.
func (c *Catalogue) ServiceNames() []string {
	names := make([]string, len(c.services))
	for i, s := range c.services {
		names[i] = s.Name
	}
	return names
}

// IsOperation reports whether any type has an operation of that name.
func (c *Catalogue) IsOperation(name string) bool {
	return slices.ContainsFunc(c.operations, func(o Operation) bool { return o.Name == name })
}

// OperationNames returns the names of all operations, sorted, each once.
func (c *Catalogue) OperationNames() []string {
	var names []string
	for _, o := range c.operations {
		names = append(names, o.Name)
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// Placeable lists the types whose instances are scopes and may sit directly in a scope of the named type.
func (c *Catalogue) Placeable(parent string) []*Type {
	var placeable []*Type
	above, ok := c.types[parent]
	if !ok {
		return nil
	}
	for _, service := range c.services {
		for _, t := range service.Types {
			if t.Registered && c.MayHold(above, t) {
				placeable = append(placeable, t)
			}
		}
	}
	return placeable
}

// Governing returns the permissions of class govern.
func (c *Catalogue) Governing() Set { return c.governing }

// Lasting returns the permissions that are still decided in a retired scope.
func (c *Catalogue) Lasting() Set { return c.lasting }

// Finding returns what it takes to find what to repair: no cut from beneath takes it from those who govern.
func (c *Catalogue) Finding() Set { return c.finding }

// Everything returns all permissions.
func (c *Catalogue) Everything() Set { return c.everything }

// Operations lists what can be done, by the numbers of the permissions.
func (c *Catalogue) Operations() []Operation { return c.operations }

// Types lists the types, by their indexes.
func (c *Catalogue) Types() []*Type { return c.typeOrder }

// TypeAt returns the type of an index.
func (c *Catalogue) TypeAt(index uint16) *Type { return c.typeOrder[index] }

// Index is the type's number among those of its catalogue, dense from 0.
func (t *Type) Index() uint16 { return t.index }

// Meaning returns the permissions that mean something at an instance of the type.
func (t *Type) Meaning() Set { return t.meaning }

// Kind is the kind of scope that instances of the type are.
func (t *Type) Kind() model.Kind { return t.kind }

// TypeNames returns the names of all types, sorted.
func (c *Catalogue) TypeNames() []string {
	names := make([]string, 0, len(c.types))
	for name := range c.types {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// MayHold reports whether an instance of child may sit directly in one of parent.
func (c *Catalogue) MayHold(parent, child *Type) bool {
	return slices.Contains(child.Parents, parent.Name) ||
		!parent.IsContainer() && slices.Contains(child.Parents, anyResource)
}

// anyResource, as a parent in the catalogue, stands for every resource type.
const anyResource = "resource"

// IsContainer reports whether instances of the type are containers.
func (t *Type) IsContainer() bool { return t.Service == "tree" }

// number numbers permissions and types.
func (c *Catalogue) number() {
	for _, service := range c.services {
		c.acting[model.PlatformServiceID(service.Name)] = service.Name
		for _, t := range service.Types {
			t.index = uint16(len(c.typeOrder))
			c.typeOrder = append(c.typeOrder, t)
			t.kind = model.Resource
			if kind, err := model.ParseKind(t.Name); err == nil && t.IsContainer() {
				t.kind = kind
			}
			for i := range t.Operations {
				o := &t.Operations[i]
				o.Permission = Permission(len(c.operations))
				c.operations = append(c.operations, *o)
				c.byName[o.String()] = o.Permission
				c.byWords[permissionWords{o.Name, t.Name}] = o.Permission
				c.everything.Add(o.Permission)
				if o.Class == Govern {
					c.governing.Add(o.Permission)
				}
				if o.Name == "list" || o.Name == "describe" || o.Name == "restore" {
					c.lasting.Add(o.Permission)
				}
				if o.Plane == Control && (o.Name == "list" || o.Name == "describe") {
					c.finding.Add(o.Permission)
				}
			}
		}
	}
}

// gather collects the permissions that mean something at a type: its own, and those of all that can be beneath it.
func (c *Catalogue) gather(t *Type, into *Set, seen map[*Type]bool) {
	if seen[t] {
		return
	}
	seen[t] = true
	for _, o := range t.Operations {
		into.Add(o.Permission)
	}
	for _, child := range c.types {
		if c.MayHold(t, child) {
			c.gather(child, into, seen)
		}
	}
}

// PlacementRule says in words where a type may sit.
func (c *Catalogue) PlacementRule(t *Type) string {
	parents := make([]string, len(t.Parents))
	for i, parent := range t.Parents {
		parents[i] = english.WithArticle(parent)
	}
	last := len(parents) - 1
	if last > 0 {
		return "it belongs in " + strings.Join(parents[:last], ", ") + " or " + parents[last]
	}
	return "it belongs in " + parents[0]
}

// AskedAt lists the types of the scopes at which a permission is asked about: the type it is on; to create one, and of what is
// no scope, the types that hold it.
func (c *Catalogue) AskedAt(p Permission) []*Type {
	o := c.operations[p]
	t := c.types[o.Type]
	if t.Registered && o.Name != "create" {
		return []*Type{t}
	}
	var holding []*Type
	for _, above := range c.typeOrder {
		if c.MayHold(above, t) {
			holding = append(holding, above)
		}
	}
	return holding
}

// PlatformServices returns the names of the services that are principals, in their order.
func (c *Catalogue) PlatformServices() (names []string) {
	for _, service := range c.services {
		if !service.Own() {
			names = append(names, service.Name)
		}
	}
	return names
}

// TypesNamed finds types by name.
func (c *Catalogue) TypesNamed(names []string) ([]uint16, error) {
	types := make([]uint16, len(names))
	for i, name := range names {
		t, ok := c.Type(name)
		if !ok {
			return nil, fmt.Errorf("the snapshot file knows the type %s, the catalogue does not", name)
		}
		types[i] = t.index
	}
	return types, nil
}

// PlatformService returns the name of the service that acts under an id in every organisation.
func (c *Catalogue) PlatformService(id model.ID) (string, bool) {
	name, ok := c.acting[id]
	return name, ok
}

// reserved are words of the language of statements that come where an act or a thing could: no word of the catalogue is one.
var reserved = []string{"act", "anything", "data", "do", "from", "if", "never", "of", "only", "to", "until"}

// Reserved reports whether the language of statements has a word for itself, so that no service, type or operation can be called so.
func Reserved(word string) bool { return slices.Contains(reserved, word) }

// IsType reports whether there is a type of that name.
func (c *Catalogue) IsType(name string) bool { return c.types[name] != nil }
