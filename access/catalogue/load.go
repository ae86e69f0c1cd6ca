package catalogue

import (
	"embed"
	"encoding/json"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"sync"

	"arbora.example/access/model"
	"arbora.example/internal/english"
)

//go:embed services/*.json roles.json meanings.json
var shipped embed.FS

// meanings are other words that people have for what a class of operations does: see [Meanings].
var meanings = sync.OnceValue(func() (words map[Class][]string) {
	text, err := shipped.ReadFile("meanings.json")
	if err == nil {
		err = json.Unmarshal(text, &words)
	}
	if err != nil {
		panic(fmt.Sprintf("access: the shipped meanings do not load: %v", err))
	}
	return words
})

// Shipped returns the catalogue that comes with Arbora: one file a service in services/, the general roles in
// roles.json.
var Shipped = sync.OnceValue(func() *Catalogue {
	c, err := loadShipped()
	if err != nil {
		panic(fmt.Sprintf("access: the shipped catalogue does not load: %v", err))
	}
	return c
})

// serviceOrder puts Arbora's own services first; a service file not named here follows by name.
var serviceOrder = []string{"tree", "people", "access", "compute", "networking", "storage", "databases", "labs", "apps"}

func loadShipped() (*Catalogue, error) {
	names, err := fs.Glob(shipped, "services/*.json")
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(names, func(a, b string) int { return place(a) - place(b) })
	var files [][]byte
	for _, name := range names {
		text, err := shipped.ReadFile(name)
		if err != nil {
			return nil, err
		}
		files = append(files, text)
	}
	general, err := shipped.ReadFile("roles.json")
	if err != nil {
		return nil, err
	}
	return load(general, len(files), files)
}

func place(file string) int {
	base := path.Base(file)
	at := slices.Index(serviceOrder, base[:len(base)-len(".json")])
	if at < 0 {
		return len(serviceOrder)
	}
	return at
}

// With returns the catalogue with one service more, described by a file. The error is a [*FileError] when the file is at
// fault.
func (c *Catalogue) With(file []byte) (*Catalogue, error) {
	return load(c.general, c.shipped, append(slices.Clip(c.files), file))
}

// Without returns the catalogue without a service that was registered. Whether anything uses it is for the caller to see
// ([access.Snapshot.UsesService]). The error is a [*model.Violation].
func (c *Catalogue) Without(service string) (*Catalogue, error) {
	at := slices.IndexFunc(c.services, func(s *Service) bool { return s.Name == service })
	if at < 0 {
		return nil, model.UnknownWord("service", service, c.ServiceNames())
	}
	if at < c.shipped {
		return nil, model.Violationf(model.RulePlacement, "%s came with Arbora: only services registered later are removed", service)
	}
	return load(c.general, c.shipped, slices.Delete(slices.Clone(c.files), at, at+1))
}

// serviceFile is the form of a service's file. Operations stand in a table of plane and class. An operation that refers
// to other resources names the permissions it needs on them.
type serviceFile struct {
	Service     string     `json:"service"`
	Title       string     `json:"title"`
	Description string     `json:"description"`
	Types       []typeFile `json:"types"`
	Roles       []roleFile `json:"roles"`
}

type typeFile struct {
	Type         string              `json:"type"`
	Title        string              `json:"title"`
	Description  string              `json:"description"`
	Parents      []string            `json:"parents"`
	Open         bool                `json:"open"`
	Unregistered bool                `json:"unregistered"`
	Control      map[Class][]string  `json:"control"`
	Data         map[Class][]string  `json:"data"`
	Needs        map[string][]string `json:"needs"`
}

type roleFile struct {
	Role        string   `json:"role"`
	Title       string   `json:"title"`
	Description string   `json:"description"`
	Include     []Filter `json:"include"`
	Exclude     []Filter `json:"exclude"`
}

func (f roleFile) definition() RoleDefinition {
	return RoleDefinition{Name: f.Role, Title: f.Title, Description: f.Description, Include: f.Include, Exclude: f.Exclude}
}

// loader builds a catalogue, service by service.
type loader struct {
	*Catalogue
	words vocabulary
}

// load builds the catalogue of some service files, the first of which came with Arbora.
func load(general []byte, ofArbora int, files [][]byte) (*Catalogue, error) {
	l := loader{words: vocabulary{}, Catalogue: &Catalogue{
		types: map[string]*Type{}, byName: map[string]Permission{}, byWords: map[permissionWords]Permission{}, acting: map[model.ID]string{}, roles: map[string]*Role{},
		general: general, files: files, shipped: ofArbora,
	}}
	for _, class := range Classes {
		l.words[string(class)] = "class"
	}
	parsed := make([]parsedFile, len(files))
	for i, text := range files {
		file := &parsed[i]
		if err := file.read(text); err != nil {
			return nil, err
		}
		service, err := l.readService(file)
		if err != nil {
			return nil, err
		}
		service.Shipped = i < ofArbora
		l.services = append(l.services, service)
	}
	l.number()
	for i := range parsed {
		if err := l.readReferences(&parsed[i]); err != nil {
			return nil, err
		}
	}
	for _, t := range l.types {
		l.gather(t, &t.meaning, map[*Type]bool{})
	}
	var roles []roleFile
	if err := decodeStrictly(general, &roles); err != nil {
		return nil, err
	}
	for _, f := range roles {
		if err := l.addRole(f.definition()); err != nil {
			return nil, err
		}
	}
	for i := range parsed {
		if err := l.readRoles(&parsed[i], l.services[i]); err != nil {
			return nil, err
		}
	}
	return l.Catalogue, nil
}

