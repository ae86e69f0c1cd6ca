package identity

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	_ "embed"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"maps"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"

	"arbora.example/internal/loopback"
	"arbora.example/internal/standin/webpage"
)

// The client that Arbora is to the provider.
const (
	ClientID = "arbora"
	Secret   = "reeds-by-the-quay"
)

// Provider is a provider that answers.
type Provider struct {
	Title string
	// Alter, when it is not nil, alters what an ID token says before it is signed; tests of what is refused use it.
	Alter func(claims map[string]any)
	// ClientKeys, when it is not empty, is where the client's keys are read: it signs for itself then, in place of showing a secret.
	ClientKeys string
	// Sign, when it is not nil, signs in place of the provider's own key.
	Sign func(claims any) (string, error)

	// Took, when it is not nil, is told how long each request took; measures use it.
	Took func(path string, took time.Duration)

	people people
	key    jose.JSONWebKey
	issuer string
	server *http.Server

	mu       sync.Mutex
	sessions map[string]session // by what the browser shows
	codes    map[string]code
	tokens   map[string]string // subjects, by access token
}

// session is somebody who is signed in at the provider.
type session struct {
	subject, sid string
	at           time.Time
	returns      map[string]bool // the redirect URIs of clients that were told
}

// code is a code on its way, with what it was asked for by.
type code struct {
	subject, sid, nonce, challenge, redirect string
	at                                       time.Time
}

// Start has a provider answer at an address; port 0 takes a free one.
func Start(address, title string, known []Person) (*Provider, error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, err
	}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, errors.Join(err, listener.Close())
	}
	_, port, err := net.SplitHostPort(listener.Addr().String())
	if err != nil {
		return nil, errors.Join(err, listener.Close())
	}
	p := &Provider{
		Title: title, people: people{list: known}, issuer: "http://localhost:" + port,
		key:      jose.JSONWebKey{Key: key, KeyID: rand.Text()[:8], Algorithm: string(jose.ES256), Use: "sig"},
		sessions: map[string]session{}, codes: map[string]code{}, tokens: map[string]string{},
	}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/openid-configuration", p.describe)
	mux.HandleFunc("GET /keys", p.keys)
	mux.HandleFunc("GET /authorize", p.authorize)
	mux.HandleFunc("POST /authorize", p.choose)
	mux.HandleFunc("POST /token", p.token)
	mux.HandleFunc("GET /userinfo", p.information)
	mux.HandleFunc("GET /end-session", p.endSession)
	mux.HandleFunc("GET /program-token", p.programToken)
	mux.HandleFunc("GET /{$}", p.show)
	mux.HandleFunc("POST /people", p.edit)
	mux.HandleFunc("POST /push", p.push)
	p.server = &http.Server{ReadHeaderTimeout: 10 * time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !loopback.Resists(r.Host) {
			http.Error(w, "Open this page by its address: "+p.issuer, http.StatusMisdirectedRequest)
			return
		}
		began := time.Now()
		mux.ServeHTTP(w, r)
		if p.Took != nil {
			p.Took(r.URL.Path, time.Since(began))
		}
	})}
	go p.server.Serve(listener) //nolint:errcheck // it ends with Close
	return p, nil
}

// Issuer is the provider's address.
func (p *Provider) Issuer() string { return p.issuer }

// Close ends the provider.
func (p *Provider) Close() error { return p.server.Close() }

// Put keeps somebody in place of whoever has the subject.
func (p *Provider) Put(person Person) { p.people.put(person) }

// Leave has somebody leave: they sign in no more, and clients are told that their sessions have ended.
func (p *Provider) Leave(ctx context.Context, subject string) error {
	p.people.drop(subject)
	return p.endAll(ctx, subject)
}

// Gone has somebody leave, and tells nobody: what is pushed next does.
func (p *Provider) Gone(subject string) { p.people.drop(subject) }

func writeJSON(w http.ResponseWriter, status int, value any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(value) //nolint:errcheck // whoever asked went away
}

func (p *Provider) describe(w http.ResponseWriter, _ *http.Request) {
	writeJSON(w, http.StatusOK, map[string]any{
		"issuer": p.issuer, "authorization_endpoint": p.issuer + "/authorize", "token_endpoint": p.issuer + "/token", "jwks_uri": p.issuer + "/keys",
		"userinfo_endpoint": p.issuer + "/userinfo", "end_session_endpoint": p.issuer + "/end-session",
		"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"ES256"},
		"code_challenge_methods_supported": []string{"S256"}, "authorization_response_iss_parameter_supported": true,
		"backchannel_logout_supported": true, "backchannel_logout_session_supported": true, "scopes_supported": []string{"openid", "profile", "email"},
	})
}

