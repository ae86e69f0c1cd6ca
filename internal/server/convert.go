package server

import (
	"iter"
	"slices"
	"strings"
	"time"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
	"arbora.example/api"
	"arbora.example/internal/ask"
	"arbora.example/internal/change"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// each converts a list; an empty one is written as [], not null.
func each[From, To any](list []From, convert func(From) To) []To {
	converted := make([]To, len(list))
	for i, item := range list {
		converted[i] = convert(item)
	}
	return converted
}

func sessionOf(c tenant.Caller) api.Session {
	return api.Session{
		Factor: api.Factor(c.Factor),
		Name:   c.Name, Title: c.Identity.Title, Email: c.Identity.Email,
		Organisation: c.OrganisationName, Keeper: c.Identity.Keeper, Kind: kindOf(c), Provider: providerBy(c.Identity),
		ChoosePassword: c.Identity.Temporary, WantedFactors: each(c.Wanted, func(f settings.Factor) api.Factor { return api.Factor(f) }), EndsAt: c.EndsAt, Csrf: c.Token.CSRF(),
	}
}

// providerBy returns the provider at which somebody signs in, whose name theirs ends with; empty for none.
func providerBy(i store.Identity) string {
	if i.By != credential.ByProvider {
		return ""
	}
	_, provider, _ := strings.Cut(i.Name, "@")
	return provider
}

func organisationOf(o ask.OrganisationView) api.Organisation {
	return api.Organisation{Id: o.ID.String(), Name: o.Name, Title: o.Title, Description: o.Description, CreatedAt: o.CreatedAt}
}

func newUserOf(u api.UserNew) change.NewUser {
	wanted := change.NewUser{
		Name: u.Name, Title: u.Title, Email: u.Email, Description: u.Description, Tags: u.Tags,
		Password: u.Password, Temporary: value(u.Temporary), By: credential.SignInBy(u.SignInBy), Link: u.Link, Notify: u.Notify, Groups: u.Groups,
	}
	wanted.Grants, wanted.AtMost = firstGrants(u.Grants), string(u.AtMost)
	if u.Key != nil {
		key := newKeyOf(*u.Key)
		wanted.Key = &key
	}
	return wanted
}

func firstGrants(grants []api.FirstGrant) []change.NewGrant {
	return each(grants, func(g api.FirstGrant) change.NewGrant {
		return change.NewGrant{Scope: g.Scope, Role: g.Role, Condition: g.Condition, Period: periodOf(g.From, g.Until)}
	})
}

// value returns what an optional field holds, or nothing.
func value[T any](optional *T) (given T) {
	if optional != nil {
		given = *optional
	}
	return given
}

// asRead returns what an edit alters as it was read.
func asRead(was *api.AsRead) plan.AsRead {
	if was == nil {
		return plan.AsRead{}
	}
	return plan.AsRead{
		Name: was.Name, Title: was.Title, Description: was.Description, Tags: (*map[string]string)(was.Tags),
		Email: was.Email, Owner: was.Owner, Gathers: was.Gathers, Text: was.Text,
	}
}

func periodOf(from, until time.Time) statement.Period {
	return statement.Period{From: from.UTC(), Until: until.UTC()}
}

// tagsOf writes no tags as {}.
func tagsOf(tags map[string]string) map[string]string {
	if tags == nil {
		return map[string]string{}
	}
	return tags
}

func userOf(u ask.UserView) api.User {
	return api.User{
		Id: u.ID.String(), Name: u.Name, Title: u.Title, Email: u.Email, Description: u.Description,
		State: api.State(u.State), Tags: tagsOf(u.Tags), CreatedAt: u.CreatedAt,
	}
}

func personOf(p ask.PersonView) api.Person {
	u := userOf(p.UserView)
	return api.Person{
		Id: u.Id, Name: u.Name, Title: u.Title, Email: u.Email, Description: u.Description, State: u.State, Tags: u.Tags, CreatedAt: u.CreatedAt,
		Kind: api.PrincipalKind(p.Kind.String()), Groups: each(p.Groups, nameOf), LastSignInAt: p.LastSignIn,
		Factors: each(p.Factors, func(f settings.Factor) api.Factor { return api.Factor(f) }),
	}
}

func groupOf(g ask.GroupView) api.Group {
	return api.Group{
		Id: g.ID.String(), Name: g.Name, Title: g.Title, Description: g.Description, Members: g.Members, State: api.State(g.State), Gathers: g.Gathers.String(), CreatedAt: g.CreatedAt,
	}
}

func outsideGroupOf(g ask.OutsideGroupView) api.OutsideGroup {
	return api.OutsideGroup{Name: g.Subject, Provider: g.ComesBy, Pattern: g.Pattern, People: g.People, Matches: words(g.Matches), Near: words(g.Near), Links: each(g.Links, func(l ask.Link) api.OutsideLink {
		return api.OutsideLink{Group: l.Group, By: l.By}
	})}
}

func providerOf(p ask.ProviderView) api.Provider {
	return api.Provider{Id: p.ID.String(), Name: p.Name, Title: p.Title, Description: p.Description, Own: p.Own, People: p.People, State: api.State(p.State), CreatedAt: p.CreatedAt}
}

func principalOf(p ask.DetailedPrincipal) api.PrincipalDetails {
	told := api.PrincipalDetails{
		Id: p.ID.String(), Kind: api.PrincipalKind(p.Kind.String()), Name: p.Name, Title: p.Title, Email: p.Email,
		Description: p.Description, State: api.State(p.State), Tags: tagsOf(p.Tags), CreatedAt: p.CreatedAt, Address: p.Address,
		SignInBy: api.SignInBy(p.By), SignIn: p.SignIn, Provider: p.ComesBy, Subject: p.Subject, Claims: p.Claims, People: p.People, Own: p.Own, Gathers: p.Gathers.String(), Owns: p.Owns, OwnsGroups: p.OwnsGroups, LastSignInAt: p.LastSignIn,
		Members: each(p.Members, principalRef), EveryMember: each(p.Every, principalRef), Groups: each(p.Groups, nameOf), Within: each(p.Within, nameOf),
		OutsideGroups: each(p.Outside, outsideGroupOf),
		Rules:         each(p.Rules, ruleOf), Hidden: p.Hidden > 0, May: words(p.May), Gathered: []string{}, Idle: []api.IdleMember{},
	}
	for _, member := range p.Every {
		if state, idle := p.Idle[member.ID]; idle {
			told.Idle = append(told.Idle, api.IdleMember{Principal: principalRef(member), State: api.State(state)})
		}
	}
	for _, group := range p.Groups {
		if group.Gathers != nil {
			told.Gathered = append(told.Gathered, group.Name)
		}
	}
	if p.OwnedBy != nil {
		owner := principalRef(*p.OwnedBy)
		told.Owner = &owner
	}
	if p.Kind == model.Guest {
		told.InvitedUntil = p.InvitedUntil
	}
	if p.Kind == model.User {
		told.Factor = p.Factor
	}
	return told
}

func principalRef(p access.Principal) api.PrincipalRef {
	return api.PrincipalRef{Kind: api.PrincipalKind(p.Kind.String()), Name: p.Name}
}

func nameOf(p access.Principal) string { return p.Name }

// words converts words to text; none are an empty list.
func words[T ~string](list []T) []string {
	return each(list, func(word T) string { return string(word) })
}

func scopeOf(v ask.ScopeView) api.Scope {
	scope := api.Scope{
		Id: v.ID.String(), Address: v.Address, Kind: api.ScopeKind(v.Kind.String()), Name: v.FullName(), Type: v.Type,
		Described: v.Described, Title: v.Title, Description: v.Description, Tags: v.Tags, Retired: v.Retired,
		Path: each(v.Path, refOf), May: words(v.May), Creatable: words(v.Creatable),
	}
	if scope.Tags == nil {
		scope.Tags = map[string]string{}
	}
	if v.Described {
		scope.CreatedAt = v.CreatedAt
	}
	if v.Offered != nil {
		scope.Offered = &v.Offered
	}
	return scope
}

func refOf(r tenant.Ref) api.ScopeRef {
	return api.ScopeRef{Id: r.ID.String(), Address: r.Address, Name: r.Name}
}

func nodeOf(n ask.Node) api.ScopeNode {
	return api.ScopeNode{
		Id: n.ID.String(), Parent: n.Parent.String(), Address: n.Address, Kind: api.ScopeNodeKind(n.Kind.String()),
		Name: n.FullName(), Type: n.Type, Title: n.Title, Retired: n.Retired, Depth: n.Depth, More: n.More,
	}
}

func grantOf(g ask.GrantView) api.Grant {
	grant := grantAlone(g)
	if len(g.Losses) > 0 {
		losses := each(g.Losses, func(l ask.LossView) api.Loss {
			return api.Loss{Statement: statementOf(l.Statement), Permissions: l.Permissions, All: l.All}
		})
		grant.Losses = losses
	}
	return grant
}

func grantAlone(g ask.GrantView) api.Grant {
	return api.Grant{
		Id: g.ID.String(), Principal: principalRef(g.Holder), Role: g.Role.Name, RoleTitle: g.Role.Title,
		Privileged: g.Role.Privileged, HolderState: api.State(g.HolderState), Ended: g.Ended, Scope: refOf(g.At), Inherited: g.Inherited, Misplaced: g.Misplaced,
		Condition: g.Condition.String(), From: g.From, Until: g.Until,
		Description: g.Description, CreatedAt: g.CreatedAt, CreatedBy: g.CreatedBy,
	}
}

func roleOf(r ask.RoleView) api.Role {
	role := api.Role{
		Name: r.Name, Title: r.Title, Description: r.Description, Privileged: r.Privileged, Permissions: r.Permissions.Len(),
		Custom: r.Custom(), Services: []string{}, Planes: []api.RolePlanes{}, Classes: []api.RoleClasses{}, Meanings: []string{},
	}
	if r.At != nil {
		at, under := refOf(*r.At), each(r.Under, refOf)
		role.Scope, role.Under = &at, under
	}
	if r.Unseen > 0 {
		left := true
		role.Hidden = left
	}
	for p := range r.Permissions.All {
		o := r.Catalogue.Operation(p)
		if !slices.Contains(role.Services, o.Service) {
			role.Services = append(role.Services, o.Service)
		}
		if plane := api.RolePlanes(o.Plane); !slices.Contains(role.Planes, plane) {
			role.Planes = append(role.Planes, plane)
		}
	}
	for _, class := range r.Catalogue.ClassesIn(r.Permissions) {
		role.Classes = append(role.Classes, api.RoleClasses(class))
	}
	if len(role.Classes) > 0 {
		role.Meanings = catalogue.Meanings(catalogue.Class(role.Classes[len(role.Classes)-1]))
	}
	return role
}

func roleDetailsOf(r ask.RoleView, use ask.RoleUse) api.RoleDetails {
	return api.RoleDetails{
		Role: roleOf(r), Operations: operationsOf(r), Include: each(r.Include, filterOf), Exclude: each(r.Exclude, filterOf),
		Grants: each(use.Grants, grantOf), Statements: each(use.Statements, statementOf), Hidden: use.Hidden > 0, May: words(use.May),
	}
}

// operationsOf returns what a role holds, in the catalogue's order.
func operationsOf(r ask.RoleView) []api.Operation {
	operations := []api.Operation{}
	for p := range r.Permissions.All {
		operations = append(operations, operationOf(r.Catalogue.Operation(p)))
	}
	return operations
}

func filterOf(f catalogue.Filter) api.RoleFilter {
	return api.RoleFilter{
		Classes: words(f.Classes), Operations: words(f.Operations), Types: words(f.Types),
		Services: words(f.Services), Planes: words(f.Planes),
	}
}

func newFilter(f api.RoleFilter) catalogue.Filter {
	return catalogue.Filter{
		Classes: listOf[catalogue.Class](f.Classes), Operations: listOf[string](f.Operations), Types: listOf[string](f.Types),
		Services: listOf[string](f.Services), Planes: listOf[catalogue.Plane](f.Planes),
	}
}

func listOf[T ~string](words []string) []T {
	return each(words, func(word string) T { return T(word) })
}

func newRoleOf(name, title, description string, include, exclude []api.RoleFilter, under []string) change.NewRole {
	return change.NewRole{Name: name, Title: title, Description: description, Include: each(include, newFilter), Exclude: each(exclude, newFilter), Under: under}
}

func operationOf(o catalogue.Operation) api.Operation {
	return api.Operation{
		Operation: o.Name, Type: o.Type, Service: o.Service,
		Class: api.OperationClass(o.Class), Plane: api.OperationPlane(o.Plane),
	}
}

// catalogueOf converts a catalogue; roles are those that are listed with each operation.
func catalogueOf(c *catalogue.Catalogue, roles iter.Seq[*catalogue.Role]) api.Catalogue {
	return api.Catalogue{Services: each(c.Services(), func(s *catalogue.Service) api.CatalogueService { return serviceOf(c, s, roles) })}
}

func serviceOf(c *catalogue.Catalogue, s *catalogue.Service, roles iter.Seq[*catalogue.Role]) api.CatalogueService {
	return api.CatalogueService{
		Name: s.Name, Title: s.Title, Description: s.Description, Shipped: s.Shipped,
		Types: each(s.Types, func(t *catalogue.Type) api.CatalogueType {
			return api.CatalogueType{
				Name: t.Name, Title: t.Title, Description: t.Description, Parents: words(t.Parents),
				Registered: t.Registered, Operations: each(t.Operations, func(o catalogue.Operation) api.Operation {
					operation := operationOf(o)
					operation.Roles = &[]string{}
					for role := range roles {
						if role.Permissions.Has(o.Permission) {
							*operation.Roles = append(*operation.Roles, role.Name)
						}
					}
					if len(o.Needs) > 0 {
						needs := each(o.Needs, func(p catalogue.Permission) string { return c.Operation(p).String() })
						operation.Needs = &needs
					}
					return operation
				}),
			}
		}),
	}
}

func toldOf(t *api.QuestionContext) ask.QuestionContext {
	if t == nil {
		return ask.QuestionContext{}
	}
	told := ask.QuestionContext{IP: t.Ip, Location: t.Location}
	if !t.Time.IsZero() {
		told.Time = t.Time
	}
	if t.Claims != nil {
		told.Claims = t.Claims
	}
	return told
}

func answerOf(a ask.Answer) api.Answer {
	answer := api.Answer{
		Allowed: a.Allowed, Reason: api.AnswerReason(a.Reason), Words: a.Words, WhatIf: a.WhatIf, Principal: principalRef(a.Principal), Hidden: a.Hidden > 0,
		Permission: a.Permission, Scope: refOf(a.Scope), Rules: each(a.Rules, metOf), Steps: each(a.Steps, stepOf), NoStep: a.NoStep, Revision: int64(a.Revision),
	}
	if a.DecidedBy != nil {
		decidedBy := metOf(*a.DecidedBy)
		answer.DecidedBy = &decidedBy
	}
	return answer
}

func metOf(m ask.RuleOutcome) api.RuleOutcome {
	return api.RuleOutcome{Rule: ruleOf(m.Rule), Outcome: api.RuleOutcomeOutcome(m.Outcome), Words: m.Words, Through: words(m.Through), Cuts: m.Cuts, Effective: m.Effective}
}

func ruleOf(r ask.RuleView) api.Rule {
	rule := api.Rule{Kind: api.RuleKindGrant, Words: r.Words, Scope: refOf(r.At), Inherited: r.Inherited}
	if r.Grant != nil {
		grant := grantOf(*r.Grant)
		rule.Grant = &grant
	}
	if r.Statement != nil {
		statement := statementOf(*r.Statement)
		rule.Kind, rule.Statement = api.RuleKindStatement, &statement
	}
	return rule
}

func statementOf(s ask.StatementView) api.Statement {
	return api.Statement{
		Policy: policyRefOf(s.Policy), Number: s.Number, Text: s.Text, Place: refOf(s.At), Here: s.Here,
		Modal: api.StatementModal(s.Modal), Dormant: s.Dormant, Suspended: s.Suspended, Privileged: s.Privileged,
	}
}

func policyRefOf(p ask.PolicyRef) api.PolicyRef {
	return api.PolicyRef{Id: p.ID.String(), Name: p.Name, Scope: refOf(p.At)}
}

func policyOf(p ask.PolicyView) api.Policy {
	return api.Policy{
		Id: p.ID.String(), Name: p.Name, Scope: refOf(p.At), Description: p.Description, Text: p.Text, Hidden: p.Hidden > 0, Inherited: p.Inherited, Suspended: p.Suspended,
		Statements: each(p.Statements, statementOf), May: words(p.May),
		CreatedAt: p.CreatedAt, CreatedBy: p.CreatedBy, WrittenAt: p.WrittenAt, WrittenBy: p.WrittenBy,
	}
}

func faultOf(f problem.Fault) api.Fault {
	return api.Fault{Line: f.Line, Column: f.Column, Detail: f.Detail, Nearest: f.Nearest}
}

func patternOf(p statement.Pattern) api.Pattern {
	return api.Pattern{
		Name: p.Name, Title: p.Title, Description: p.Description, Text: p.Text,
		Blanks: each(p.Blanks, func(b statement.Blank) api.Blank {
			return api.Blank{Name: b.Name, Asks: b.Asks, Kind: api.BlankKind(b.Kind), Usual: b.Usual}
		}),
	}
}

func stepOf(s ask.Step) api.Step {
	step := api.Step{Words: s.Words, Scope: refOf(s.At), Adds: s.Adds}
	switch {
	case s.Group != nil:
		step.Group = s.Group.Name
	case s.Role != nil:
		step.Role = s.Role.Name
	case s.Policy != nil:
		policy := policyRefOf(*s.Policy)
		step.Policy = &policy
	}
	return step
}

func holdersOf(h ask.Holders) api.HolderList {
	return api.HolderList{
		Permission: h.Permission, Scope: refOf(h.Scope), Revision: int64(h.Revision),
		Holders: each(h.Holders, func(v ask.HolderView) api.Holder {
			return api.Holder{Principal: principalRef(v.Principal), Title: v.Title, Conditional: v.Conditional, By: each(v.By, metOf)}
		}),
		CouldHold: each(h.CouldHold, func(v ask.EscalationView) api.Escalation {
			return api.Escalation{Principal: principalRef(v.Principal), Title: v.Title, Paths: words(v.Ways)}
		}),
	}
}

func reachOf(r ask.Reach) api.Reach {
	return api.Reach{
		Principal: principalRef(r.Principal), Hidden: r.Hidden > 0, Revision: int64(r.Revision),
		Reached: each(r.Reached, func(v ask.ReachedView) api.Reached {
			return api.Reached{
				Scope: refOf(v.Scope), Part: api.Part(v.Part), By: each(v.By, ruleOf), Adds: words(v.Adds), Cuts: words(v.Cuts), OnTerms: words(v.OnTerms),
				Held: v.Held, Conditional: v.Conditional, Beneath: v.Beneath,
			}
		}),
	}
}

func impactOf(i plan.Impact) api.Impact {
	return api.Impact{
		Hidden: i.Hidden > 0, Words: i.Words, Warnings: words(i.Warnings), Advice: each(i.Advice, adviceOf), Confirmation: i.Confirmation(),
		Effects: each(i.Effects, func(e plan.EffectView) api.Effect {
			return api.Effect{
				Principals: each(e.Principals, principalRef), Scope: refOf(e.At), Beneath: e.Beneath,
				Outsiders: each(e.Outsiders, nameOf), Part: api.Part(e.Part), Gains: words(e.Gains), Loses: words(e.Loses),
				MayGain: words(e.MayGain), MayLose: words(e.MayLose), Shifting: words(e.Shifting), NowUnconditional: words(e.Freed), NowConditional: words(e.Bound),
				Privileged: e.Privileged, Public: e.Public,
			}
		}),
	}
}

func adviceOf(a plan.Advice) api.Advice {
	return api.Advice{Words: a.Words, Role: a.Role, Group: a.Group}
}
