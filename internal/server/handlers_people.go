package server

import (
	"context"
	"net/http"
	"slices"
	"time"

	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/internal/ask"
	"arbora.example/internal/change"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/settings"
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

func somebody(kind api.PrincipalKind, name string) tenant.PrincipalRef {
	return tenant.PrincipalRef{Kind: string(kind), Name: name}
}

func somebodyOrNone(p *api.PrincipalRef) tenant.PrincipalRef {
	if p == nil {
		return tenant.PrincipalRef{}
	}
	return somebody(p.Kind, p.Name)
}

func (h handlers) ShowPrincipal(ctx context.Context, r ShowPrincipalRequestObject) (ShowPrincipalResponseObject, error) {
	ctx, caller := who(ctx)
	view, err := h.service.ShowPrincipal(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal))
	if err != nil {
		return nil, err
	}
	return ShowPrincipal200JSONResponse(principalOf(view)), nil
}

func (h handlers) ShowReach(ctx context.Context, r ShowReachRequestObject) (ShowReachResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	reach, err := h.service.Reach(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal), page.page)
	if err != nil {
		return nil, err
	}
	told := reachOf(reach)
	told.Next = page.next(reach.Next)
	return ShowReach200JSONResponse(told), nil
}

func (h handlers) ShowPowers(ctx context.Context, r ShowPowersRequestObject) (ShowPowersResponseObject, error) {
	ctx, caller := who(ctx)
	powers, err := h.service.Powers(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal))
	if err != nil {
		return nil, err
	}
	return ShowPowers200JSONResponse{
		Principal: principalRef(powers.Principal), Hidden: powers.Hidden, Revision: int64(powers.Revision),
		Powers: each(powers.Powers, func(p ask.PowerView) api.Power {
			return api.Power{Scope: refOf(p.At), Way: p.Way, Gains: words(p.Gains)}
		}),
	}, nil
}

func (h handlers) EditPrincipal(ctx context.Context, r EditPrincipalRequestObject) (EditPrincipalResponseObject, error) {
	edit := change.Edit{
		Name: r.Body.Name, Title: r.Body.Title, Description: r.Body.Description, Email: r.Body.Email,
		Tags: value(r.Body.Tags), Gathers: r.Body.Gathers, Was: asRead(r.Body.Was),
	}
	if by := credential.SignInBy(r.Body.SignInBy); by != "" {
		edit.SignInBy = &by
	}
	if r.Body.Owner != nil || r.Body.NoOwner {
		owner := somebodyOrNone(r.Body.Owner)
		edit.Owner = &owner
	}
	who := somebody(r.Kind, r.Principal)
	_, written, err := changed(ctx, r.Params.Preview, h.service.EditPrincipal(r.Organisation, who, edit))
	return EditPrincipal200JSONResponse(written), err
}

func (h handlers) SetState(ctx context.Context, r SetStateRequestObject) (SetStateResponseObject, error) {
	who, to := somebody(r.Kind, r.Principal), credential.State(r.Body.State)
	_, written, err := changed(ctx, r.Params.Preview, h.service.SetState(r.Organisation, who, to))
	return SetState200JSONResponse(written), err
}

func (h handlers) HandOver(ctx context.Context, r HandOverRequestObject) (HandOverResponseObject, error) {
	over := change.HandOver{To: somebody(r.Body.Kind, r.Body.Name), Grants: r.Body.Grants, Groups: r.Body.Groups}
	_, written, err := changed(ctx, r.Params.Preview, h.service.HandOver(r.Organisation, somebody(r.Kind, r.Principal), over))
	return HandOver200JSONResponse(written), err
}

func (h handlers) ResetPassword(ctx context.Context, r ResetPasswordRequestObject) (ResetPasswordResponseObject, error) {
	ctx, caller := who(ctx)
	if r.Kind != api.UserKind {
		return nil, &problem.Problem{Kind: problem.Invalid, Detail: "only a user has a password that others reset", Next: "a guest is invited anew, a service account has keys", Field: "kind"}
	}
	password, revision, err := h.service.ResetPassword(ctx, caller, r.Organisation, r.Principal, store.Reset{Passkeys: !r.Params.KeepPasskeys, Keys: !r.Params.KeepKeys})
	if err != nil {
		return nil, err
	}
	return ResetPassword200JSONResponse{Password: password, Revision: int64(revision)}, nil
}

