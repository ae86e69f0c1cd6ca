package access

// Visitor does something for each kind of change. It has a method for every one, so that the compiler names whoever does not know a
// new kind.
type Visitor interface {
	CreateScope(CreateScope) error
	RenameScope(RenameScope) error
	MoveScope(MoveScope) error
	TagScope(TagScope) error
	OfferServices(OfferServices) error
	RetireScope(RetireScope) error
	RestoreScope(RestoreScope) error
	CreatePrincipal(CreatePrincipal) error
	RenamePrincipal(RenamePrincipal) error
	TagPrincipal(TagPrincipal) error
	SetClaims(SetClaims) error
	SetOwner(SetOwner) error
	SetGathers(SetGathers) error
	SetInactive(SetInactive) error
	AddMember(AddMember) error
	RemoveMember(RemoveMember) error
	CreateGrant(CreateGrant) error
	RevokeGrant(RevokeGrant) error
	EditGrant(EditGrant) error
	CreateRole(CreateRole) error
	EditRole(EditRole) error
	RemoveRole(RemoveRole) error
	PutPolicy(PutPolicy) error
	RemovePolicy(RemovePolicy) error
}

// Visit calls the method of a visitor for a change's kind and gives its error.
func Visit(c Change, v Visitor) error { return c.visit(v) }

func (c CreateScope) visit(v Visitor) error     { return v.CreateScope(c) }
func (c RenameScope) visit(v Visitor) error     { return v.RenameScope(c) }
func (c MoveScope) visit(v Visitor) error       { return v.MoveScope(c) }
func (c TagScope) visit(v Visitor) error        { return v.TagScope(c) }
func (c OfferServices) visit(v Visitor) error   { return v.OfferServices(c) }
func (c RetireScope) visit(v Visitor) error     { return v.RetireScope(c) }
func (c RestoreScope) visit(v Visitor) error    { return v.RestoreScope(c) }
func (c CreatePrincipal) visit(v Visitor) error { return v.CreatePrincipal(c) }
func (c RenamePrincipal) visit(v Visitor) error { return v.RenamePrincipal(c) }
func (c TagPrincipal) visit(v Visitor) error    { return v.TagPrincipal(c) }
func (c SetClaims) visit(v Visitor) error       { return v.SetClaims(c) }
func (c SetOwner) visit(v Visitor) error        { return v.SetOwner(c) }
func (c SetGathers) visit(v Visitor) error      { return v.SetGathers(c) }
func (c SetInactive) visit(v Visitor) error     { return v.SetInactive(c) }
func (c AddMember) visit(v Visitor) error       { return v.AddMember(c) }
func (c RemoveMember) visit(v Visitor) error    { return v.RemoveMember(c) }
func (c CreateGrant) visit(v Visitor) error     { return v.CreateGrant(c) }
func (c RevokeGrant) visit(v Visitor) error     { return v.RevokeGrant(c) }
func (c EditGrant) visit(v Visitor) error       { return v.EditGrant(c) }
func (c CreateRole) visit(v Visitor) error      { return v.CreateRole(c) }
func (c EditRole) visit(v Visitor) error        { return v.EditRole(c) }
func (c RemoveRole) visit(v Visitor) error      { return v.RemoveRole(c) }
func (c PutPolicy) visit(v Visitor) error       { return v.PutPolicy(c) }
func (c RemovePolicy) visit(v Visitor) error    { return v.RemovePolicy(c) }