func (l *loader) readService(f *parsedFile) (*Service, error) {
	service := &Service{Name: f.Service, Title: f.Title, Description: f.Description}
	if err := l.words.claim(f.Service, "service"); err != nil {
		return nil, f.fault(err, "service")
	}
	if l.Service(f.Service) != nil {
		return nil, f.fault(fmt.Errorf("service %s is there already", f.Service), "service")
	}
	if f.Title == "" {
		return nil, f.fault(fmt.Errorf("service %s has no title: people read it beside the name", f.Service), "")
	}
	for i, t := range f.Types {
		read, err := l.readType(f, i, t)
		if err != nil {
			return nil, err
		}
		service.Types = append(service.Types, read)
	}
	if len(service.Types) == 0 {
		return nil, f.fault(fmt.Errorf("service %s has no types: a service needs at least one", f.Service), "types")
	}
	return service, nil
}

func (l *loader) readType(f *parsedFile, i int, file typeFile) (*Type, error) {
	at := fmt.Sprintf("types[%d]", i)
	if err := l.words.claim(file.Type, "type"); err != nil {
		return nil, f.fault(err, at+".type", at)
	}
	if l.types[file.Type] != nil {
		return nil, f.fault(fmt.Errorf("type %s is there already", file.Type), at+".type")
	}
	t := &Type{
		Name: file.Type, Title: file.Title, Description: file.Description, Service: f.Service,
		Parents: file.Parents, Open: file.Open, Registered: !file.Unregistered,
	}
	for _, plane := range Planes {
		table := file.Control
		if plane == Data {
			table = file.Data
		}
		for class := range table {
			if !slices.Contains(Classes, class) {
				return nil, f.fault(model.UnknownWord("class", string(class), english.Words(Classes)), fmt.Sprintf("%s.%s.%s", at, plane, class))
			}
		}
		for _, class := range Classes {
			for j, verb := range table[class] {
				where := fmt.Sprintf("%s.%s.%s[%d]", at, plane, class, j)
				if err := l.words.claim(verb, "operation"); err != nil {
					return nil, f.fault(err, where)
				}
				if slices.ContainsFunc(t.Operations, func(o Operation) bool { return o.Name == verb }) {
					return nil, f.fault(fmt.Errorf("type %s has operation %q twice: an operation has one class and one plane", t.Name, verb), where)
				}
				t.Operations = append(t.Operations, Operation{Name: verb, Type: t.Name, Service: f.Service, Class: class, Plane: plane})
			}
		}
	}
	if len(t.Operations) == 0 {
		return nil, f.fault(fmt.Errorf("type %s has no operations: list them under control or data, by class", t.Name), at)
	}
	l.types[t.Name] = t
	return t, nil
}

// readReferences checks and enters what a service says of types that may stand in another file.
func (l *loader) readReferences(f *parsedFile) error {
	for i, file := range f.Types {
		t := l.types[file.Type]
		at := fmt.Sprintf("types[%d]", i)
		for j, parent := range t.Parents {
			if _, ok := l.types[parent]; !ok && parent != anyResource {
				return f.fault(model.UnknownWord("type", parent, l.TypeNames()), fmt.Sprintf("%s.parents[%d]", at, j))
			}
		}
		if t.Registered && !t.IsContainer() && len(t.Parents) == 0 {
			return f.fault(fmt.Errorf("type %s has no parents: say which types it can be in", t.Name), at)
		}
		for verb, needs := range file.Needs {
			where := fmt.Sprintf("%s.needs.%s", at, verb)
			own := slices.IndexFunc(t.Operations, func(o Operation) bool { return o.Name == verb })
			if own < 0 {
				return f.fault(fmt.Errorf("type %s has no operation %q: correct its name in needs", t.Name, verb), where)
			}
			for j, text := range needs {
				p, err := l.Permission(text)
				if err != nil {
					return f.fault(err, fmt.Sprintf("%s[%d]", where, j))
				}
				o := &t.Operations[own]
				o.Needs = append(o.Needs, p)
				l.operations[o.Permission].Needs = o.Needs
			}
		}
	}
	return nil
}

func (l *loader) readRoles(f *parsedFile, service *Service) error {
	if !service.Own() {
		for _, def := range serviceFour(service) {
			// A service without, say, anything to operate has no such role of its own.
			if role, err := l.Define(def); err == nil && l.Catalogue.roles[def.Name] == nil {
				l.Catalogue.roles[def.Name] = role
				l.roleOrder = append(l.roleOrder, role)
			}
		}
	}
	for i, file := range f.Roles {
		if err := l.addRole(file.definition()); err != nil {
			return f.fault(err, fmt.Sprintf("roles[%d].role", i), fmt.Sprintf("roles[%d]", i))
		}
	}
	return nil
}

// vocabulary keeps services, types, operations and classes apart: no word is two of them.
type vocabulary map[string]string

func (v vocabulary) claim(word, as string) error {
	if err := model.CheckName(word); err != nil {
		return err
	}
	if Reserved(word) {
		return fmt.Errorf("%q cannot be %s: it is a word of the statement language", word, english.WithArticle(as))
	}
	if other, ok := v[word]; ok && other != as {
		return fmt.Errorf("%q cannot be %s: it is %s already", word, english.WithArticle(as), english.WithArticle(other))
	}
	v[word] = as
	return nil
}
