package server

import (
	"cmp"
	"context"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"arbora.example/api"
	"arbora.example/internal/ask"
	"arbora.example/internal/change"
	"arbora.example/internal/credential"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/settings"
	"arbora.example/internal/signin"
	"arbora.example/internal/tenant"
)

// handlers fills the contract: each method asks the service and turns what comes back into the contract's types.
type handlers struct{ *Server }

var _ StrictServerInterface = handlers{}

func (h handlers) GetStatus(ctx context.Context, _ GetStatusRequestObject) (GetStatusResponseObject, error) {
	ctx = requestOf(ctx).Context()
	if err := h.service.Healthy(ctx); err != nil {
		return nil, err
	}
	empty, err := h.service.IsEmpty(ctx)
	if err != nil {
		return nil, err
	}
	status := GetStatus200JSONResponse{Empty: empty, Version: h.version, Loam: h.loam != ""}
	if empty {
		status.Next = "Nobody has set this service up yet: " + signin.HowToSetUp
	}
	return status, nil
}

func (h handlers) SignIn(ctx context.Context, r SignInRequestObject) (SignInResponseObject, error) {
	request, from := requestOf(ctx), ctx.(*gin.Context).ClientIP()
	caller, err := h.service.SignIn(request.Context(), signin.SignInRequest{
		Name: r.Body.Name, Password: r.Body.Password, Code: r.Body.Code, Organisation: r.Body.Organisation, From: from, Agent: agentOf(request),
	})
	if err != nil {
		return nil, err
	}
	if caller.Wanted, err = h.service.WantedFactors(request.Context(), caller); err != nil {
		return nil, err
	}
	answer := SignIn200JSONResponse{Body: sessionOf(caller)}
	if r.Body.Token {
		answer.Body.Token = string(caller.Token)
	} else {
		cookie := h.sessionCookie(string(caller.Token), 0)
		answer.Headers.SetCookie = cookie
	}
	return answer, nil
}

func (h handlers) GetSession(ctx context.Context, _ GetSessionRequestObject) (GetSessionResponseObject, error) {
	_, caller := who(ctx)
	return GetSession200JSONResponse(sessionOf(caller)), nil
}

func (h handlers) SignOut(ctx context.Context, _ SignOutRequestObject) (SignOutResponseObject, error) {
	ctx, caller := who(ctx)
	if err := h.service.SignOut(ctx, caller); err != nil {
		return nil, err
	}
	cookie := h.sessionCookie("", -1)
	return SignOut204Response{Headers: SignOut204ResponseHeaders{SetCookie: cookie}}, nil
}

func (h handlers) EditProfile(ctx context.Context, r EditProfileRequestObject) (EditProfileResponseObject, error) {
	ctx, caller := who(ctx)
	caller, err := h.service.EditProfile(ctx, caller, r.Body.Title, r.Body.Email, asRead(r.Body.Was))
	if err != nil {
		return nil, err
	}
	return EditProfile200JSONResponse(sessionOf(caller)), nil
}

func (h handlers) ChoosePassword(ctx context.Context, r ChoosePasswordRequestObject) (ChoosePasswordResponseObject, error) {
	ctx, caller := who(ctx)
	caller, err := h.service.ChoosePassword(ctx, caller, r.Body.Current, r.Body.New)
	if err != nil {
		return nil, err
	}
	return ChoosePassword200JSONResponse(sessionOf(caller)), nil
}

func (h handlers) ListOrganisations(ctx context.Context, r ListOrganisationsRequestObject) (ListOrganisationsResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	list, next, err := h.service.ListOrganisations(ctx, caller, page.page)
	if err != nil {
		return nil, err
	}
	return ListOrganisations200JSONResponse{Organisations: each(list, organisationOf), Next: page.next(next)}, nil
}

func (h handlers) ShowQuotas(ctx context.Context, r ShowQuotasRequestObject) (ShowQuotasResponseObject, error) {
	ctx, caller := who(ctx)
	quotas, err := h.service.Quotas(ctx, caller, r.Organisation)
	if err != nil {
		return nil, err
	}
	has := quotas.Has
	return ShowQuotas200JSONResponse{
		Set: quotasOf(quotas.Set), Most: quotasOf(quotas.Most),
		Has: api.Quotas{Scopes: &has.Scopes, Principals: &has.Principals, Groups: &has.Groups, Grants: &has.Grants, Statements: &has.Statements},
	}, nil
}

func (h handlers) ResetFirstSteward(ctx context.Context, r ResetFirstStewardRequestObject) (ResetFirstStewardResponseObject, error) {
	ctx, caller := who(ctx)
	reset, err := h.service.ResetFirstSteward(ctx, caller, r.Organisation)
	return ResetFirstSteward200JSONResponse{SignIn: reset.SignIn, Password: reset.Password, Revision: int64(reset.Revision)}, err
}

