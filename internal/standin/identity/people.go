package identity

import (
	"maps"
	"slices"
	"sync"
)

// Person is somebody whom the provider knows, by their claims: sub is what it knows them by.
type Person map[string]any

// Subject is what the provider knows somebody by.
func (p Person) Subject() string { return textOf(p["sub"]) }

// Name is what the provider's page calls somebody.
func (p Person) Name() string { return textOf(p["name"]) }

func textOf(value any) string {
	text, _ := value.(string)
	return text
}

// Quaywater are some people of the Quaywater Seed Exchange.
func Quaywater() []Person {
	return []Person{
		{"sub": "q-1001", "preferred_username": "juno", "name": "Juno Marchetti", "email": "juno@quaywater.example", "role": "consultant", "department": "advice", "groups": []any{"consultants", "Seed-Curators"}},
		{"sub": "q-4711", "preferred_username": "ilka.varga", "name": "Ilka Varga", "email": "ilka.varga@quaywater.example", "role": "consultant", "department": "seeds", "groups": []any{"consultants", "seed-exchange"}},
		{"sub": "q-2040", "preferred_username": "dorian", "name": "Dorian Quist", "email": "dorian@quaywater.example", "role": "bookkeeper", "department": "accounts", "groups": []any{"office"}},
	}
}

// people are whom a provider knows. They are safe for concurrent use.
type people struct {
	mu   sync.Mutex
	list []Person
}

// all returns everybody.
func (p *people) all() []Person {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.Clone(p.list)
}

// find finds somebody; nil for nobody.
func (p *people) find(subject string) Person {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, one := range p.list {
		if one.Subject() == subject {
			return maps.Clone(one)
		}
	}
	return nil
}

// put keeps somebody in place of whoever has the subject, or as somebody new.
func (p *people) put(person Person) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for i, one := range p.list {
		if one.Subject() == person.Subject() {
			p.list[i] = person
			return
		}
	}
	p.list = append(p.list, person)
}

// drop forgets somebody, who has left.
func (p *people) drop(subject string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.list = slices.DeleteFunc(p.list, func(one Person) bool { return one.Subject() == subject })
}
