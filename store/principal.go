package store

import (
	"arbora.example/access"
	"arbora.example/people"
)

// CreatePrincipal writes a new principal. A user's id is that of the identity that acts as it.
func (w *Tx) CreatePrincipal(p access.Principal, details PrincipalDetails) error {
	tags, err := tagsColumn(p.Tags)
	if err != nil {
		return err
	}
	if details.State == "" {
		details.State = people.Active
	}
	if p.Kind == access.User {
		details.Identity = p.ID
	}
	w.note("principal", nil, principalRow(p, details), p.Home)
	return w.exec(`INSERT INTO principal (organisation_id, id, kind, name, home_id, tags, title, description, state, owner_id, gathers, identity_id, created_at)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		idColumn(w.organisation), idColumn(p.ID), p.Kind.String(), p.Name, idColumn(p.Home), tags, details.Title, details.Description,
		string(details.State), idColumn(p.Owner), p.Gathers.String(), idColumn(details.Identity), w.at)
}

func principalRow(p access.Principal, details PrincipalDetails) map[string]any {
	row := map[string]any{
		"id": p.ID.String(), "kind": p.Kind.String(), "name": p.Name, "home_id": p.Home.String(), "tags": tagsRow(p.Tags),
		"title": details.Title, "description": details.Description, "state": details.State, "email": details.Email,
	}
	if p.Kind == access.Group {
		row["owner_id"], row["gathers"] = p.Owner.String(), p.Gathers.String()
	}
	return row
}

// EditPrincipal writes what is said of a principal: name, tags, owner, condition, title, description and, of a person of
// the organisation, the email.
func (w *Tx) EditPrincipal(before, after access.Principal, was, is PrincipalDetails) error {
	tags, err := tagsColumn(after.Tags)
	if err != nil {
		return err
	}
	w.note("principal", principalRow(before, was), principalRow(after, is), after.Home)
	if err := w.exec(`UPDATE principal p SET p.name = ?, tags = ?, title = ?, description = ?, owner_id = ?, gathers = ? WHERE organisation_id = ? AND id = ?`,
		after.Name, tags, is.Title, is.Description, idColumn(after.Owner), after.Gathers.String(), idColumn(w.organisation), idColumn(after.ID)); err != nil {
		return err
	}
	if after.Kind != access.User {
		return nil
	}
	return w.exec("UPDATE identity SET name = ?, email = ? WHERE id = ?", after.Name, is.Email, idColumn(after.ID))
}

// SetState writes the state of a principal. Out of use it loses its sessions and links. Its keys stay, and open nothing;
// those of a user who is retired end.
func (w *Tx) SetState(p access.Principal, from, to people.State) error {
	state := func(s people.State) map[string]any {
		return map[string]any{"id": p.ID.String(), "kind": p.Kind.String(), "name": p.Name, "state": s}
	}
	w.note("principal", state(from), state(to), p.Home)
	if err := w.exec("UPDATE principal p SET p.state = ? WHERE organisation_id = ? AND id = ?", string(to), idColumn(w.organisation), idColumn(p.ID)); err != nil || to == people.Active {
		return err
	}
	// Whose home puts them out of use is out everywhere.
	if err := w.exec(`UPDATE session s JOIN principal p ON p.identity_id = s.identity_id SET s.ended_at = ?
		WHERE s.ended_at IS NULL AND p.organisation_id = ? AND p.id = ? AND (p.kind = 'user' OR s.organisation_id = p.organisation_id)`, w.at, idColumn(w.organisation), idColumn(p.ID)); err != nil {
		return err
	}
	if to == people.Retired && p.Kind == access.User {
		// For good: whoever is restored later begins without the keys of before.
		if err := w.exec("UPDATE api_key SET withdrawn_at = ? WHERE organisation_id = ? AND principal_id = ? AND withdrawn_at IS NULL", w.at, idColumn(w.organisation), idColumn(p.ID)); err != nil {
			return err
		}
	}
	return w.exec("DELETE FROM link WHERE organisation_id = ? AND principal_id = ?", idColumn(w.organisation), idColumn(p.ID))
}

// SetProfile changes what a user says of themselves; nil leaves a thing as it is. It gives both as they are then.
func (w *Tx) SetProfile(p access.Principal, title, email *string) (titleNow, emailNow string, err error) {
	details, err := w.PrincipalDetails(w.ctx, w.organisation, []access.ID{p.ID})
	if err != nil {
		return "", "", err
	}
	was := details[p.ID]
	titleNow, emailNow = was.Title, was.Email
	if title != nil {
		titleNow = *title
	}
	if email != nil {
		emailNow = *email
	}
	profile := func(title, email string) map[string]any {
		return map[string]any{"id": p.ID.String(), "name": p.Name, "title": title, "email": email}
	}
	w.note("profile", profile(was.Title, was.Email), profile(titleNow, emailNow))
	if err := w.exec("UPDATE principal p SET p.title = ? WHERE p.organisation_id = ? AND p.id = ?", titleNow, idColumn(w.organisation), idColumn(p.ID)); err != nil {
		return "", "", err
	}
	return titleNow, emailNow, w.exec("UPDATE identity SET email = ? WHERE id = ?", emailNow, idColumn(p.ID))
}

// AddMember writes a membership.
func (w *Tx) AddMember(m access.Membership) error {
	w.note("membership", nil, membershipRow(m))
	return w.exec("INSERT INTO membership (organisation_id, group_id, member_id) VALUES (?, ?, ?)",
		idColumn(w.organisation), idColumn(m.Group), idColumn(m.Member))
}

// RemoveMember takes a membership away.
func (w *Tx) RemoveMember(m access.Membership) error {
	w.note("membership", membershipRow(m), nil)
	return w.exec("DELETE FROM membership WHERE organisation_id = ? AND group_id = ? AND member_id = ?",
		idColumn(w.organisation), idColumn(m.Group), idColumn(m.Member))
}

func membershipRow(m access.Membership) map[string]any {
	return map[string]any{"group_id": m.Group.String(), "member_id": m.Member.String()}
}