func (h handlers) SetQuotas(ctx context.Context, r SetQuotasRequestObject) (SetQuotasResponseObject, error) {
	ctx, caller := who(ctx)
	q := *r.Body
	revision, err := h.service.SetQuotas(ctx, caller, r.Organisation, settings.Quotas{
		Scopes: value(q.Scopes), Principals: value(q.Principals), Groups: value(q.Groups), Grants: value(q.Grants), Statements: value(q.Statements),
		Streams: value(q.Streams), Writes: value(q.Writes),
	})
	return SetQuotas200JSONResponse{Revision: int64(revision)}, err
}

// quotasOf tells quotas, and nothing of those that are not set.
func quotasOf(q settings.Quotas) (told api.Quotas) {
	for _, one := range []struct {
		set  int
		into **int
	}{
		{q.Scopes, &told.Scopes}, {q.Principals, &told.Principals}, {q.Groups, &told.Groups}, {q.Grants, &told.Grants}, {q.Statements, &told.Statements},
		{q.Streams, &told.Streams}, {q.Writes, &told.Writes},
	} {
		if one.set != 0 {
			*one.into = &one.set
		}
	}
	return told
}

func (h handlers) CreateOrganisation(ctx context.Context, r CreateOrganisationRequestObject) (CreateOrganisationResponseObject, error) {
	ctx, caller := who(ctx)
	made, err := h.service.CreateOrganisation(ctx, caller, change.NewOrganisation{
		Name: r.Body.Name, Title: r.Body.Title, Description: r.Body.Description, Steward: newUserOf(r.Body.Steward),
	})
	if err != nil {
		return nil, err
	}
	return CreateOrganisation201JSONResponse{
		Organisation: organisationOf(made.Organisation), Steward: userOf(made.Steward),
		Password: made.Password, Revision: int64(made.Revision),
	}, nil
}

func (h handlers) GetCatalogue(ctx context.Context, r GetCatalogueRequestObject) (GetCatalogueResponseObject, error) {
	ctx, caller := who(ctx)
	now, err := h.service.Catalogue(ctx, caller, r.Organisation)
	if err != nil {
		return nil, err
	}
	return GetCatalogue200JSONResponse(catalogueOf(now.Catalogue(), now.Roles())), nil
}