func (h handlers) CreateServiceAccount(ctx context.Context, r CreateServiceAccountRequestObject) (CreateServiceAccountResponseObject, error) {
	wanted := change.NewAccount{Name: r.Body.Name, Title: r.Body.Title, Description: r.Body.Description, Tags: r.Body.Tags}
	made, written, err := changed(ctx, r.Params.Preview, h.service.CreateServiceAccount(r.Scope, wanted))
	if err != nil || r.Params.Preview {
		return CreateServiceAccount200JSONResponse(written), err
	}
	return CreateServiceAccount201JSONResponse{Account: accountOf(made), Revision: written.Revision}, nil
}

func (h handlers) ListServiceAccounts(ctx context.Context, r ListServiceAccountsRequestObject) (ListServiceAccountsResponseObject, error) {
	q := r.Params
	page, err := pagingOf(ctx, q.After, q.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	list, err := h.service.ListServiceAccounts(ctx, caller, r.Scope, page.listing(q.Find, string(q.Sort), q.Descending), ask.Narrowed{
		State: credential.State(q.State), Tag: q.Tag,
	})
	if err != nil {
		return nil, err
	}
	return ListServiceAccounts200JSONResponse{Accounts: each(list.Items, accountOf), Found: list.Found, All: list.All, Next: page.next(list.Next)}, nil
}

func accountOf(a ask.AccountView) api.Account {
	return api.Account{Id: a.ID.String(), Name: a.Name, Address: a.Address, Title: a.Title, State: api.State(a.State), CreatedAt: a.CreatedAt}
}

func (h handlers) ShowSettings(ctx context.Context, r ShowSettingsRequestObject) (ShowSettingsResponseObject, error) {
	ctx, caller := who(ctx)
	settings, err := h.service.Settings(ctx, caller, r.Organisation)
	if err != nil {
		return nil, err
	}
	told := ShowSettings200JSONResponse{
		KeysEach: settings.KeysEach, ForbidSignedIn: settings.ForbidSignedIn, ForbidPublic: settings.ForbidPublic,
		Everybody: demandsOf(settings.Everybody), Governing: demandsOf(settings.Governing),
	}
	if settings.Services != nil {
		told.Services = &settings.Services
	}
	return told, nil
}

func (h handlers) ChangeSettings(ctx context.Context, r ChangeSettingsRequestObject) (ChangeSettingsResponseObject, error) {
	var was *settings.Settings
	if r.Body.Was != nil {
		read := settingsFrom(*r.Body.Was)
		was = &read
	}
	wanted := settingsFrom(r.Body.Settings)
	_, written, err := changed(ctx, r.Params.Preview, h.service.ChangeSettings(r.Organisation, wanted, was))
	return ChangeSettings200JSONResponse(written), err
}

// demandsOf tells demands, and nothing of what is not demanded.
func demandsOf(d settings.Demands) api.Demands {
	told := api.Demands{Idle: d.Idle, Life: d.Life, Networks: d.Networks}
	for _, f := range d.Factors {
		told.Factors = append(told.Factors, api.Factor(f))
	}
	return told
}

func demandsFrom(d api.Demands) settings.Demands {
	wanted := settings.Demands{Idle: d.Idle, Life: d.Life}
	for _, f := range settings.AllFactors {
		if slices.Contains(d.Factors, api.Factor(f)) {
			wanted.Factors = append(wanted.Factors, f) // in one order, so that the same is the same
		}
	}
	if networks := d.Networks; len(networks) > 0 {
		wanted.Networks = networks
	}
	return wanted
}

func settingsFrom(s api.Settings) settings.Settings {
	return settings.Settings{
		KeysEach: s.KeysEach, ForbidSignedIn: s.ForbidSignedIn, ForbidPublic: s.ForbidPublic, Services: value(s.Services),
		Everybody: demandsFrom(s.Everybody), Governing: demandsFrom(s.Governing),
	}
}

// Keys.

func newKeyOf(k api.KeyNew) signin.NewKey {
	return signin.NewKey{Label: k.Label, Until: k.Until.UTC(), Governs: k.Governs, Follows: k.Follows, PublicKey: k.PublicKey, Tokens: tokensFrom(k.Tokens)}
}

func (h handlers) keyOf(k store.Key) api.Key {
	state := api.KeyWorks
	if !k.Until.IsZero() && !h.service.Now().Before(k.Until) {
		state = api.KeyEnded
	}
	return api.Key{
		Id: k.ID.String(), Label: k.Label, CreatedAt: k.CreatedAt, CreatedBy: k.CreatedBy, Until: k.Until,
		LastUsedAt: k.LastUsedAt, LastUsedFrom: k.LastUsedFrom, State: state, Governs: k.Governs, Follows: k.Follows, Thumbprint: k.Thumbprint(), Tokens: tokensOf(k.Tokens),
	}
}

func (h handlers) keyMade(k signin.KeyMade) api.KeyMade {
	return api.KeyMade{Key: h.keyOf(k.Key), Secret: string(k.Secret)}
}

func (h handlers) keyMadeOrNone(k *signin.KeyMade) *api.KeyMade {
	if k == nil {
		return nil
	}
	made := h.keyMade(*k)
	return &made
}

func (h handlers) ListKeys(ctx context.Context, r ListKeysRequestObject) (ListKeysResponseObject, error) {
	ctx, caller := who(ctx)
	keys, most, err := h.service.Keys(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal))
	if err != nil {
		return nil, err
	}
	return ListKeys200JSONResponse{Keys: each(keys, h.keyOf), Most: most}, nil
}

