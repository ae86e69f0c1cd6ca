// Package oauth speaks OAuth 2.0 for package service: it turns API keys into access tokens (RFC 6749, section 4.4; the
// tokens by RFC 9068), tells about them (RFC 7662), takes them back (RFC 7009), publishes what they are verified with
// (RFC 7517), lets people in at terminals (RFC 8628), and says where all this is (RFC 8414).
package oauth

import (
	"context"
	"errors"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/go-jose/go-jose/v4"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
	"arbora.example/internal/signin"
	"arbora.example/internal/tenant"
)

// Issuer makes tokens and knows them; package service does.
type Issuer interface {
	Address() string
	IssueToken(ctx context.Context, p signin.Program) (text string, token credential.AccessToken, err error)
	ExchangeOutside(ctx context.Context, p signin.OutsideProgram) (text string, token credential.AccessToken, err error)
	ExchangeToken(ctx context.Context, shown credential.Token, audience, from string) (credential.Token, error)
	Introspect(ctx context.Context, p signin.Program, token credential.Token, viewAs *tenant.PrincipalRef) (signin.Introspection, error)
	RevokeToken(ctx context.Context, p signin.Program, token credential.Token) error
	PublicKeys(ctx context.Context) (jose.JSONWebKeySet, error)
	AskForDevice(ctx context.Context, agent, from string) (signin.DeviceCodes, error)
	DeviceToken(ctx context.Context, code, from string) (tenant.Caller, error)
}

// Handler answers the requests of the protocol.
type Handler struct {
	Issuer Issuer
	Fail   func(*gin.Context, error) // answers with what an error that is none of the protocol's stands for
}

// The protocol's names.
const (
	clientCredentials = "client_credentials"
	deviceCode        = "urn:ietf:params:oauth:grant-type:device_code"
	tokenExchange     = "urn:ietf:params:oauth:grant-type:token-exchange" // RFC 8693
	accessTokenType   = "urn:ietf:params:oauth:token-type:access_token"
	jwtType           = "urn:ietf:params:oauth:token-type:jwt"
	idTokenType       = "urn:ietf:params:oauth:token-type:id_token"
)

// problemType begins the error_uri of errors that the API tells by the same type.
const problemType = "urn:arbora:problem:"

// Mount adds the routes to a router.
func (h Handler) Mount(router gin.IRouter) {
	read := []string{http.MethodGet, http.MethodHead}
	router.Match(read, "/.well-known/oauth-authorization-server", h.metadata)
	group := router.Group("/oauth")
	group.Match(read, "/keys", h.keys)
	group.POST("/token", h.token)
	group.POST("/introspection", h.introspect)
	group.POST("/revocation", h.revoke)
	group.POST("/device", h.device)
}

func (h Handler) metadata(c *gin.Context) {
	base := h.Issuer.Address()
	c.JSON(http.StatusOK, gin.H{
		"issuer":                                           base,
		"token_endpoint":                                   base + "/oauth/token",
		"introspection_endpoint":                           base + "/oauth/introspection",
		"revocation_endpoint":                              base + "/oauth/revocation",
		"jwks_uri":                                         base + "/oauth/keys",
		"device_authorization_endpoint":                    base + "/oauth/device",
		"grant_types_supported":                            []string{clientCredentials, deviceCode, tokenExchange},
		"response_types_supported":                         []string{},
		"token_endpoint_auth_methods_supported":            []string{"client_secret_basic", "client_secret_post", "private_key_jwt", "none"},
		"introspection_endpoint_auth_methods_supported":    []string{"client_secret_basic", "client_secret_post", "private_key_jwt"},
		"revocation_endpoint_auth_methods_supported":       []string{"client_secret_basic", "client_secret_post", "private_key_jwt"},
		"token_endpoint_auth_signing_alg_values_supported": []string{"RS256", "PS256", "ES256", "ES384", "EdDSA"},
	})
}