func (h handlers) ListPeople(ctx context.Context, r ListPeopleRequestObject) (ListPeopleResponseObject, error) {
	q := r.Params
	page, err := pagingOf(ctx, q.After, q.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	list, err := h.service.ListPeople(ctx, caller, r.Organisation, page.listing(q.Find, string(q.Sort), q.Descending), ask.Narrowed{
		Kind: string(q.Kind), Provider: q.Provider, State: credential.State(q.State), Tag: q.Tag, Group: q.Group, Outside: q.OutsideGroup, Factor: string(q.Factor), LastSignIn: ask.Ago(q.LastSignIn),
	})
	if err != nil {
		return nil, err
	}
	return ListPeople200JSONResponse{People: each(list.Items, personOf), Found: list.Found, All: list.All, Next: page.next(list.Next)}, nil
}

func (h handlers) CreateUser(ctx context.Context, r CreateUserRequestObject) (CreateUserResponseObject, error) {
	made, written, err := changed(ctx, r.Params.Preview, h.service.CreateUser(r.Organisation, newUserOf(*r.Body)))
	if err != nil {
		return nil, err
	}
	if r.Params.Preview {
		return CreateUser200JSONResponse(written), nil
	}
	return CreateUser201JSONResponse(h.userMade(made)), nil
}

func (h handlers) ListGroups(ctx context.Context, r ListGroupsRequestObject) (ListGroupsResponseObject, error) {
	q := r.Params
	page, err := pagingOf(ctx, q.After, q.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	list, err := h.service.ListGroups(ctx, caller, r.Organisation, page.listing(q.Find, string(q.Sort), q.Descending), ask.Narrowed{
		State: credential.State(q.State), Tag: q.Tag, Gathers: q.Gathers,
	})
	if err != nil {
		return nil, err
	}
	return ListGroups200JSONResponse{Groups: each(list.Items, groupOf), Found: list.Found, All: list.All, Next: page.next(list.Next)}, nil
}

func (h handlers) CreateGroup(ctx context.Context, r CreateGroupRequestObject) (CreateGroupResponseObject, error) {
	wanted := change.NewGroup{
		Name: r.Body.Name, Title: r.Body.Title, Description: r.Body.Description, Tags: r.Body.Tags,
		Owner: somebodyOrNone(r.Body.Owner), Gathers: r.Body.Gathers,
	}
	group, written, err := changed(ctx, r.Params.Preview, h.service.CreateGroup(r.Organisation, wanted))
	if err != nil || r.Params.Preview {
		return CreateGroup200JSONResponse(written), err
	}
	return CreateGroup201JSONResponse{Group: groupOf(group), Revision: written.Revision}, nil
}

func (h handlers) AddMember(ctx context.Context, r AddMemberRequestObject) (AddMemberResponseObject, error) {
	change := change.MemberChange{Organisation: r.Organisation, Group: r.Group, Kind: string(r.Body.Kind), Name: r.Body.Name}
	_, written, err := changed(ctx, r.Params.Preview, h.service.ChangeMember(change))
	return AddMember200JSONResponse(written), err
}

func (h handlers) RemoveMember(ctx context.Context, r RemoveMemberRequestObject) (RemoveMemberResponseObject, error) {
	change := change.MemberChange{Organisation: r.Organisation, Group: r.Group, Kind: string(r.Kind), Name: r.Member, Remove: true}
	_, written, err := changed(ctx, r.Params.Preview, h.service.ChangeMember(change))
	return RemoveMember200JSONResponse(written), err
}

func (h handlers) ListGrants(ctx context.Context, r ListGrantsRequestObject) (ListGrantsResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, r.Params.Below)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	grants, next, revision, err := h.service.ListGrants(ctx, caller, r.Scope, r.Params.Below, page.page)
	if err != nil {
		return nil, err
	}
	return ListGrants200JSONResponse{Grants: each(grants, grantOf), Next: page.next(next), Revision: int64(revision)}, nil
}

func (h handlers) CreateGrant(ctx context.Context, r CreateGrantRequestObject) (CreateGrantResponseObject, error) {
	grant, written, err := changed(ctx, r.Params.Preview, h.service.CreateGrant(newGrantOf(r.Scope, *r.Body)))
	if err != nil || r.Params.Preview {
		return CreateGrant200JSONResponse(written), err
	}
	return CreateGrant201JSONResponse{Grant: grantOf(grant), Revision: written.Revision}, nil
}

func (h handlers) RevokeGrant(ctx context.Context, r RevokeGrantRequestObject) (RevokeGrantResponseObject, error) {
	_, written, err := changed(ctx, r.Params.Preview, h.service.RevokeGrant(r.Grant))
	return RevokeGrant200JSONResponse(written), err
}

func (h handlers) EditGrant(ctx context.Context, r EditGrantRequestObject) (EditGrantResponseObject, error) {
	edit := change.GrantEdit{Condition: r.Body.Condition, Description: r.Body.Description}
	for _, moment := range []struct {
		given time.Time
		none  bool
		into  **time.Time
	}{{r.Body.From, r.Body.NoFrom, &edit.From}, {r.Body.Until, r.Body.NoUntil, &edit.Until}} {
		if moment.none || !moment.given.IsZero() {
			*moment.into = &moment.given
		}
	}
	_, written, err := changed(ctx, r.Params.Preview, h.service.EditGrant(r.Grant, edit))
	return EditGrant200JSONResponse(written), err
}

func (h handlers) MakeChanges(ctx context.Context, r MakeChangesRequestObject) (MakeChangesResponseObject, error) {
	member := func(m *api.MembershipWanted, remove bool) *change.MemberChange {
		return &change.MemberChange{Organisation: r.Organisation, Group: m.Group, Kind: string(m.Member.Kind), Name: m.Member.Name, Remove: remove}
	}
	for _, c := range r.Body.Changes {
		if c.CreateScope != nil && c.CreateScope.Scope.Id != "" {
			return nil, &problem.Problem{Kind: problem.Invalid, Detail: "scopes that are created together get their ids from Arbora", Next: "leave the id out", Field: "id"}
		}
	}
	wanted := each(r.Body.Changes, func(c api.ChangeWanted) change.Wanted {
		switch {
		case c.CreateGrant != nil:
			grant := newGrantOf(c.CreateGrant.Scope, c.CreateGrant.Grant)
			return change.Wanted{Grant: &grant}
		case c.AddMember != nil:
			return change.Wanted{Member: member(c.AddMember, false)}
		case c.RemoveMember != nil:
			return change.Wanted{Member: member(c.RemoveMember, true)}
		case c.TagPrincipal != nil:
			return change.Wanted{Tags: &change.TagsChange{Organisation: r.Organisation, Who: somebody(c.TagPrincipal.Principal.Kind, c.TagPrincipal.Principal.Name), Tags: c.TagPrincipal.Tags, Remove: c.TagPrincipal.Remove}}
		case c.CreateScope != nil:
			return change.Wanted{Scope: &change.ScopeWanted{Parent: c.CreateScope.Parent, Scope: newScopeOf(c.CreateScope.Scope)}}
		case c.SetState != nil:
			return change.Wanted{State: &change.StateChange{Organisation: r.Organisation, Who: somebody(c.SetState.Principal.Kind, c.SetState.Principal.Name), To: credential.State(c.SetState.State)}}
		}
		if policy := cmp.Or(c.SuspendPolicy, c.ResumePolicy, c.RemovePolicy); policy != "" {
			return change.Wanted{Policy: &change.PolicyChange{Policy: policy, Suspend: c.SuspendPolicy != "", Remove: c.RemovePolicy != ""}}
		}
		return change.Wanted{Revoke: c.RevokeGrant}
	})
	_, written, err := changed(ctx, r.Params.Preview, h.service.MakeAll(wanted))
	return MakeChanges200JSONResponse(written), err
}

func newGrantOf(scope string, g api.GrantNew) change.NewGrant {
	return change.NewGrant{
		Scope: scope, Kind: string(g.Principal.Kind), Name: g.Principal.Name,
		Role: g.Role, Description: g.Description, Condition: g.Condition, Period: periodOf(g.From, g.Until),
	}
}

func (h handlers) Check(ctx context.Context, r CheckRequestObject) (CheckResponseObject, error) {
	ctx, caller := who(ctx)
	asked := ask.CheckRequest{Scope: r.Scope, Rest: r.Body.Address, Permission: r.Body.Permission, Context: toldOf(r.Body.Context)}
	if p := r.Body.Principal; p != nil {
		asked.Kind, asked.Name = string(p.Kind), p.Name
	}
	answer, err := h.service.Check(ctx, caller, asked)
	if err != nil {
		return nil, err
	}
	return Check200JSONResponse(answerOf(answer)), nil
}

func (h handlers) ListHoldersBelow(ctx context.Context, r ListHoldersBelowRequestObject) (ListHoldersBelowResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, r.Body)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	below, err := h.service.HoldersBelow(ctx, caller, ask.CheckRequest{Scope: r.Scope, Permission: r.Body.Permission, Context: toldOf(r.Body.Context)}, page.page)
	if err != nil {
		return nil, err
	}
	return ListHoldersBelow200JSONResponse{WhatIf: claimed(r.Body.Context), Permission: below.Permission, Next: page.next(below.Next), Places: each(below.Places, func(p ask.HoldersThere) api.HoldersThere {
		return api.HoldersThere{Scope: refOf(p.At), Holders: each(p.Holders, func(v ask.HolderView) api.HolderThere {
			return api.HolderThere{Principal: principalRef(v.Principal), Title: v.Title, Conditional: v.Conditional}
		})}
	})}, nil
}

