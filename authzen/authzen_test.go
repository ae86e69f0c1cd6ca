package authzen_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/authzen"
)

// numbered decides by number: user N may do what is at a number that N divides.
type numbered struct {
	asked [][]authzen.Request
	fails error
}

func number(text string) (n int) {
	fmt.Sscan(text, &n)
	return n
}

func (d *numbered) Evaluate(_ context.Context, asked []authzen.Request) ([]authzen.Answer, error) {
	d.asked = append(d.asked, asked)
	answers := make([]authzen.Answer, len(asked))
	for i, r := range asked {
		answers[i] = authzen.Answer{Decision: number(r.Resource.ID)%number(r.Subject.ID) == 0, Context: &authzen.Why{Reason: r.Resource.ID}}
	}
	return answers, d.fails
}

func (d *numbered) SearchSubjects(_ context.Context, r authzen.Request) (found []authzen.Entity, err error) {
	for n := 1; n <= 9; n++ {
		if number(r.Resource.ID)%n == 0 {
			found = append(found, authzen.Entity{Type: r.Subject.Type, ID: fmt.Sprint(n)})
		}
	}
	return found, d.fails
}

func (d *numbered) SearchActions(context.Context, authzen.Request) ([]authzen.Action, error) {
	return nil, d.fails
}

func (d *numbered) SearchResources(_ context.Context, r authzen.Request, after string, limit int) (found []authzen.Entity, more bool, err error) {
	for n := number(after) + 1; n <= 2500; n++ {
		if len(found) == limit {
			return found, true, d.fails
		}
		found = append(found, authzen.Entity{Type: r.Resource.Type, ID: fmt.Sprint(n)})
	}
	return found, false, d.fails
}

// post sends a body to a handler and returns what it answers.
func post(t *testing.T, d authzen.Decider, path, contentType, body string) (status int, answer string) {
	t.Helper()
	h := authzen.Handler{
		Address: "https://arbora.example",
		For: func(*http.Request) (authzen.Decider, error) {
			if d == nil {
				return nil, errors.New("who are you?")
			}
			return d, nil
		},
		Fail: func(w http.ResponseWriter, _ *http.Request, err error) {
			var wrong *authzen.Invalid
			if errors.As(err, &wrong) {
				http.Error(w, wrong.Field+": "+wrong.Detail, http.StatusBadRequest)
				return
			}
			http.Error(w, err.Error(), http.StatusTeapot)
		},
	}
	r := httptest.NewRequestWithContext(t.Context(), http.MethodPost, path, strings.NewReader(body))
	r.Header.Set("Content-Type", contentType)
	r.Header.Set("X-Request-ID", "mine")
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	require.Equal(t, "mine", w.Header().Get("X-Request-ID"))
	return w.Code, strings.TrimSpace(w.Body.String())
}

const asked = `"subject":{"type":"user","id":"3"},"action":{"name":"x"}`

func TestBatches(t *testing.T) {
	list := func(ids ...string) string {
		for i, id := range ids {
			ids[i] = `{"resource":{"type":"n","id":"` + id + `"}}`
		}
		return `"evaluations":[` + strings.Join(ids, ",") + `]`
	}
	for name, test := range map[string]struct {
		body string
		want []any // a decision, or what is wrong
	}{
		"every one is answered": {`{` + asked + `,` + list("3", "4", "6") + `}`, []any{true, false, true}},
		"up to the first no":    {`{` + asked + `,"options":{"evaluations_semantic":"deny_on_first_deny"},` + list("3", "4", "6") + `}`, []any{true, false}},
		"up to the first yes":   {`{` + asked + `,"options":{"evaluations_semantic":"permit_on_first_permit"},` + list("4", "6", "5") + `}`, []any{false, true}},
		"without a list":        {`{` + asked + `,"resource":{"type":"n","id":"9"}}`, []any{true}},
		"a faulty one spoils its own answer alone": {
			`{` + asked + `,"evaluations":[{"resource":{"type":"n","id":"3"}},{"resource":{"id":"3"}},{"resource":{"type":"n","id":"3"},"context":{"refers":"x"}},{"resource":{"type":"n","id":"4"}}]}`,
			[]any{true, "the resource is missing its type or id", `refers "x" is not a list of ids or addresses`, false},
		},
	} {
		t.Run(name, func(t *testing.T) {
			status, text := post(t, &numbered{}, authzen.EvaluationsPath, "application/json", test.body)
			require.Equal(t, http.StatusOK, status, text)
			var told authzen.Answers
			require.NoError(t, json.Unmarshal([]byte(text), &told))
			var got []any
			for _, answer := range told.Evaluations {
				if answer.Context.Error != nil {
					require.False(t, answer.Decision)
					got = append(got, answer.Context.Error.Message)
				} else {
					got = append(got, answer.Decision)
				}
			}
			require.Equal(t, test.want, got)
		})
	}
}

