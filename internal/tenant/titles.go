package tenant

import (
	"context"

	"arbora.example/access/model"
)

// mostTitles is how many titles of scopes are kept in memory, about 200 bytes each.
const mostTitles = 100_000

// Titles returns the titles of scopes, in their order. Those looked at last are known; the others are read, all at once.
func (s *Tenants) Titles(ctx context.Context, ids []model.ID) ([]string, error) {
	titles := make([]string, len(ids))
	var missing []model.ID
	var places []int
	for i, id := range ids {
		title, ok := s.titles.Get(id)
		if !ok {
			missing, places = append(missing, id), append(places, i)
		}
		titles[i] = title
	}
	if len(missing) == 0 {
		return titles, nil
	}
	mark := s.Changed.Mark()
	details, err := s.Records.ScopeDetails(ctx, missing)
	if err != nil {
		return nil, err
	}
	for i, id := range missing {
		titles[places[i]] = details[id].Title
		s.titles.Put(id, details[id].Title, mark, id)
	}
	return titles, nil
}