func (h handlers) ListHolders(ctx context.Context, r ListHoldersRequestObject) (ListHoldersResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, r.Body)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	holders, err := h.service.Holders(ctx, caller, ask.CheckRequest{Scope: r.Scope, Permission: r.Body.Permission, Context: toldOf(r.Body.Context)}, page.page)
	if err != nil {
		return nil, err
	}
	told := holdersOf(holders)
	told.WhatIf, told.Next = claimed(r.Body.Context), page.next(holders.Next)
	return ListHolders200JSONResponse(told), nil
}

// claimed reports whether a question gives claims, so that its answer is that of a what-if check.
func claimed(c *api.QuestionContext) bool { return c != nil && c.Claims != nil }

// who returns the caller of a route that needs one, which admit has seen to, and the request's own context: gin's is used
// again for the next request, and must not be handed to what may outlive this one.
func who(ctx context.Context) (context.Context, tenant.Caller) {
	ctx = requestOf(ctx).Context()
	caller, ok := callerOf(ctx)
	if !ok {
		panic("server: a route that needs a caller was not admitted")
	}
	return ctx, caller
}

// requestOf returns the request that a handler's context came with: gin hands its own context on.
func requestOf(ctx context.Context) *http.Request { return ctx.(*gin.Context).Request }

func text(optional *string) string {
	if optional == nil {
		return ""
	}
	return *optional
}

// changed makes a change or, for a preview, tells its impact: what the client hears of it then.
func changed[T any](ctx context.Context, preview bool, change plan.Change[T]) (made T, written api.Written, err error) {
	ctx, caller := who(ctx)
	if preview {
		written, err = previewed(change.Preview(ctx, caller))
		return made, written, err
	}
	made, revision, err := change.Make(ctx, caller)
	return made, api.Written{Revision: int64(revision)}, err
}

// previewed answers a preview.
func previewed(impact plan.Impact, err error) (api.Written, error) {
	told := impactOf(impact)
	return api.Written{Revision: int64(impact.Revision), Impact: &told}, err
}
