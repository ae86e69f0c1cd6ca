package server

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"arbora.example/api"
	"arbora.example/internal/change"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/signin"
)

func (h handlers) userMade(made change.UserMade) api.UserMade {
	told := api.UserMade{
		User: userOf(made.User), SignIn: made.SignIn.String(), Address: made.Address, Password: made.Password,
		Key: h.keyMadeOrNone(made.Key), Revision: int64(made.Revision),
	}
	if made.Link != nil {
		link := linkMadeOf(*made.Link)
		told.Link = &link
	}
	if made.Mailed != nil {
		mailed := mailedOf(*made.Mailed)
		told.Mailed = &mailed
	}
	return told
}

func mailedOf(m plan.Mailed) api.Mailed {
	return api.Mailed{To: m.To, Sent: m.Sent, Reason: m.Why}
}

func linkMadeOf(l signin.LinkMade) api.LinkMade {
	return api.LinkMade{Url: l.URL, Until: l.Until, Mailed: mailedOf(l.Mailed)}
}

func (h handlers) InviteGuest(ctx context.Context, r InviteGuestRequestObject) (InviteGuestResponseObject, error) {
	wanted := change.Invitation{
		Email: r.Body.Email, Title: r.Body.Title, Description: r.Body.Description, Tags: r.Body.Tags,
		Groups: r.Body.Groups, Grants: firstGrants(r.Body.Grants), AtMost: string(r.Body.AtMost),
	}
	made, written, err := changed(ctx, r.Params.Preview, h.service.Invite(r.Organisation, wanted))
	if err != nil {
		return nil, err
	}
	if r.Params.Preview {
		return InviteGuest200JSONResponse(written), nil
	}
	return InviteGuest201JSONResponse{Guest: userOf(made.Guest), Link: linkMadeOf(made.Link), Revision: int64(made.Revision)}, nil
}

func (h handlers) ResendInvitation(ctx context.Context, r ResendInvitationRequestObject) (ResendInvitationResponseObject, error) {
	ctx, caller := who(ctx)
	made, err := h.service.Reinvite(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal), r.Params.Reveal)
	if err != nil {
		return nil, err
	}
	return ResendInvitation200JSONResponse(linkMadeOf(made)), nil
}

func (h handlers) MailPasswordLink(ctx context.Context, r MailPasswordLinkRequestObject) (MailPasswordLinkResponseObject, error) {
	ctx, caller := who(ctx)
	if string(r.Kind) != string(api.OutsidePersonKind) { // of whom those choose one who are read from a directory
		if err := onlyUsers(r.Kind); err != nil {
			return nil, err
		}
	}
	made, err := h.service.MailPasswordLink(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal))
	if err != nil {
		return nil, err
	}
	return MailPasswordLink200JSONResponse(linkMadeOf(made)), nil
}

func (h handlers) ResetSecondFactor(ctx context.Context, r ResetSecondFactorRequestObject) (ResetSecondFactorResponseObject, error) {
	ctx, caller := who(ctx)
	if err := onlyUsers(r.Kind); err != nil {
		return nil, err
	}
	return ResetSecondFactor204Response{}, h.service.ResetFactor(ctx, caller, r.Organisation, r.Principal)
}

func onlyUsers(kind api.PrincipalKind) error {
	if kind == api.UserKind {
		return nil
	}
	return &problem.Problem{Kind: problem.Invalid, Detail: "only a user has a password that others reset", Next: "a guest is invited anew, a service account has keys", Field: "kind"}
}

func (h handlers) CreateNewcomers(ctx context.Context, r CreateNewcomersRequestObject) (CreateNewcomersResponseObject, error) {
	ctx, caller := who(ctx)
	if r.Params.Preview {
		reading, err := h.service.ReadNewcomers(ctx, caller, r.Organisation, r.Body.File)
		if err != nil {
			return nil, err
		}
		return CreateNewcomers200JSONResponse{Names: words(reading.Names), Faults: each(reading.Faults, faultOf), Impact: impactOrNone(reading.Impact)}, nil
	}
	newcomers, err := h.service.Newcomers(ctx, caller, r.Organisation, r.Body.File)
	if err != nil {
		return nil, err
	}
	return progress{handlers: h, newcomers: newcomers}, nil
}

// progress tells how far the making of many users is, a line of JSON at a time.
type progress struct {
	handlers
	newcomers *change.Newcomers
}

// VisitCreateNewcomersResponse writes the lines as they come.
func (p progress) VisitCreateNewcomersResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/x-ndjson")
	w.WriteHeader(http.StatusCreated)
	lines, flush := json.NewEncoder(w), http.NewResponseController(w)
	of := p.newcomers.Len()
	tell := func(line api.NewcomerProgress) error {
		return errors.Join(lines.Encode(line), flush.Flush())
	}
	var gone error
	// The asker's going away ends it before anything is written: what is told once would be lost.
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	made, err := p.newcomers.Make(ctx, func(done int) {
		if gone = tell(api.NewcomerProgress{Done: done, Of: of}); gone != nil {
			stop()
		}
	})
	if gone != nil {
		return gone
	}
	last := api.NewcomerProgress{Done: of, Of: of}
	if err != nil {
		problem := p.problem(err)
		last.Problem = &problem
	} else {
		list := each(made, p.userMade)
		last.Made = list
	}
	return tell(last)
}

// Links.

func linkOf(v signin.LinkView) api.Link {
	return api.Link{
		Purpose: api.LinkPurpose(v.Purpose), Organisation: v.OrganisationName, OrganisationTitle: v.OrganisationTitle, SignIn: v.SignIn,
		Title: v.Title, Known: v.Known, By: v.MadeBy, Until: v.Until,
	}
}

func (h handlers) ReadLink(ctx context.Context, r ReadLinkRequestObject) (ReadLinkResponseObject, error) {
	v, err := h.service.ReadLink(requestOf(ctx).Context(), tokenOf(r.Body.Token), clientOf(ctx))
	if err != nil {
		return nil, err
	}
	return ReadLink200JSONResponse(linkOf(v)), nil
}

func (h handlers) AskRecovery(ctx context.Context, r AskRecoveryRequestObject) (AskRecoveryResponseObject, error) {
	return AskRecovery202Response{}, h.service.AskRecovery(requestOf(ctx).Context(), r.Body.Address, clientOf(ctx))
}

func (h handlers) UseLink(ctx context.Context, r UseLinkRequestObject) (UseLinkResponseObject, error) {
	v, err := h.service.UseLink(requestOf(ctx).Context(), tokenOf(r.Body.Token), r.Body.Password, r.Body.Title, clientOf(ctx))
	if err != nil {
		return nil, err
	}
	return UseLink200JSONResponse(linkOf(v)), nil
}

func (h handlers) AcceptInvitation(ctx context.Context, r AcceptInvitationRequestObject) (AcceptInvitationResponseObject, error) {
	ctx, caller := who(ctx)
	v, err := h.service.AcceptInvitation(ctx, caller, tokenOf(r.Body.Token))
	if err != nil {
		return nil, err
	}
	return AcceptInvitation200JSONResponse(linkOf(v)), nil
}

func clientOf(ctx context.Context) string { return ctx.(*gin.Context).ClientIP() }
