package oauth_test

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/gin-gonic/gin"
	"github.com/go-jose/go-jose/v4"
	"github.com/stretchr/testify/require"

	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/server/oauth"
	"arbora.example/internal/signin"
	"arbora.example/internal/tenant"
)

// issuer answers everything with one error, and keeps who asked.
type issuer struct {
	err   error
	asked signin.Program
}

func (i *issuer) Address() string { return "https://arbora.example" }
func (i *issuer) IssueToken(_ context.Context, p signin.Program) (string, credential.AccessToken, error) {
	i.asked = p
	return "token", credential.AccessToken{}, i.err
}
func (i *issuer) Introspect(_ context.Context, p signin.Program, _ credential.Token, _ *tenant.PrincipalRef) (signin.Introspection, error) {
	i.asked = p
	return signin.Introspection{}, i.err
}
func (i *issuer) RevokeToken(_ context.Context, p signin.Program, _ credential.Token) error {
	i.asked = p
	return i.err
}
func (i *issuer) ExchangeOutside(context.Context, signin.OutsideProgram) (string, credential.AccessToken, error) {
	return "exchanged", credential.AccessToken{}, i.err
}
func (i *issuer) ExchangeToken(context.Context, credential.Token, string, string) (credential.Token, error) {
	return "exchanged", i.err
}
func (i *issuer) PublicKeys(context.Context) (jose.JSONWebKeySet, error) {
	return jose.JSONWebKeySet{}, i.err
}
func (i *issuer) AskForDevice(context.Context, string, string) (signin.DeviceCodes, error) {
	return signin.DeviceCodes{}, i.err
}
func (i *issuer) DeviceToken(context.Context, string, string) (tenant.Caller, error) {
	return tenant.Caller{}, i.err
}

// TestErrorsAreTheProtocols tells each error as RFC 6749, section 5.2, and RFC 8628, section 3.5, have it.
func TestErrorsAreTheProtocols(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	failed := 0
	i := &issuer{}
	engine := gin.New()
	oauth.Handler{Issuer: i, Fail: func(c *gin.Context, _ error) { failed++; c.Status(http.StatusInternalServerError) }}.Mount(engine)
	post := func(path string, form url.Values, basic bool) (*httptest.ResponseRecorder, map[string]any) {
		r := httptest.NewRequest(http.MethodPost, path, strings.NewReader(form.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		if basic {
			r.SetBasicAuth("id", "secret")
		}
		w := httptest.NewRecorder()
		engine.ServeHTTP(w, r)
		var answer map[string]any
		if w.Body.Len() > 0 {
			require.NoError(t, json.Unmarshal(w.Body.Bytes(), &answer))
		}
		return w, answer
	}
	machine := url.Values{"grant_type": {"client_credentials"}, "organisation": {"lindenmere"}}
	device := url.Values{"grant_type": {"urn:ietf:params:oauth:grant-type:device_code"}, "device_code": {"x"}}
	wrong := func(kind problem.ProblemKind) error {
		return &problem.Problem{Kind: kind, Detail: "what is wrong", Next: "what to do", RetryAfter: 7}
	}
	for _, c := range []struct {
		form   url.Values
		err    error
		status int
		code   string
		uri    any
	}{
		{machine, wrong(problem.NotSignedIn), 401, "invalid_client", "urn:arbora:problem:not-signed-in"},
		{machine, wrong(problem.Expired), 401, "invalid_client", "urn:arbora:problem:expired"},
		{machine, wrong(problem.Revoked), 401, "invalid_client", "urn:arbora:problem:revoked"},
		{machine, wrong(problem.Foreign), 401, "invalid_client", "urn:arbora:problem:foreign"},
		{machine, wrong(problem.TooOften), 429, "invalid_request", "urn:arbora:problem:too-often"},
		{machine, wrong(problem.Refused), 400, "unauthorized_client", "urn:arbora:problem:refused"},
		{machine, wrong(problem.NotThere), 400, "invalid_request", "urn:arbora:problem:not-there"},
		{device, signin.ErrDeviceWaits, 400, "authorization_pending", nil},
		{device, signin.ErrDeviceHasty, 400, "slow_down", nil},
		{device, signin.ErrDeviceRefused, 400, "access_denied", nil},
		{device, signin.ErrDeviceLate, 400, "expired_token", nil},
		{url.Values{}, nil, 400, "invalid_request", "urn:arbora:problem:invalid"},
		{url.Values{"grant_type": {"password"}}, nil, 400, "unsupported_grant_type", "urn:arbora:problem:invalid"},
	} {
		t.Run(c.code, func(t *testing.T) {
			i.err = c.err
			w, answer := post("/oauth/token", c.form, true)
			require.Equal(t, c.status, w.Code, c.code)
			require.Equal(t, c.code, answer["error"])
			require.Equal(t, c.uri, answer["error_uri"])
			require.Equal(t, "no-store", w.Header().Get("Cache-Control"))
			require.Equal(t, c.status == 401, w.Header().Get("WWW-Authenticate") != "")
			require.Equal(t, c.status == 429, w.Header().Get("Retry-After") == "7")
		})
	}
	i.err = errors.New("the records are gone")
	for _, path := range []string{"/oauth/token", "/oauth/introspection", "/oauth/revocation", "/oauth/device"} {
		w, _ := post(path, machine, true)
		require.Equal(t, 500, w.Code)
	}
	require.Equal(t, 4, failed, "what is no error of the protocol's is left to the server")

	i.err = nil
	_, _ = post("/oauth/token", machine, true)
	require.Equal(t, signin.Program{Key: "id", Secret: "secret", Organisation: "lindenmere", From: "192.0.2.1"}, i.asked)
	machine.Set("client_id", "id2")
	machine.Set("client_secret", "secret2")
	_, _ = post("/oauth/introspection", machine, false)
	require.Equal(t, credential.Secret("secret2"), i.asked.Secret, "by form as well as by header")
	w, answer := post("/oauth/revocation", machine, false)
	require.Equal(t, 200, w.Code)
	require.Empty(t, answer)
	_, answer = post("/oauth/introspection", machine, false)
	require.Equal(t, map[string]any{"active": false}, answer, "of what does not work nothing else is told")
}