func (p *Provider) keys(w http.ResponseWriter, _ *http.Request) {
	p.mu.Lock()
	defer p.mu.Unlock()
	writeJSON(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{p.key.Public()}})
}

// Rotate has the provider sign by another key from now on.
func (p *Provider) Rotate() error {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.key = jose.JSONWebKey{Key: key, KeyID: rand.Text()[:8], Algorithm: string(jose.ES256), Use: "sig"}
	return nil
}

const cookieName = "stand-in-identity"

// signedIn returns who is signed in at the provider in a browser.
func (p *Provider) signedIn(r *http.Request) (shown string, s session, ok bool) {
	cookie, err := r.Cookie(cookieName)
	if err != nil {
		return "", s, false
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	s, ok = p.sessions[cookie.Value]
	return cookie.Value, s, ok
}

// authorize answers at once for whoever is signed in already, and else asks who it is.
func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if err := p.mayAsk(q); err != "" {
		http.Error(w, err, http.StatusBadRequest)
		return
	}
	if shown, s, ok := p.signedIn(r); ok && q.Get("prompt") != "login" && q.Get("max_age") != "0" && p.people.find(s.subject) != nil {
		p.answer(w, r, q, shown)
		return
	}
	render(w, choosePage, map[string]any{"Title": p.Title, "People": p.people.all(), "Query": r.URL.RawQuery})
}

// mayAsk says what is wrong with a question; empty for nothing. Only clients on this machine are answered.
func (p *Provider) mayAsk(q url.Values) string {
	back, err := url.Parse(q.Get("redirect_uri"))
	switch {
	case q.Get("client_id") != ClientID:
		return "This client is not known."
	case err != nil || back.Hostname() != "localhost" && back.Hostname() != "127.0.0.1":
		return "Answers go to this machine alone."
	case q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" || q.Get("code_challenge") == "":
		return "Ask for a code, with a challenge by S256 (RFC 7636)."
	}
	return ""
}

// choose signs in whoever was chosen on the page.
func (p *Provider) choose(w http.ResponseWriter, r *http.Request) {
	q, err := url.ParseQuery(r.FormValue("query"))
	if err != nil || p.mayAsk(q) != "" {
		http.Error(w, "Begin once more.", http.StatusBadRequest)
		return
	}
	if r.FormValue("subject") == "" {
		p.back(w, r, q, url.Values{"error": {"access_denied"}, "error_description": {"nobody signed in"}})
		return
	}
	if p.people.find(r.FormValue("subject")) == nil {
		http.Error(w, "Nobody of that name is here.", http.StatusBadRequest)
		return
	}
	shown := rand.Text()
	p.mu.Lock()
	p.sessions[shown] = session{subject: r.FormValue("subject"), sid: rand.Text(), at: time.Now(), returns: map[string]bool{}}
	p.mu.Unlock()
	http.SetCookie(w, &http.Cookie{Name: cookieName, Value: shown, Path: "/", HttpOnly: true, SameSite: http.SameSiteLaxMode})
	p.answer(w, r, q, shown)
}

// answer sends a browser back with a code.
func (p *Provider) answer(w http.ResponseWriter, r *http.Request, q url.Values, shown string) {
	made := rand.Text()
	p.mu.Lock()
	s := p.sessions[shown]
	s.returns[q.Get("redirect_uri")] = true
	p.codes[made] = code{subject: s.subject, sid: s.sid, nonce: q.Get("nonce"), challenge: q.Get("code_challenge"), redirect: q.Get("redirect_uri"), at: s.at}
	p.mu.Unlock()
	p.back(w, r, q, url.Values{"code": {made}})
}

func (p *Provider) back(w http.ResponseWriter, r *http.Request, q, with url.Values) {
	with.Set("state", q.Get("state"))
	with.Set("iss", p.issuer) // RFC 9207
	http.Redirect(w, r, q.Get("redirect_uri")+"?"+with.Encode(), http.StatusSeeOther)
}

