package server

import (
	"context"
	"time"

	"github.com/oapi-codegen/runtime/types"

	"arbora.example/access/catalogue"
	"arbora.example/api"
	"arbora.example/internal/ask"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

func (h handlers) ShowTrends(ctx context.Context, r ShowTrendsRequestObject) (ShowTrendsResponseObject, error) {
	ctx, caller := who(ctx)
	t, err := h.service.ShowTrends(ctx, caller, r.Organisation)
	if err != nil {
		return nil, err
	}
	told := ShowTrends200JSONResponse{Privileged: t.Privileged, Refused: t.Refused, Days: each(t.Days, func(d time.Time) types.Date { return types.Date{Time: d} })}
	if t.People != nil {
		told.People = each(ask.Agos, func(a ask.Ago) api.PeopleAgo { return api.PeopleAgo{Ago: api.Ago(a), Count: t.People[a]} })
	}
	return told, nil
}

func (h handlers) ShowHome(ctx context.Context, r ShowHomeRequestObject) (ShowHomeResponseObject, error) {
	ctx, caller := who(ctx)
	home, err := h.service.ShowHome(ctx, caller, r.Organisation)
	if err != nil {
		return nil, err
	}
	return ShowHome200JSONResponse{
		Mine: each(home.Mine, mineOf), MoreMine: home.MoreMine,
		Pending: each(home.Pending, func(w ask.PendingGuest) api.Waiting {
			return api.Waiting{Guest: principalRef(w.Guest), Since: w.Since}
		}),
		Ending: each(home.Ending, grantOf),
		Keys: each(home.Keys, func(k ask.StaleKey) api.KeyToMind {
			return api.KeyToMind{Id: k.Key.ID.String(), Label: k.Key.Label, Of: principalRef(k.Of), Unused: k.Unused, Until: k.Key.Until, LastUsedAt: k.Key.LastUsedAt}
		}),
		Privileged: each(home.Privileged, func(p ask.Privileged) api.Privileged {
			return api.Privileged{Who: principalRef(p.Who), At: each(p.At, refOf)}
		}),
		Strangers: each(home.Strangers, ruleOf),
		Refused: each(home.Refused, func(r store.RefusedTimes) api.RefusedTimes {
			return api.RefusedTimes{Who: r.Actor, Times: r.Times, Last: r.Last}
		}),
		Unread: each(home.Unread, func(u ask.Unread) api.UnreadDirectory {
			return api.UnreadDirectory{Provider: u.Provider.Name, Stopped: u.Outcome == "stopped", Why: u.Why, At: u.BeganAt}
		}),
		Skipped: each(home.Skipped, func(reason string) string { return reason }),
	}, nil
}

func mineOf(m ask.MyAccess) api.Mine {
	return api.Mine{Scope: refOf(m.At), Kind: m.Scope.TypeName(), Title: m.Title, Holds: holdsOf(m.Held, m.Conditional)}
}

func holdsOf(firm, perhaps map[catalogue.Plane][]catalogue.Class) []api.HeldClass {
	holds := []api.HeldClass{}
	for _, plane := range catalogue.Planes {
		for _, held := range []struct {
			classes     []catalogue.Class
			conditional bool
		}{{firm[plane], false}, {perhaps[plane], true}} {
			for _, class := range held.classes {
				holds = append(holds, api.HeldClass{Class: api.HeldClassClass(class), Plane: api.HeldClassPlane(plane), Conditional: held.conditional})
			}
		}
	}
	return holds
}

func (h handlers) ShowSpread(ctx context.Context, r ShowSpreadRequestObject) (ShowSpreadResponseObject, error) {
	ctx, caller := who(ctx)
	spread, err := h.service.ShowSpread(ctx, caller, r.Organisation, tenant.PrincipalRef{Kind: string(r.Kind), Name: r.Principal}, ask.SpreadAsked{At: r.Params.At, Each: r.Params.Each})
	if err != nil {
		return nil, err
	}
	return ShowSpread200JSONResponse{
		Principal: principalRef(spread.Principal), Revision: int64(spread.Revision),
		Nodes: each(spread.Nodes, func(n ask.SpreadNode) api.SpreadNode {
			return api.SpreadNode{Scope: nodeOf(n.Node), Visible: n.Told, Holds: holdsOf(n.Held, n.Conditional), Alike: n.Alike}
		}),
	}, nil
}
