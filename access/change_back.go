package access

import (
	"slices"

	"arbora.example/access/model"
)

// What takes each change back, worked out on the snapshot before it. Nothing is ever deleted from the tree or from among the people:
// what was created there is taken back by taking it out of use.

func (c CreateScope) back(*Snapshot) []Change {
	if c.Scope.Kind == model.Organisation || c.Scope.Retired {
		return nil
	}
	return []Change{RetireScope{ID: c.Scope.ID}}
}

func (c RenameScope) back(s *Snapshot) []Change {
	was, _ := s.Scope(c.ID)
	return []Change{RenameScope{ID: c.ID, Name: was.Name}}
}

func (c MoveScope) back(s *Snapshot) []Change {
	was, _ := s.Scope(c.ID)
	return []Change{MoveScope{ID: c.ID, Parent: was.Parent}}
}

func (c TagScope) back(s *Snapshot) []Change {
	was, _ := s.Scope(c.ID)
	return []Change{TagScope{ID: c.ID, Tags: was.Tags}}
}

func (c OfferServices) back(s *Snapshot) []Change {
	was, _ := s.Scope(c.ID)
	return []Change{OfferServices{ID: c.ID, Services: slices.Clone(was.Offered)}}
}

func (c RetireScope) back(*Snapshot) []Change  { return []Change{RestoreScope(c)} }
func (c RestoreScope) back(*Snapshot) []Change { return []Change{RetireScope(c)} }

func (c CreatePrincipal) back(*Snapshot) []Change {
	if c.Principal.Inactive || c.Principal.Kind == model.OutsideGroup {
		return nil
	}
	return []Change{SetInactive{ID: c.Principal.ID, Inactive: true}}
}

func (c RenamePrincipal) back(s *Snapshot) []Change {
	was, _ := s.Principal(c.ID)
	return []Change{RenamePrincipal{ID: c.ID, Name: was.Name}}
}

func (c TagPrincipal) back(s *Snapshot) []Change {
	was, _ := s.Principal(c.ID)
	return []Change{TagPrincipal{ID: c.ID, Tags: was.Tags}}
}

func (c SetClaims) back(s *Snapshot) []Change {
	was, _ := s.Principal(c.ID)
	if was.Claims == nil {
		return nil
	}
	return []Change{SetClaims{ID: c.ID, Claims: was.Claims}}
}

func (c SetOwner) back(s *Snapshot) []Change {
	was, _ := s.Principal(c.Group)
	return []Change{SetOwner{Group: c.Group, Owner: was.Owner}}
}

func (c SetGathers) back(s *Snapshot) []Change {
	was, _ := s.Principal(c.Group)
	return []Change{SetGathers{Group: c.Group, Condition: was.Gathers}}
}

func (c SetInactive) back(*Snapshot) []Change {
	return []Change{SetInactive{ID: c.ID, Inactive: !c.Inactive}}
}

func (c AddMember) back(*Snapshot) []Change    { return []Change{RemoveMember(c)} }
func (c RemoveMember) back(*Snapshot) []Change { return []Change{AddMember(c)} }

func (c CreateGrant) back(*Snapshot) []Change { return []Change{RevokeGrant{ID: c.Grant.ID}} }

func (c RevokeGrant) back(s *Snapshot) []Change {
	was, _ := s.Grant(c.ID)
	return []Change{CreateGrant{Grant: was}}
}

func (c EditGrant) back(s *Snapshot) []Change {
	was, _ := s.Grant(c.Grant.ID)
	return []Change{EditGrant{Grant: was}}
}

func (c CreateRole) back(*Snapshot) []Change { return []Change{RemoveRole{Name: c.Definition.Name}} }

func (c EditRole) back(s *Snapshot) []Change {
	was, ok := s.roles.Get(c.Definition.Name)
	if !ok {
		return nil
	}
	return []Change{EditRole{Definition: was.RoleDefinition}}
}

func (c RemoveRole) back(s *Snapshot) []Change {
	was, ok := s.roles.Get(c.Name)
	if !ok {
		return nil
	}
	return []Change{CreateRole{Definition: was.RoleDefinition}}
}

func (c PutPolicy) back(s *Snapshot) []Change {
	if was, replaces := s.Policy(c.Policy.ID); replaces {
		return []Change{PutPolicy{Policy: was}}
	}
	return []Change{RemovePolicy{ID: c.Policy.ID}}
}

func (c RemovePolicy) back(s *Snapshot) []Change {
	was, _ := s.Policy(c.ID)
	return []Change{PutPolicy{Policy: was}}
}