func (h handlers) CreateKey(ctx context.Context, r CreateKeyRequestObject) (CreateKeyResponseObject, error) {
	ctx, caller := who(ctx)
	made, err := h.service.CreateKey(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal), newKeyOf(*r.Body))
	if err != nil {
		return nil, err
	}
	return CreateKey201JSONResponse(h.keyMade(made)), nil
}

func (h handlers) ListIssuedKeys(ctx context.Context, r ListIssuedKeysRequestObject) (ListIssuedKeysResponseObject, error) {
	ctx, caller := who(ctx)
	keys, hidden, err := h.service.KeysIssuedBy(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal))
	if err != nil {
		return nil, err
	}
	told := ListIssuedKeys200JSONResponse{Hidden: hidden}
	told.Keys = make([]struct {
		Key api.Key          `json:"key"`
		Of  api.PrincipalRef `json:"of"`
	}, len(keys))
	for i, k := range keys {
		told.Keys[i].Key, told.Keys[i].Of = h.keyOf(k.Key), api.PrincipalRef{Kind: api.PrincipalKind(k.Of.Kind.String()), Name: k.Of.Name}
	}
	return told, nil
}

func (h handlers) ExchangeKey(ctx context.Context, r ExchangeKeyRequestObject) (ExchangeKeyResponseObject, error) {
	ctx, caller := who(ctx)
	made, err := h.service.ExchangeKey(ctx, caller, r.Key, time.Duration(value(r.Body.KeepOldFor))*time.Minute)
	if err != nil {
		return nil, err
	}
	return ExchangeKey201JSONResponse(h.keyMade(made)), nil
}

func (h handlers) WithdrawKey(ctx context.Context, r WithdrawKeyRequestObject) (WithdrawKeyResponseObject, error) {
	ctx, caller := who(ctx)
	return WithdrawKey204Response{}, h.service.WithdrawKey(ctx, caller, r.Key)
}

func (h handlers) ListOwnKeys(ctx context.Context, _ ListOwnKeysRequestObject) (ListOwnKeysResponseObject, error) {
	ctx, caller := who(ctx)
	keys, most, err := h.service.OwnKeys(ctx, caller)
	if err != nil {
		return nil, err
	}
	return ListOwnKeys200JSONResponse{Keys: each(keys, h.keyOf), Most: most}, nil
}

func (h handlers) CreateOwnKey(ctx context.Context, r CreateOwnKeyRequestObject) (CreateOwnKeyResponseObject, error) {
	ctx, caller := who(ctx)
	made, err := h.service.CreateOwnKey(ctx, caller, newKeyOf(*r.Body))
	if err != nil {
		return nil, err
	}
	return CreateOwnKey201JSONResponse(h.keyMade(made)), nil
}

