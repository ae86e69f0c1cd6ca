package store

import (
	"arbora.example/access"
	"arbora.example/people"
)

// CreateOutsider writes how a guest from outside, who is at home in no organisation, signs in.
func (w *Tx) CreateOutsider(i Identity) error {
	w.note("identity", nil, map[string]any{"id": i.ID.String(), "name": i.Name, "title": i.Title})
	return insertIdentity(w.ctx, w.tx, i, access.ID{}, w.at)
}

// Accept lets a pending guest in as an identity.
func (w *Tx) Accept(guest access.Principal, name, title string, identity access.ID) error {
	row := func(name string, state people.State, identity access.ID) map[string]any {
		return map[string]any{"id": guest.ID.String(), "kind": guest.Kind.String(), "name": name, "state": state, "identity_id": identity.String()}
	}
	w.note("principal", row(guest.Name, people.Pending, access.ID{}), row(name, people.Active, identity))
	return w.exec("UPDATE principal p SET p.state = 'active', name = ?, title = ?, identity_id = ? WHERE organisation_id = ? AND id = ?",
		name, title, idColumn(identity), idColumn(w.organisation), idColumn(guest.ID))
}

// Reinvite makes a guest pending again who was withdrawn before accepting.
func (w *Tx) Reinvite(guest access.Principal) error {
	row := func(state people.State) map[string]any {
		return map[string]any{"id": guest.ID.String(), "kind": guest.Kind.String(), "name": guest.Name, "state": state}
	}
	w.note("principal", row(people.Retired), row(people.Pending))
	return w.exec("UPDATE principal p SET p.state = 'pending' WHERE organisation_id = ? AND id = ?", idColumn(w.organisation), idColumn(guest.ID))
}
