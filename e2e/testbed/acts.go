package testbed

import (
	"encoding/json"
	"io"
	"net"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/api"
	"arbora.example/client"
)

// Places of the scenario.
const (
	Glasshouses = "lindenmere/gardens/glasshouses"
	Alpine      = Glasshouses + "/alpine-house"
	SensorLog   = Alpine + "/sensor-log.bucket"
	Trial       = "lindenmere/science/seedbank/seedbank-trial"
	Vault       = "lindenmere/science/seedbank/seedbank-vault"
	Herbarium   = "lindenmere/science/herbarium"
	Digitising  = Herbarium + "/digitising"
	Scans       = Digitising + "/scans.bucket"
	TrailGuide  = "lindenmere/visitors/trail-guide"
	GuideMoved  = "lindenmere/science/trail-guide" // where the story moves it
)

// WeatherFile is a request that registers a service that nobody knew.
const WeatherFile = `{"file":"{\"service\": \"weather\", \"title\": \"Weather\", \"types\": [{\"type\": \"station\", \"parents\": [\"project\"], \"control\": {\"observe\": [\"list\", \"describe\"], \"modify\": [\"create\"]}, \"needs\": {\"create\": [\"attach network\"]}}]}"}`

// User names a user.
func User(name string) api.PrincipalRef {
	return api.PrincipalRef{Kind: api.UserKind, Name: name}
}

// Call sends a request as it is and gives the answer's status, header and body.
func Call(t testing.TB, method, address, token, contentType, body string) (int, http.Header, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, address, strings.NewReader(body))
	require.NoError(t, err)
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	if contentType != "" {
		r.Header.Set("Content-Type", contentType)
	}
	response, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, response.Header, string(text)
}

// NoSuchID is a well-formed id of nothing.
const NoSuchID = "01a210ca-cc4e-79ac-b35b-d287b32ac74b"

// Form sends a form and reads the answer's JSON. A key id signs the request in.
func Form(t testing.TB, address string, key *api.KeyMade, values url.Values) (int, map[string]any) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, address, strings.NewReader(values.Encode()))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if key != nil {
		r.SetBasicAuth(key.Key.Id, key.Secret)
	}
	response, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer response.Body.Close()
	answer := map[string]any{}
	if response.ContentLength != 0 {
		require.NoError(t, json.NewDecoder(response.Body).Decode(&answer))
	}
	return response.StatusCode, answer
}

// Machine makes a service account with a key, as rowan does.
func Machine(t testing.TB, b *Bed, name string) api.KeyMade {
	t.Helper()
	rowan := b.As(t, "rowan@lindenmere")
	require.NoError(t, client.Done(rowan.CreateServiceAccount(t.Context(), Digitising, api.AccountNew{Name: name})))
	return KeyFor(t, rowan, api.ServiceAccountKind, Digitising+"/"+name)
}

// KeyFor has somebody issue an API key of a principal.
func KeyFor(t testing.TB, who *client.Client, kind api.PrincipalKind, name string) api.KeyMade {
	t.Helper()
	made, err := who.CreateKey(t.Context(), "lindenmere", kind, name, api.KeyNew{Label: "a test"})
	require.NoError(t, err)
	return made
}

// AccessToken exchanges a key for an access token.
func AccessToken(t testing.TB, b *Bed, key api.KeyMade) string {
	t.Helper()
	status, answer := Form(t, b.Address+"/oauth/token", &key, url.Values{"grant_type": {"client_credentials"}})
	require.Equal(t, 200, status, answer)
	return answer["access_token"].(string)
}

// With calls the service by a token; by none for nobody.
func With(t testing.TB, b *Bed, token string) *client.Client {
	t.Helper()
	c, err := client.Open(b.Address, token)
	require.NoError(t, err)
	return c
}

// Kind returns the kind of problem a call ended with.
func Kind(t testing.TB, err error) string {
	t.Helper()
	require.Error(t, err)
	var e *client.Error
	require.ErrorAs(t, err, &e)
	return e.Kind()
}