func (h handlers) ListServiceKeys(ctx context.Context, r ListServiceKeysRequestObject) (ListServiceKeysResponseObject, error) {
	ctx, caller := who(ctx)
	keys, err := h.service.ServiceKeys(ctx, caller, r.Service)
	if err != nil {
		return nil, err
	}
	return ListServiceKeys200JSONResponse{Keys: each(keys, h.keyOf), Most: settings.DefaultSettings().KeysEach}, nil
}

func (h handlers) CreateServiceKey(ctx context.Context, r CreateServiceKeyRequestObject) (CreateServiceKeyResponseObject, error) {
	ctx, caller := who(ctx)
	made, err := h.service.CreateServiceKey(ctx, caller, r.Service, newKeyOf(*r.Body))
	if err != nil {
		return nil, err
	}
	return CreateServiceKey201JSONResponse(h.keyMade(made)), nil
}

// What everybody does with their own sessions.

func (h handlers) SwitchOrganisation(ctx context.Context, r SwitchOrganisationRequestObject) (SwitchOrganisationResponseObject, error) {
	ctx, caller := who(ctx)
	caller, err := h.service.Switch(ctx, caller, r.Body.Organisation)
	if err != nil {
		return nil, err
	}
	return SwitchOrganisation200JSONResponse(sessionOf(caller)), nil
}

func (h handlers) ListSeats(ctx context.Context, _ ListSeatsRequestObject) (ListSeatsResponseObject, error) {
	ctx, caller := who(ctx)
	seats, err := h.service.Seats(ctx, caller)
	if err != nil {
		return nil, err
	}
	return ListSeats200JSONResponse{Seats: each(seats, func(seat store.Seat) api.Seat {
		return api.Seat{Organisation: seat.Name, Title: seat.Title, Kind: api.PrincipalKind(seat.Kind), Here: seat.Organisation == caller.Organisation}
	})}, nil
}

func (h handlers) ListSessions(ctx context.Context, _ ListSessionsRequestObject) (ListSessionsResponseObject, error) {
	ctx, caller := who(ctx)
	sessions, err := h.service.Sessions(ctx, caller)
	if err != nil {
		return nil, err
	}
	return ListSessions200JSONResponse{Sessions: each(sessions, sessionFor(caller))}, nil
}

// sessionFor converts sessions as one who may be in one of them sees them.
func sessionFor(caller tenant.Caller) func(store.Session) api.OpenSession {
	return func(s store.Session) api.OpenSession {
		return api.OpenSession{
			Id: s.ID.String(), Organisation: s.OrganisationName, SignedInAt: s.SignedInAt, LastUsedAt: s.LastUsedAt,
			From: s.From, Agent: s.Agent, Here: s.ID == caller.Session,
		}
	}
}

func (h handlers) ListSessionsOf(ctx context.Context, r ListSessionsOfRequestObject) (ListSessionsOfResponseObject, error) {
	ctx, caller := who(ctx)
	sessions, err := h.service.SessionsOf(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal))
	if err != nil {
		return nil, err
	}
	return ListSessionsOf200JSONResponse{Sessions: each(sessions, sessionFor(caller))}, nil
}

func (h handlers) RevokeSessionOf(ctx context.Context, r RevokeSessionOfRequestObject) (RevokeSessionOfResponseObject, error) {
	ctx, caller := who(ctx)
	return RevokeSessionOf204Response{}, h.service.RevokeSessionOf(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal), r.Session)
}

func (h handlers) RevokeSession(ctx context.Context, r RevokeSessionRequestObject) (RevokeSessionResponseObject, error) {
	ctx, caller := who(ctx)
	return RevokeSession204Response{}, h.service.RevokeSession(ctx, caller, r.Session)
}

// agentOf returns what the calling program calls itself, cut to what is kept.
func agentOf(r *http.Request) string {
	const most = 200
	agent := []rune(r.UserAgent())
	return string(agent[:min(len(agent), most)])
}

// kindOf returns what a caller is.
func kindOf(c tenant.Caller) string {
	if c.Identity.Keeper {
		return "keeper"
	}
	if c.Kind == 0 {
		return model.User.String()
	}
	return c.Kind.String()
}
