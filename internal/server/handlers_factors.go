package server

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"strings"

	"github.com/skip2/go-qrcode"

	"arbora.example/api"
	"arbora.example/internal/credential"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/signin"
	"arbora.example/internal/store"
)

func tokenOf(text string) credential.Token { return credential.Token(strings.TrimSpace(text)) }

func (h handlers) ShowSecondFactor(ctx context.Context, _ ShowSecondFactorRequestObject) (ShowSecondFactorResponseObject, error) {
	ctx, caller := who(ctx)
	f, err := h.service.Factor(ctx, caller)
	if err != nil {
		return nil, err
	}
	return ShowSecondFactor200JSONResponse{InUse: f.InUse, Codes: f.Codes, Required: f.Required}, nil
}

// pictureSize is the width of QR codes, in pixels.
const pictureSize = 240

func (h handlers) BeginSecondFactor(ctx context.Context, _ BeginSecondFactorRequestObject) (BeginSecondFactorResponseObject, error) {
	ctx, caller := who(ctx)
	uri, seed, err := h.service.BeginFactor(ctx, caller)
	if err != nil {
		return nil, err
	}
	picture, err := qrcode.Encode(uri, qrcode.Medium, pictureSize)
	if err != nil {
		return nil, err
	}
	return BeginSecondFactor200JSONResponse{Uri: uri, Seed: seed, Picture: "data:image/png;base64," + base64.StdEncoding.EncodeToString(picture)}, nil
}

func (h handlers) ConfirmSecondFactor(ctx context.Context, r ConfirmSecondFactorRequestObject) (ConfirmSecondFactorResponseObject, error) {
	ctx, caller := who(ctx)
	codes, err := h.service.ConfirmFactor(ctx, caller, r.Body.Code)
	if err != nil {
		return nil, err
	}
	return ConfirmSecondFactor200JSONResponse{Codes: codes}, nil
}

func (h handlers) RemoveSecondFactor(ctx context.Context, r RemoveSecondFactorRequestObject) (RemoveSecondFactorResponseObject, error) {
	ctx, caller := who(ctx)
	return RemoveSecondFactor204Response{}, h.service.DropFactor(ctx, caller, r.Body.Password, r.Body.Code)
}

// ceremonyOf hands a browser's options on as they are.
func ceremonyOf(c signin.Ceremony) (told api.Ceremony, err error) {
	told.Token = string(c.Token)
	text, err := json.Marshal(c.Options)
	if err != nil {
		return told, err
	}
	return told, json.Unmarshal(text, &told.Options)
}

func (h handlers) BeginPasskey(ctx context.Context, _ BeginPasskeyRequestObject) (BeginPasskeyResponseObject, error) {
	ctx, caller := who(ctx)
	ceremony, err := h.service.BeginPasskey(ctx, caller)
	if err != nil {
		return nil, err
	}
	told, err := ceremonyOf(ceremony)
	return BeginPasskey200JSONResponse(told), err
}

func (h handlers) AddPasskey(ctx context.Context, r AddPasskeyRequestObject) (AddPasskeyResponseObject, error) {
	ctx, caller := who(ctx)
	answer, err := json.Marshal(r.Body.Answer)
	if err != nil {
		return nil, err
	}
	return AddPasskey204Response{}, h.service.AddPasskey(ctx, caller, tokenOf(r.Body.Token), r.Body.Label, answer)
}

func (h handlers) ListPasskeys(ctx context.Context, _ ListPasskeysRequestObject) (ListPasskeysResponseObject, error) {
	ctx, caller := who(ctx)
	keys, err := h.service.Passkeys(ctx, caller)
	if err != nil {
		return nil, err
	}
	return ListPasskeys200JSONResponse{Passkeys: each(keys, passkeyOf)}, nil
}

func passkeyOf(k store.Passkey) api.Passkey {
	return api.Passkey{Id: k.ID.String(), Label: k.Label, CreatedAt: k.CreatedAt, LastUsedAt: k.LastUsedAt}
}

func (h handlers) ListPasskeysOf(ctx context.Context, r ListPasskeysOfRequestObject) (ListPasskeysOfResponseObject, error) {
	ctx, caller := who(ctx)
	keys, err := h.service.PasskeysOf(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal))
	if err != nil {
		return nil, err
	}
	return ListPasskeysOf200JSONResponse{Passkeys: each(keys, passkeyOf)}, nil
}

func (h handlers) RemovePasskeyOf(ctx context.Context, r RemovePasskeyOfRequestObject) (RemovePasskeyOfResponseObject, error) {
	ctx, caller := who(ctx)
	return RemovePasskeyOf204Response{}, h.service.RemovePasskeyOf(ctx, caller, r.Organisation, somebody(r.Kind, r.Principal), r.Passkey)
}

func (h handlers) RemovePasskey(ctx context.Context, r RemovePasskeyRequestObject) (RemovePasskeyResponseObject, error) {
	ctx, caller := who(ctx)
	return RemovePasskey204Response{}, h.service.RemovePasskey(ctx, caller, r.Passkey)
}

func (h handlers) BeginPasskeySignIn(ctx context.Context, _ BeginPasskeySignInRequestObject) (BeginPasskeySignInResponseObject, error) {
	ceremony, err := h.service.BeginPasskeySignIn(requestOf(ctx).Context(), clientOf(ctx))
	if err != nil {
		return nil, err
	}
	told, err := ceremonyOf(ceremony)
	return BeginPasskeySignIn200JSONResponse(told), err
}

func (h handlers) SignInByPasskey(ctx context.Context, r SignInByPasskeyRequestObject) (SignInByPasskeyResponseObject, error) {
	request := requestOf(ctx)
	answer, err := json.Marshal(r.Body.Answer)
	if err != nil {
		return nil, err
	}
	caller, err := h.service.SignInByPasskey(request.Context(), tokenOf(r.Body.Token), answer, signin.SignInRequest{
		Organisation: r.Body.Organisation, From: clientOf(ctx), Agent: agentOf(request),
	})
	if err != nil {
		return nil, err
	}
	cookie := h.sessionCookie(string(caller.Token), 0)
	return SignInByPasskey200JSONResponse{Body: sessionOf(caller), Headers: SignInByPasskey200ResponseHeaders{SetCookie: cookie}}, nil
}

func (h handlers) ProveSession(ctx context.Context, r ProveSessionRequestObject) (ProveSessionResponseObject, error) {
	ctx, caller := who(ctx)
	if r.Body.Passkey == nil {
		return ProveSession204Response{}, h.service.Prove(ctx, caller, r.Body.Password)
	}
	answer, err := json.Marshal(r.Body.Passkey.Answer)
	if err != nil {
		return nil, err
	}
	return ProveSession204Response{}, h.service.ProveByPasskey(ctx, caller, tokenOf(r.Body.Passkey.Token), answer)
}

func (h handlers) ShowDevice(ctx context.Context, r ShowDeviceRequestObject) (ShowDeviceResponseObject, error) {
	ctx, caller := who(ctx)
	d, err := h.service.Device(ctx, caller, r.Body.Code)
	if err != nil {
		return nil, err
	}
	return ShowDevice200JSONResponse{Code: d.UserCode, Agent: d.Agent, From: d.From, AskedAt: d.MadeAt}, nil
}

func (h handlers) DecideDevice(ctx context.Context, r DecideDeviceRequestObject) (DecideDeviceResponseObject, error) {
	ctx, caller := who(ctx)
	return DecideDevice204Response{}, h.service.DecideDevice(ctx, caller, r.Body.Code, r.Body.Allow)
}