func (h Handler) keys(c *gin.Context) {
	set, err := h.Issuer.PublicKeys(c.Request.Context())
	if err != nil {
		h.Fail(c, err)
		return
	}
	c.Header("Cache-Control", "max-age=300")
	c.JSON(http.StatusOK, set)
}

// program reads who asks (RFC 6749, section 2.3.1).
func program(c *gin.Context) signin.Program {
	p := signin.Program{From: c.ClientIP(), Organisation: c.PostForm("organisation")}
	id, secret, basic := c.Request.BasicAuth()
	if !basic {
		id, secret = c.PostForm("client_id"), c.PostForm("client_secret")
	}
	p.Key, p.Secret = id, credential.Secret(secret)
	if c.PostForm("client_assertion_type") == credential.AssertionType {
		p.Assertion = c.PostForm("client_assertion")
	}
	return p
}

func (h Handler) token(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	switch grant := c.PostForm("grant_type"); grant {
	case clientCredentials:
		text, token, err := h.Issuer.IssueToken(c.Request.Context(), program(c))
		if err != nil {
			h.fail(c, err)
			return
		}
		c.JSON(http.StatusOK, gin.H{"access_token": text, "token_type": "Bearer", "expires_in": int(token.Until.Sub(token.IssuedAt).Seconds())})
	case deviceCode:
		caller, err := h.Issuer.DeviceToken(c.Request.Context(), c.PostForm("device_code"), c.ClientIP())
		if err != nil {
			h.failDevice(c, err)
			return
		}
		c.JSON(http.StatusOK, gin.H{"access_token": string(caller.Token), "token_type": "Bearer", "expires_in": int(caller.EndsAt.Sub(caller.SignedInAt).Seconds())})
	case tokenExchange:
		if kind := c.PostForm("subject_token_type"); kind == jwtType || kind == idTokenType {
			h.exchangeOutside(c)
			return
		}
		token, err := h.Issuer.ExchangeToken(c.Request.Context(), credential.Token(c.PostForm("subject_token")), c.PostForm("audience"), c.ClientIP())
		if err != nil {
			h.fail(c, err)
			return
		}
		c.JSON(http.StatusOK, gin.H{
			"access_token": string(token), "issued_token_type": accessTokenType, "token_type": "Bearer", "expires_in": int(credential.ExchangedFor.Seconds()),
		})
	case "":
		tell(c, http.StatusBadRequest, "invalid_request", &problem.Problem{Kind: problem.Invalid, Detail: "grant_type is missing", Next: "send a form with client_credentials or " + deviceCode})
	default:
		tell(c, http.StatusBadRequest, "unsupported_grant_type", &problem.Problem{Kind: problem.Invalid, Detail: "grant_type cannot be " + strconv.Quote(grant), Next: "use client_credentials or " + deviceCode})
	}
}

// exchangeOutside takes a token that somebody else's issuer signed for a program, for an access token of the service account that it may become
// (RFC 8693). The account is told by its address, or its key by client_id.
func (h Handler) exchangeOutside(c *gin.Context) {
	text, token, err := h.Issuer.ExchangeOutside(c.Request.Context(), signin.OutsideProgram{
		Token: c.PostForm("subject_token"), Account: c.PostForm("account"), Key: c.PostForm("client_id"), From: c.ClientIP(),
	})
	if err != nil {
		h.fail(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"access_token": text, "issued_token_type": accessTokenType, "token_type": "Bearer", "expires_in": int(token.Until.Sub(token.IssuedAt).Seconds())})
}

