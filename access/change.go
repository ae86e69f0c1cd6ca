package access

import (
	"arbora.example/access/internal/persist"
	"arbora.example/access/model"
)

// Change is one step from a snapshot to the next. Of the tree: [CreateScope], [RenameScope], [MoveScope], [TagScope],
// [OfferServices], [RetireScope], [RestoreScope]. Of people: [CreatePrincipal], [RenamePrincipal], [TagPrincipal],
// [AddMember], [RemoveMember], [SetClaims], [SetOwner], [SetGathers], [SetInactive]. Of access: [CreateGrant], [RevokeGrant],
// [EditGrant], [CreateRole], [EditRole], [RemoveRole], [PutPolicy], [RemovePolicy].
type Change interface {
	apply(*draft) error
	touches(*comparison)     // takes in whose access it may alter, and where
	back(*Snapshot) []Change // what takes it back, worked out on the snapshot before it; none where nothing does
	words(*Proposal) string  // what it does, as a sentence without its subject
	about(*Proposal) About   // what it is about, and where
	visit(Visitor) error     // calls the method for its kind
}

// With returns the snapshot after the changes, applied in order as one step to the given revision. The receiver stays as
// it was. The error is a [*model.Violation] of the first rule broken; then nothing is changed.
func (s *Snapshot) With(revision uint64, changes ...Change) (*Snapshot, error) {
	b := s.Builder()
	for _, change := range changes {
		if err := b.Apply(change); err != nil {
			return nil, err
		}
	}
	return b.Done(revision)
}

// Builder makes a snapshot from changes as they come, such as those read from records. It is for one goroutine.
type Builder struct {
	from  *Snapshot
	draft *draft
}

// Builder begins a snapshot that follows the receiver, which stays as it is.
func (s *Snapshot) Builder() *Builder {
	return &Builder{from: s, draft: &draft{Snapshot: *s, owner: new(persist.Owner)}}
}

// Apply makes a change. The error is a [*model.Violation]: then the change is left out, and the builder goes on without it.
func (b *Builder) Apply(change Change) error { return change.apply(b.draft) }

// Done returns the snapshot. The builder is not to be used any more. The error is a [*model.Violation] when the changes together
// break a rule.
func (b *Builder) Done(revision uint64) (*Snapshot, error) {
	d := b.draft
	d.revision = revision
	d.refresh()
	if d.tookAway {
		if v := d.lockOut(b.from); v != nil {
			return nil, v
		}
	}
	return &d.Snapshot, nil
}

// draft is a snapshot being made. What it owns it alters in place; all else it copies first.
type draft struct {
	Snapshot
	owner         *persist.Owner
	tookAway      bool
	stale         []number            // principals whose groups changed
	dirtyRules    map[number]struct{} // scopes whose rules changed
	dirtyAncestry map[number]struct{} // containers whose way to the top changed
}

// refresh works out anew what follows from the changes: whom a rule's name means, and the rules to be found at a scope.
func (d *draft) refresh() {
	d.refreshNames()
	for n := range d.dirtyRules {
		more := d.editMore(n)
		node := d.editScope(n)
		was := node.overflow
		node.overflow, node.names = false, 0
		if node.rules = newPlaceRules(more.placed); node.rules != nil {
			names, ok := node.rules.names()
			node.names, node.overflow = names, !ok
		}
		if !was || !node.overflow {
			d.markAncestry(n)
		}
	}
	d.dirtyRules = nil
	d.refreshAncestries()
}

// editScope returns a node that may be altered until the draft is done.
func (d *draft) editScope(n number) *scopeNode { return d.scopes.edit(d.owner, n) }

// editMore returns what a scope has besides, for altering.
func (d *draft) editMore(n number) *scopeMore {
	node := d.editScope(n)
	switch {
	case node.more == nil:
		node.more = &scopeMore{owner: d.owner}
	case node.more.owner != d.owner:
		// The lists are clipped: what is appended goes to a copy.
		more := *node.more
		more.owner = d.owner
		more.bearing, more.grants = clip(more.bearing), clip(more.grants)
		more.policies, more.placed = clip(more.policies), clip(more.placed)
		node.more = &more
	}
	return node.more
}

// editPrincipal returns a node that may be altered, its lists too.
func (d *draft) editPrincipal(n number) *principalNode {
	node := d.principals.Edit(d.owner, n)
	if node.owner != d.owner {
		node.owner = d.owner
		node.groups, node.members, node.rules = clip(node.groups), clip(node.members), clip(node.rules)
	}
	return node
}

func clip[T any](list []T) []T { return list[:len(list):len(list)] }

// insert adds to a sorted list. A list from another snapshot has no room left, so that it is copied; one made by this
// draft is altered in place when the number belongs at its end, as it mostly does.
func insert(sorted []number, n number) []number {
	if len(sorted) == 0 || sorted[len(sorted)-1] < n {
		return append(sorted, n)
	}
	at := 0
	for sorted[at] < n {
		at++
	}
	longer := make([]number, 0, len(sorted)+1)
	return append(append(append(longer, sorted[:at]...), n), sorted[at:]...)
}

// without returns a list without an item, and leaves the list as it was: it may belong to another snapshot.
func without[T comparable](list []T, item T) []T {
	shorter := make([]T, 0, max(len(list)-1, 0))
	for _, other := range list {
		if other != item {
			shorter = append(shorter, other)
		}
	}
	return shorter
}

func checkTags(tags map[string]string) error {
	for key := range tags {
		if model.CheckName(key) != nil {
			return model.Violationf(model.RuleName, "the tag %q is not valid: use lower-case letters, digits and hyphens", key)
		}
	}
	return nil
}
