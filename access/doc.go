// Package access is the core of Arbora: it knows the tree of an organisation, its principals, the catalogue of
// permissions, roles, grants and policies, and decides from them who may do what where.
//
// A [Snapshot] is the whole access state of one organisation at one revision. It never changes: [Snapshot.With] gives
// the next one, sharing what did not change, or says which rule the change breaks. So a reader needs no lock and never
// sees half a change, and a change can be tried before it is made.
//
//	now := access.New(catalogue.Shipped())
//	now, err := now.With(1,
//		access.CreateScope{Scope: model.Scope{ID: top, Kind: model.Organisation, Name: "lindenmere"}},
//		access.CreatePrincipal{Principal: access.Principal{ID: rowan, Kind: model.User, Name: "rowan"}},
//		access.CreateGrant{Grant: access.Grant{ID: first, Scope: top, Principal: rowan, Role: "steward"}})
//	decision := now.Decide(access.Question{Principal: rowan, Permission: p, Scope: top})
//
// # How a decision falls
//
// All is denied by default. A rule is a [Grant], or a [statement.Statement] of a [statement.Policy]. It counts at its place and at every
// scope beneath, or, if it says so, at its place alone; for whom it names, for every member of a group it names at any
// depth through active groups, and for all in a built-in set. What several rules give adds up; a narrower rule beneath
// takes nothing away. A statement that says may never cuts off, wherever it stands on the way up; may only cuts off
// everything else. Neither cuts a permission to govern that comes from a grant above the scope where it was set. An
// inactive principal may do nothing; in a retired scope, or beneath one, nothing but describe and restore is decided.
//
// Conditions follow three-valued logic: what a question does not tell in its [Context] is unknown. A rule that gives then
// does not apply, one that cuts does.
//
// # What it answers
//
//   - [Snapshot.Decide]: may this principal do this here? [Snapshot.Explain]: why, rule by rule.
//   - [Snapshot.Holders]: everybody who may; [Snapshot.CouldHold]: who could give it to themselves.
//   - [Snapshot.Reach]: everything somebody may do, and where; [Snapshot.Where]: at which resources of a type.
//   - [Snapshot.StepsTo]: the single changes that would turn a no.
//   - [Snapshot.Impact]: what any changes would alter, for whom and where, before they are made.
//   - [Snapshot.Exceeds]: whether changes would give anybody what their maker does not hold.
//   - [Reader.ParsePolicy] and [Snapshot.Print]: policies as text, in one form.
//
// # How it is laid out
//
// Package model has ids, kinds and names; catalogue has permissions and roles; statement has the language; internal/persist has the
// tables. They know nothing of this package. Here, scopes and principals have dense numbers in these tables (snapshot.go,
// scopetable.go). Rules are compiled from grants and statements (rule.go, compile.go) and kept at their places. The files named change_
// hold what [Snapshot.With] can do. Policies are bound in policy_parse.go and printed in policy_print.go.
//
// The package uses the standard library and small data-structure packages only. It reads no clock, writes no log and
// knows no database and no protocol.
package access
