package access

import (
	"iter"
	"maps"
	"slices"
	"strings"

	"arbora.example/access/model"
)

// SetClaims records what a provider said of an outside person: it replaces what it said before.
type SetClaims struct {
	ID     model.ID            `json:"id"`
	Claims map[string][]string `json:"claims"`
}

func (c SetClaims) apply(d *draft) error {
	n, err := d.principal(c.ID)
	if err != nil {
		return err
	}
	p := d.principals.Get(n)
	if p.Kind != model.OutsidePerson {
		return model.Violationf(model.RulePlacement, "%s %s has no claims: only people who come by a provider have", p.Kind.Words(), p.Name)
	}
	if p.Claims != nil && maps.EqualFunc(p.Claims, c.Claims, slices.Equal) {
		return model.Violationf(model.RuleSame, "the claims of %s are that already", p.Name)
	}
	d.editPrincipal(n).Claims = maps.Clone(c.Claims)
	d.tookAway = true // a rule can ask for a claim
	return nil
}

func (c SetClaims) touches(of *comparison) { of.takePrincipal(c.ID) }

// checkOutside checks what only those have who come by a provider: that provider, and a subject by which it knows them.
func (d *draft) checkOutside(p Principal) error {
	if p.Own && p.Kind != model.Provider {
		return model.Violationf(model.RulePlacement, "only a provider can be the organisation's own")
	}
	if p.Kind != model.OutsidePerson && p.Kind != model.OutsideGroup {
		if !p.Provider.IsZero() || p.Subject != "" || p.Claims != nil || p.Pattern {
			return model.Violationf(model.RulePlacement, "only people and groups from outside have a provider and a subject")
		}
		return nil
	}
	provider := d.principalNode(p.Provider)
	if provider == nil || provider.Kind != model.Provider {
		return model.Violationf(model.RuleUnknown, "the provider that %s should come by is not there", p.Name)
	}
	if p.Subject == "" || len(p.Subject) > MaxSubject {
		return model.Violationf(model.RuleName, "the subject of %s has 1 to %d bytes: it is what %s knows them by", p.Name, MaxSubject, provider.Name)
	}
	if p.Kind == model.OutsideGroup {
		return checkOutsideGroup(p, provider)
	}
	if name, _ := strings.CutSuffix(p.Name, "@"+provider.Name); name == p.Name {
		return model.Violationf(model.RuleName, "%s comes by %s: their name ends with @%s", p.Name, provider.Name, provider.Name)
	}
	if other, taken := d.OutsidePersonBy(p.Provider, p.Subject); taken {
		return model.Violationf(model.RuleTaken, "%s knows %s by that subject already", provider.Name, other.Name)
	}
	return nil
}

// MaxSubject is how many bytes the subject of an outside person has at most (255 in OpenID Connect Core 1.0, section 2).
const MaxSubject = 255

// OutsidePersonBy finds an outside person by their provider and what it knows them by.
func (s *Snapshot) OutsidePersonBy(provider model.ID, subject string) (Principal, bool) {
	if s.subjects == nil {
		return Principal{}, false
	}
	n, ok := s.subjects.Find(subjectKey(provider, subject), s.subjectKey)
	if !ok {
		return Principal{}, false
	}
	return s.principals.Get(n).Principal, true
}

// PeopleOf yields the outside people who come by a provider, by subject.
func (s *Snapshot) PeopleOf(provider model.ID) iter.Seq[Principal] {
	return func(yield func(Principal) bool) {
		s.eachOf(provider, func(n number) bool { return yield(s.principals.Get(n).Principal) })
	}
}

// eachOf calls fn for each person of a provider until it returns false.
func (s *Snapshot) eachOf(provider model.ID, fn func(number) bool) {
	s.subjects.From(string(provider[:]), s.subjectKey, func(n number) bool {
		return s.principals.Get(n).Provider == provider && fn(n)
	})
}

// subjectKey returns the text by which an outside person is found and ordered among all.
func (s *Snapshot) subjectKey(n number) string {
	p := s.principals.Get(n)
	return subjectKey(p.Provider, p.Subject)
}

func subjectKey(provider model.ID, subject string) string { return string(provider[:]) + subject }