// DemandSecondFactor has maeve, who has set one up herself, demand a second factor of whoever may govern, and gives her client.
func DemandSecondFactor(t testing.TB, b *Bed) *client.Client {
	t.Helper()
	maeve := b.As(t, "maeve@lindenmere")
	seed, err := maeve.BeginSecondFactor(t.Context())
	require.NoError(t, err)
	code, err := totp.GenerateCode(seed.Seed, b.Clock.Now())
	require.NoError(t, err)
	require.NoError(t, client.Done(maeve.ConfirmSecondFactor(t.Context(), api.FactorCode{Code: code})))
	require.NoError(t, client.Done(maeve.ChangeSettings(t.Context(), "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 3, Governing: api.Demands{Factors: []api.Factor{api.CodeFactor, api.PasskeyFactor}}}})))
	return maeve
}

// LetterTo returns the newest letter to an address.
func LetterTo(t testing.TB, b *Bed, to string) (subject, text string) {
	t.Helper()
	for _, l := range b.Mail.Letters() {
		if l.To[0] == to {
			return l.Subject, l.Text
		}
	}
	t.Fatalf("no letter has come to %s", to)
	return "", ""
}

var linkPattern = regexp.MustCompile(`/#/link/(\S+)`)

// LinkTo returns the token of the newest link in a letter to an address.
func LinkTo(t testing.TB, b *Bed, to string) string {
	t.Helper()
	for _, l := range b.Mail.Letters() {
		if found := linkPattern.FindStringSubmatch(l.Text); l.To[0] == to && found != nil {
			return found[1]
		}
	}
	t.Fatalf("no link has come to %s", to)
	return ""
}

// AwaitLetter waits for a letter of a subject that is sent after the answer to what asked for it.
func AwaitLetter(t testing.TB, b *Bed, to, subject string, count int) {
	t.Helper()
	require.Eventually(t, func() bool {
		n := 0
		for _, l := range b.Mail.Letters() {
			if l.To[0] == to && l.Subject == subject {
				n++
			}
		}
		return n == count
	}, time.Minute, 5*time.Millisecond)
}

// Demand has rowan decide what is demanded of everybody, and besides of those who govern.
func Demand(t testing.TB, rowan *client.Client, everybody, governing api.Demands) error {
	t.Helper()
	return client.Done(rowan.ChangeSettings(t.Context(), "lindenmere", nil, api.SettingsEdit{Settings: api.Settings{KeysEach: 3, Everybody: everybody, Governing: governing}}))
}

// Caller returns a client of HTTP that calls from another address of this machine.
func Caller(address string) *http.Client {
	dialer := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}}
	return &http.Client{Transport: &http.Transport{DialContext: dialer.DialContext, DisableKeepAlives: true}}
}

// PolicyMade returns the id of a policy of a text, at a scope.
func PolicyMade(t testing.TB, who *client.Client, at, name, text string) string {
	t.Helper()
	made, err := who.CreatePolicyAt(t.Context(), at, api.PolicyNew{Name: name, Text: text})
	require.NoError(t, err)
	return made.Policy.Id
}

// Reshape moves scopes about and makes containers, as one change.
func Reshape(t testing.TB, who *client.Client, r api.Reshaping) error {
	t.Helper()
	return client.Done(who.ReshapeScopes(t.Context(), "lindenmere", nil, r))
}

// StatusOf returns the HTTP status of a problem.
func StatusOf(t testing.TB, err error) int {
	t.Helper()
	var problem *client.Error
	require.ErrorAs(t, err, &problem)
	return problem.Status
}

// Recorded returns what the audit log says of an event, in any organisation and in none, as WHO: WHAT.
func Recorded(t testing.TB, b *Bed, event string) (told []string) {
	for _, r := range b.Audited(t) {
		if r.Event == event {
			told = append(told, r.Organisation+" "+r.Author.Name+": "+r.Detail)
		}
	}
	return told
}

// MadeOf tells what a snapshot is made of, to the last detail, one thing a line in an order of its own.
func MadeOf(t testing.TB, s *access.Snapshot) string {
	var lines []string
	for _, change := range s.Changes() {
		lines = append(lines, Encoded(t, []access.Change{change})+"\n")
	}
	slices.Sort(lines)
	return strings.Join(lines, "")
}

// Encoded returns changes as they are recorded, with what is empty told in one way.
func Encoded(t testing.TB, changes []access.Change) string {
	text, err := access.EncodeChanges(changes)
	require.NoError(t, err)
	return strings.NewReplacer(`"formerly":[]`, `"formerly":null`, `"tags":{}`, `"tags":null`).Replace(string(text))
}

// ServiceToken exchanges the key of a platform service for an access token in an organisation.
func ServiceToken(t testing.TB, b *Bed, key api.KeyMade, organisation string) string {
	t.Helper()
	status, answer := Form(t, b.Address+"/oauth/token", &key, url.Values{"grant_type": {"client_credentials"}, "organisation": {organisation}})
	require.Equal(t, 200, status, answer)
	return answer["access_token"].(string)
}

// KeyFollowing makes a key by which a follower of a platform service reads, and gives an access token made with it.
func KeyFollowing(t testing.TB, b *Bed, service, organisation string) string {
	t.Helper()
	key, err := b.As(t, "warden").CreateServiceKey(t.Context(), service, api.KeyNew{Label: "a test", Follows: true})
	require.NoError(t, err)
	return ServiceToken(t, b, key, organisation)
}