// token takes a code for tokens (RFC 6749, section 4.1.3).
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	id, secret, ok := r.BasicAuth()
	if !ok {
		id, secret = r.FormValue("client_id"), r.FormValue("client_secret")
	}
	known := subtle.ConstantTimeCompare([]byte(secret), []byte(Secret)) == 1
	if p.ClientKeys != "" {
		known = p.asserts(r)
	}
	if id != ClientID || !known {
		writeJSON(w, http.StatusUnauthorized, map[string]string{"error": "invalid_client", "error_description": "the client or its secret is wrong"})
		return
	}
	p.mu.Lock()
	c, found := p.codes[r.FormValue("code")]
	delete(p.codes, r.FormValue("code"))
	p.mu.Unlock()
	sum := sha256.Sum256([]byte(r.FormValue("code_verifier")))
	if !found || c.redirect != r.FormValue("redirect_uri") || base64.RawURLEncoding.EncodeToString(sum[:]) != c.challenge {
		writeJSON(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	claims := map[string]any(p.people.find(c.subject))
	if claims == nil {
		writeJSON(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	claims = maps.Clone(claims)
	now := time.Now()
	maps.Copy(claims, map[string]any{
		"iss": p.issuer, "aud": ClientID, "iat": now.Unix(), "exp": now.Add(5 * time.Minute).Unix(), "nonce": c.nonce, "auth_time": c.at.Unix(), "sid": c.sid,
	})
	if p.Alter != nil {
		p.Alter(claims)
	}
	signed, err := p.sign(claims, "JWT")
	if err != nil {
		writeJSON(w, http.StatusInternalServerError, map[string]string{"error": "server_error", "error_description": err.Error()})
		return
	}
	access := rand.Text()
	p.mu.Lock()
	p.tokens[access] = c.subject
	p.mu.Unlock()
	writeJSON(w, http.StatusOK, map[string]any{"access_token": access, "token_type": "Bearer", "expires_in": 300, "id_token": signed})
}

// asserts reports whether a request is signed by the client for this endpoint (RFC 7523).
func (p *Provider) asserts(r *http.Request) bool {
	assertion, err := jwt.ParseSigned(r.FormValue("client_assertion"), []jose.SignatureAlgorithm{jose.RS256})
	if err != nil || r.FormValue("client_assertion_type") != "urn:ietf:params:oauth:client-assertion-type:jwt-bearer" {
		return false
	}
	answer, err := http.Get(p.ClientKeys)
	if err != nil {
		return false
	}
	defer answer.Body.Close() //nolint:errcheck // it was read
	var keys jose.JSONWebKeySet
	if json.NewDecoder(answer.Body).Decode(&keys) != nil {
		return false
	}
	var claims jwt.Claims
	for _, key := range keys.Key(assertion.Headers[0].KeyID) {
		if assertion.Claims(key.Key, &claims) == nil {
			return claims.ValidateWithLeeway(jwt.Expected{Issuer: ClientID, Subject: ClientID, AnyAudience: jwt.Audience{p.issuer + "/token"}, Time: time.Now()}, time.Minute) == nil && claims.ID != ""
		}
	}
	return false
}

func (p *Provider) sign(claims any, kind jose.ContentType) (string, error) {
	if p.Sign != nil {
		return p.Sign(claims)
	}
	p.mu.Lock()
	key := p.key
	p.mu.Unlock()
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.ES256, Key: key}, (&jose.SignerOptions{}).WithType(kind))
	if err != nil {
		return "", err
	}
	return jwt.Signed(signer).Claims(claims).Serialize()
}

func (p *Provider) information(w http.ResponseWriter, r *http.Request) {
	shown, _ := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	p.mu.Lock()
	subject, ok := p.tokens[shown]
	p.mu.Unlock()
	person := p.people.find(subject)
	if !ok || person == nil {
		w.WriteHeader(http.StatusUnauthorized)
		return
	}
	writeJSON(w, http.StatusOK, person)
}

// endSession ends the session of a browser, and tells clients.
func (p *Provider) endSession(w http.ResponseWriter, r *http.Request) {
	if shown, s, ok := p.signedIn(r); ok {
		p.mu.Lock()
		delete(p.sessions, shown)
		p.mu.Unlock()
		p.tell(r.Context(), s) //nolint:errcheck // a client that does not answer has its sessions end by themselves
	}
	back := r.URL.Query().Get("post_logout_redirect_uri")
	if u, err := url.Parse(back); err == nil && (u.Hostname() == "localhost" || u.Hostname() == "127.0.0.1") {
		http.Redirect(w, r, back, http.StatusSeeOther)
		return
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

// endAll ends the sessions of somebody, and tells clients.
func (p *Provider) endAll(ctx context.Context, subject string) (err error) {
	p.mu.Lock()
	var ended []session
	for shown, s := range p.sessions {
		if s.subject == subject {
			ended = append(ended, s)
			delete(p.sessions, shown)
		}
	}
	p.mu.Unlock()
	for _, s := range ended {
		err = errors.Join(err, p.tell(ctx, s))
	}
	return err
}

// tell has the clients of a session know that it has ended.
func (p *Provider) tell(ctx context.Context, s session) (err error) {
	for back := range s.returns {
		token, failed := p.LogoutToken(s.subject, s.sid)
		if failed != nil {
			return failed
		}
		to := strings.Replace(back, "/sign-in/return/", "/sign-in/ended/", 1)
		request, failed := http.NewRequestWithContext(ctx, http.MethodPost, to, strings.NewReader(url.Values{"logout_token": {token}}.Encode()))
		if failed != nil {
			return failed
		}
		request.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		answer, failed := http.DefaultClient.Do(request)
		if failed == nil {
			failed = answer.Body.Close()
		}
		err = errors.Join(err, failed)
	}
	return err
}

// LogoutToken makes a token that says that a session has ended.
func (p *Provider) LogoutToken(subject, sid string) (string, error) {
	now := time.Now()
	claims := map[string]any{
		"iss": p.issuer, "aud": ClientID, "iat": now.Unix(), "exp": now.Add(2 * time.Minute).Unix(), "jti": rand.Text(), "sub": subject,
		"events": map[string]any{"http://schemas.openid.net/event/backchannel-logout": map[string]any{}},
	}
	if sid != "" {
		claims["sid"] = sid
	}
	if p.Alter != nil {
		p.Alter(claims)
	}
	return p.sign(claims, "logout+jwt")
}

// ProgramToken makes a token that says which program shows it, for an audience, good for some minutes.
func (p *Provider) ProgramToken(subject, audience string) (string, error) {
	now := time.Now()
	claims := map[string]any{
		"iss": p.issuer, "sub": subject, "aud": audience, "iat": now.Unix(), "nbf": now.Unix(), "exp": now.Add(5 * time.Minute).Unix(), "jti": rand.Text(), "job": "nightly",
	}
	if p.Alter != nil {
		p.Alter(claims)
	}
	return p.sign(claims, "JWT")
}

func (p *Provider) programToken(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("subject") == "" || q.Get("audience") == "" {
		http.Error(w, "Name a subject and an audience.", http.StatusBadRequest)
		return
	}
	token, err := p.ProgramToken(q.Get("subject"), q.Get("audience"))
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	fmt.Fprintln(w, token) //nolint:errcheck // whoever asked went away
}

//go:embed choose.html
var chooseText string

//go:embed people.html
var peopleText string

var (
	choosePage = template.Must(template.New("choose").Parse(chooseText))
	peoplePage = webpage.Parse(peopleText, template.FuncMap{"json": func(v any) (string, error) {
		text, err := json.MarshalIndent(v, "", "  ")
		return string(text), err
	}})
)

func render(w http.ResponseWriter, page *template.Template, with any) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	page.Execute(w, with) //nolint:errcheck // whoever asked went away
}

func (p *Provider) show(w http.ResponseWriter, r *http.Request) {
	render(w, peoplePage, map[string]any{"Title": p.Title, "People": p.people.all(), "Issuer": p.issuer, "Client": ClientID, "Secret": Secret, "Fault": r.URL.Query().Get("fault"), "Told": r.URL.Query().Get("told")})
}

// edit sets the claims of somebody, or has them leave.
func (p *Provider) edit(w http.ResponseWriter, r *http.Request) {
	if origin := r.Header.Get("Origin"); origin != "" && origin != p.issuer {
		http.Error(w, "Use the page.", http.StatusForbidden)
		return
	}
	if r.FormValue("leave") != "" {
		p.Leave(r.Context(), r.FormValue("subject")) //nolint:errcheck // a client that does not answer has its sessions end by themselves
		http.Redirect(w, r, "/", http.StatusSeeOther)
		return
	}
	var person Person
	fault := ""
	switch err := json.Unmarshal([]byte(r.FormValue("claims")), &person); {
	case err != nil:
		fault = "The claims are no JSON object: " + err.Error()
	case person.Subject() == "" || person.Name() == "":
		fault = "sub and name are needed."
	default:
		p.Put(person)
	}
	http.Redirect(w, r, "/?"+url.Values{"fault": {fault}}.Encode(), http.StatusSeeOther)
}
