package ask

import (
	"context"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// ProviderView is an identity provider as its viewer may see it.
type ProviderView struct {
	access.Principal
	store.PrincipalDetails
	People int // who come by it
}

var providers = lister[ProviderView]{
	key:   func(p ProviderView) string { return p.Name },
	words: func(p ProviderView) []string { return []string{p.Name, p.Title, p.Description, string(p.State)} },
	columns: map[string]func(ProviderView) string{
		"name":    func(p ProviderView) string { return p.Name },
		"title":   func(p ProviderView) string { return strings.ToLower(p.Title) },
		"people":  func(p ProviderView) string { return byNumber(p.People) },
		"state":   func(p ProviderView) string { return string(p.State) },
		"created": func(p ProviderView) string { return byMoment(p.CreatedAt) },
	},
}

// ListProviders lists the identity providers of an organisation.
func (s *Answers) ListProviders(ctx context.Context, c tenant.Caller, organisation string, wanted Listing, by Narrowed) (Listed[ProviderView], error) {
	d, err := s.Open(ctx, c)
	if err != nil {
		return Listed[ProviderView]{}, err
	}
	if _, err = d.Directory("list provider", organisation); err != nil {
		return Listed[ProviderView]{}, err
	}
	all := slices.Collect(d.Principals(model.Provider))
	details, err := s.Records.PrincipalDetails(ctx, c.Organisation, tenant.IDs(all))
	if err != nil {
		return Listed[ProviderView]{}, err
	}
	views := make([]ProviderView, len(all))
	for i, p := range all {
		views[i] = ProviderView{Principal: p, PrincipalDetails: details[p.ID], People: peopleOf(d, p.ID)}
	}
	return providers.list(views, wanted, func(p ProviderView) bool {
		return by.State == "" || by.State == credential.State(p.State)
	})
}

// peopleOf counts who come by a provider.
func peopleOf(d tenant.Viewer, provider model.ID) (n int) {
	for range d.PeopleOf(provider) {
		n++
	}
	return n
}