func (h Handler) introspect(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	var viewAs *tenant.PrincipalRef
	if kind, name, ok := strings.Cut(c.PostForm("view_as"), " "); ok {
		viewAs = &tenant.PrincipalRef{Kind: kind, Name: name}
	}
	told, err := h.Issuer.Introspect(c.Request.Context(), program(c), credential.Token(c.PostForm("token")), viewAs)
	if err != nil {
		h.fail(c, err)
		return
	}
	answer := gin.H{"active": told.Active}
	if told.Active {
		answer["iss"], answer["sub"], answer["username"], answer["kind"] = h.Issuer.Address(), told.Subject.String(), told.Name, told.Kind.String()
		answer["token_type"], answer["exp"] = "Bearer", told.Until.Unix()
		if told.From != "" {
			answer["from"] = told.From
		}
		if told.Looker != "" {
			answer["act"] = gin.H{"sub": told.Looker} // RFC 8693, section 4.1
		}
		if told.Organisation != "" {
			answer["organisation"] = told.Organisation
		}
		if len(told.Formerly) > 0 {
			answer["organisation_formerly"] = told.Formerly
		}
		if told.Key != (model.ID{}) && told.From == "" {
			answer["client_id"], answer["jti"], answer["iat"], answer["aud"] = told.Key.String(), told.Token.String(), told.IssuedAt.Unix(), h.Issuer.Address()
		}
	}
	c.JSON(http.StatusOK, answer)
}

func (h Handler) revoke(c *gin.Context) {
	if err := h.Issuer.RevokeToken(c.Request.Context(), program(c), credential.Token(c.PostForm("token"))); err != nil {
		h.fail(c, err)
		return
	}
	c.Status(http.StatusOK)
}

func (h Handler) device(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	codes, err := h.Issuer.AskForDevice(c.Request.Context(), strings.TrimSpace(c.PostForm("client_id")), c.ClientIP())
	if err != nil {
		h.fail(c, err)
		return
	}
	page := h.Issuer.Address() + "/#/device"
	c.JSON(http.StatusOK, gin.H{
		"device_code": codes.Device, "user_code": codes.User, "verification_uri": page, "verification_uri_complete": page + "/" + codes.User,
		"expires_in": int(credential.DeviceWaits.Seconds()), "interval": int(credential.DevicePause.Seconds()),
	})
}

// failDevice tells why a terminal is not let in (RFC 8628, section 3.5).
func (h Handler) failDevice(c *gin.Context, err error) {
	for cause, code := range map[error]string{
		signin.ErrDeviceWaits: "authorization_pending", signin.ErrDeviceHasty: "slow_down",
		signin.ErrDeviceRefused: "access_denied", signin.ErrDeviceLate: "expired_token",
	} {
		if errors.Is(err, cause) {
			c.JSON(http.StatusBadRequest, gin.H{"error": code, "error_description": err.Error()})
			return
		}
	}
	h.fail(c, err)
}

// fail tells a problem as RFC 6749, section 5.2, does.
func (h Handler) fail(c *gin.Context, err error) {
	var p *problem.Problem
	if !errors.As(err, &p) {
		h.Fail(c, err)
		return
	}
	switch p.Kind {
	case problem.NotSignedIn, problem.Expired, problem.Revoked, problem.Foreign:
		c.Header("WWW-Authenticate", `Basic realm="arbora"`)
		tell(c, http.StatusUnauthorized, "invalid_client", p)
	case problem.TooOften:
		c.Header("Retry-After", strconv.Itoa(p.RetryAfter))
		tell(c, http.StatusTooManyRequests, "invalid_request", p)
	case problem.Refused:
		tell(c, http.StatusBadRequest, "unauthorized_client", p)
	default:
		tell(c, http.StatusBadRequest, "invalid_request", p)
	}
}

// tell answers with a problem. Besides what RFC 6749 has it says apart what is wrong and what to do, as the API does.
func tell(c *gin.Context, status int, code string, p *problem.Problem) {
	answer := gin.H{"error": code, "error_description": p.Error(), "error_uri": problemType + string(p.Kind), "detail": p.Detail}
	if p.Next != "" {
		answer["next"] = p.Next
	}
	c.JSON(status, answer)
}