func TestWrongRequests(t *testing.T) {
	whole := `{` + asked + `,"resource":{"type":"n","id":"3"}`
	for name, test := range map[string]struct{ path, contentType, body, want string }{
		"no JSON":                    {authzen.EvaluationPath, "application/json", `{`, ": the body is not the JSON that is needed: unexpected EOF"},
		"two values":                 {authzen.EvaluationPath, "application/json", whole + `} {}`, ": there is text after the JSON value: send one value alone"},
		"another content type":       {authzen.EvaluationPath, "text/plain", whole + `}`, `: the content type "text/plain" is not supported: send application/json`},
		"no subject":                 {authzen.EvaluationPath, "application/json; charset=utf-8", `{}`, "subject: the subject is missing its type or id"},
		"no action":                  {authzen.EvaluationPath, "application/json", `{"subject":{"type":"user","id":"3"}}`, "action: the action is missing its name"},
		"no resource":                {authzen.EvaluationPath, "application/json", `{` + asked + `}`, "resource: the resource is missing its type or id"},
		"a time that is none":        {authzen.EvaluationPath, "application/json", whole + `,"context":{"time":"noon"}}`, `context.time: "noon" is not a valid time: write it by RFC 3339, such as 2026-11-25T12:00:00Z`},
		"a time that is a number":    {authzen.EvaluationPath, "application/json", whole + `,"context":{"time":12}}`, "context.time: the time 12 is not text: write it by RFC 3339"},
		"an address that is no text": {authzen.EvaluationPath, "application/json", whole + `,"context":{"ip":1}}`, "context.ip: ip 1 is not text"},
		"a context that is a list":   {authzen.EvaluationPath, "application/json", whole + `,"context":[]}`, "context: the context [] is not an object"},
		"no semantic":                {authzen.EvaluationsPath, "application/json", `{"options":{"evaluations_semantic":"all"}}`, `options.evaluations_semantic: "all" is not a semantic: use execute_all, deny_on_first_deny or permit_on_first_permit`},
		"too many":                   {authzen.EvaluationsPath, "application/json", `{"evaluations":[` + strings.Repeat("{},", authzen.MostAtOnce) + `{}]}`, "evaluations: there are 10001 evaluations in one request: at most 10000 are answered at once"},
		"a limit below 0":            {authzen.SearchSubjectPath, "application/json", `{"page":{"limit":-1}}`, "page.limit: the limit -1 is below 0"},
		"a token of nobody's":        {authzen.SearchResourcePath, "application/json", `{` + asked + `,"resource":{"type":"n"},"page":{"token":"AAAAAAAAAAAA"}}`, "page.token: the token is not one of this search: ask for the first page again, without a token"},
	} {
		t.Run(name, func(t *testing.T) {
			d := &numbered{}
			status, answer := post(t, d, test.path, test.contentType, test.body)
			require.Equal(t, http.StatusBadRequest, status)
			require.Equal(t, test.want, answer)
			require.Empty(t, d.asked)
		})
	}
	status, answer := post(t, nil, authzen.EvaluationPath, "application/json", "")
	require.Equal(t, http.StatusTeapot, status)
	require.Equal(t, "who are you?", answer)
	status, _ = post(t, &numbered{}, authzen.EvaluationPath, "application/json", `{"subject":{"type":"`+strings.Repeat("x", 9<<20)+`"}}`)
	require.Equal(t, http.StatusTeapot, status, "a body that is too large is no wrong one")
}

// TestContextIsFreeInForm reads what is understood, in every form, and leaves the rest.
func TestContextIsFreeInForm(t *testing.T) {
	var c authzen.Context
	require.NoError(t, json.Unmarshal([]byte(`{"time":"2026-11-25T12:00+01:00","ip":null,"weather":{"rain":true},"claims":{"team":"seeds"},"refers":["a"],"attempted":true}`), &c))
	require.Nil(t, c.Fault())
	require.True(t, c.Time.Equal(time.Date(2026, 11, 25, 11, 0, 0, 0, time.UTC)))
	require.Equal(t, []string{"a"}, c.Refers)
	require.True(t, c.Attempted)
	text, err := json.Marshal(authzen.Context{IP: "192.0.2.7"})
	require.NoError(t, err)
	require.JSONEq(t, `{"ip":"192.0.2.7"}`, string(text), "what is not told is not sent")
}

// serving starts a decider behind what a test does to each request first; it reports true when it has answered.
func serving(t *testing.T, d authzen.Decider, first func(w http.ResponseWriter, r *http.Request) bool) string {
	inner := arbora(d)
	t.Cleanup(inner.Close)
	outer := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if first == nil || !first(w, r) {
			inner.Config.Handler.ServeHTTP(w, r)
		}
	}))
	t.Cleanup(outer.Close)
	return outer.URL
}

func divides(of, at string) authzen.Request {
	return authzen.Request{Subject: &authzen.Entity{Type: "user", ID: of}, Action: &authzen.Action{Name: "x"}, Resource: &authzen.Entity{Type: "n", ID: at}}
}

// TestASearchGoesThroughItsPages takes all of what is found, and a few.
func TestASearchGoesThroughItsPages(t *testing.T) {
	client := authzen.NewClient(serving(t, &numbered{}, nil), "t")
	n := 0
	for found, err := range client.SearchResources(t.Context(), divides("3", "")) {
		require.NoError(t, err)
		n++
		require.Equal(t, fmt.Sprint(n), found.ID)
	}
	require.Equal(t, 2500, n)
	var users []string
	for found, err := range client.SearchSubjects(t.Context(), divides("", "6")) {
		require.NoError(t, err)
		users = append(users, found.ID)
		if len(users) == 3 {
			break
		}
	}
	require.Equal(t, []string{"1", "2", "3"}, users)
	for _, err := range client.SearchActions(t.Context(), divides("", "6")) {
		require.ErrorContains(t, err, "400", "the subject is missing")
	}
}

// TestMoreThanIsAnsweredAtOnceIsAskedInParts asks more than one request may.
func TestMoreThanIsAnsweredAtOnceIsAskedInParts(t *testing.T) {
	d := &numbered{}
	client := authzen.NewClient(serving(t, d, nil), "t")
	many := make([]authzen.Request, authzen.MostAtOnce+5)
	for i := range many {
		many[i] = divides("3", fmt.Sprint(i))
	}
	answers, err := client.EvaluateAll(t.Context(), many)
	require.NoError(t, err)
	require.Len(t, answers, len(many))
	require.Len(t, d.asked, 2)
	for i, answer := range answers {
		require.Equal(t, i%3 == 0, answer.Decision)
	}
	answers, err = client.EvaluateAll(t.Context(), nil)
	require.NoError(t, err)
	require.Empty(t, answers)
	require.Len(t, d.asked, 2, "nothing asked, no request made")
}

// TestWhatIsNotAnsweredIsSentAgain has a service away for a while, and for good.
func TestWhatIsNotAnsweredIsSentAgain(t *testing.T) {
	var tries, away atomic.Int64
	address := serving(t, &numbered{}, func(w http.ResponseWriter, r *http.Request) bool {
		if r.URL.Path != authzen.EvaluationPath {
			return false
		}
		body, err := io.ReadAll(r.Body)
		if err != nil || len(body) == 0 {
			panic("a request without its body")
		}
		r.Body = io.NopCloser(strings.NewReader(string(body)))
		if tries.Add(1) > away.Load() {
			return false
		}
		w.WriteHeader(http.StatusServiceUnavailable)
		fmt.Fprint(w, `{"status":503,"detail":"the database cannot be reached at the moment","next":"try again in a moment"}`)
		return true
	})
	client := authzen.NewService(address, authzen.Key{ID: "k", Secret: "s"}, authzen.Tries(3)).In("lindenmere")
	away.Store(2)
	answer, err := client.Evaluate(t.Context(), divides("3", "9"))
	require.NoError(t, err)
	require.True(t, answer.Decision)
	require.EqualValues(t, 3, tries.Load())

	away.Store(100)
	_, err = client.Evaluate(t.Context(), divides("3", "9"))
	var told *authzen.Error
	require.ErrorAs(t, err, &told)
	require.Equal(t, http.StatusServiceUnavailable, told.Status)
	require.EqualError(t, told, "the database cannot be reached at the moment: try again in a moment")
	require.EqualValues(t, 6, tries.Load())

	r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, address+authzen.EvaluationPath, strings.NewReader(`{}`))
	require.NoError(t, err)
	require.ErrorAs(t, authzen.Fetch(client.HTTP(), r, &struct{}{}), &told)
	require.EqualValues(t, 7, tries.Load(), "what may alter something is sent once")
}

// TestTokensAreRenewed counts the tokens that are got: one for an organisation, and another when that one is refused.
func TestTokensAreRenewed(t *testing.T) {
	var tokens, refuse atomic.Int64
	address := serving(t, &numbered{}, func(w http.ResponseWriter, r *http.Request) bool {
		if r.URL.Path == "/oauth/token" {
			tokens.Add(1)
			w.Header().Set("Content-Type", "application/json")
			fmt.Fprintf(w, `{"access_token":"%d","token_type":"Bearer","expires_in":900}`, tokens.Load())
			return true
		}
		if number(strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer ")) <= int(refuse.Load()) {
			w.WriteHeader(http.StatusUnauthorized)
			return true
		}
		return false
	})
	service := authzen.NewService(address, authzen.Key{ID: "k", Secret: "s"})
	ask := func(organisation string) error {
		_, err := service.In(organisation).Evaluate(t.Context(), divides("3", "9"))
		return err
	}
	for range 3 {
		require.NoError(t, ask("lindenmere"))
	}
	require.EqualValues(t, 1, tokens.Load())
	require.NoError(t, ask("quaywater"))
	require.EqualValues(t, 2, tokens.Load(), "another organisation has another token")
	refuse.Store(2)
	require.NoError(t, ask("lindenmere"))
	require.EqualValues(t, 3, tokens.Load())
	refuse.Store(100)
	var told *authzen.Error
	require.ErrorAs(t, ask("lindenmere"), &told)
	require.Equal(t, http.StatusUnauthorized, told.Status)
	require.EqualValues(t, 4, tokens.Load(), "a new one is tried once")
}

// TestRefusalsOfTokens tells by what code, and in whose words, no token was given.
func TestRefusalsOfTokens(t *testing.T) {
	address := serving(t, &numbered{}, func(w http.ResponseWriter, r *http.Request) bool {
		if r.URL.Path != "/oauth/token" {
			return false
		}
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(http.StatusBadRequest)
		fmt.Fprint(w, `{"error":"invalid_request","error_description":"there is no organisation fernhill: did you mean fernhall?","detail":"there is no organisation fernhill","next":"did you mean fernhall?"}`)
		return true
	})
	_, err := authzen.NewService(address, authzen.Key{ID: "k", Secret: "s"}).In("fernhill").Evaluate(t.Context(), divides("3", "9"))
	var told *authzen.Error
	require.ErrorAs(t, err, &told)
	require.Equal(t, authzen.Error{Status: 400, Code: "invalid_request", Detail: "there is no organisation fernhill", Next: "did you mean fernhall?"}, *told)
}

// TestAtLeast sends the revision that answers must not be older than.
func TestAtLeast(t *testing.T) {
	var sent []string
	client := authzen.NewClient(serving(t, &numbered{}, func(_ http.ResponseWriter, r *http.Request) bool {
		sent = append(sent, r.Header.Get("At-Least-Revision"))
		return false
	}), "t")
	for _, c := range []*authzen.Client{client.AtLeast(12), client} {
		_, err := c.Evaluate(t.Context(), divides("3", "9"))
		require.NoError(t, err)
	}
	require.Equal(t, []string{"12", ""}, sent)
}
