package service_test

import (
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/demo"
)

// atOnce sends the same request many times at once, each with a forwarded address of its own, and counts the answers by status.
func atOnce(t *testing.T, times int, address, body string) map[int]int {
	t.Helper()
	statuses := make([]int, times)
	var all sync.WaitGroup
	for i := range times {
		all.Go(func() {
			r, err := http.NewRequest(http.MethodPost, address, strings.NewReader(body))
			if err != nil {
				return
			}
			r.Header.Set("Content-Type", "application/json")
			r.Header.Set("X-Forwarded-For", fmt.Sprintf("192.0.2.%d", i))
			response, err := http.DefaultClient.Do(r)
			if err != nil {
				return
			}
			statuses[i] = response.StatusCode
			_ = response.Body.Close()
		})
	}
	all.Wait()
	counted := map[int]int{}
	for _, status := range statuses {
		counted[status]++
	}
	return counted
}

// TestGuessesAtOnceAreAllCounted guesses passwords, and codes by somebody who has the password, many at once: no more are looked
// at than one after another, whatever address a header claims.
func TestGuessesAtOnceAreAllCounted(t *testing.T) {
	const times = 14 // fewer than may wait to be hashed from one network
	b := testbed.InMemory(t)
	b.Clock.Hold()
	signIn := b.Address + "/api/v1/session"
	counted := atOnce(t, times, signIn, `{"name":"oona@lindenmere","password":"a wrong guess at it"}`)
	require.LessOrEqual(t, counted[401], credential.LockAfter)
	require.Equal(t, times, counted[401]+counted[429], "%v", counted)
	_, err := demo.SignIn(t.Context(), b.Address, "oona@lindenmere", demo.Passphrase)
	testbed.Problem(t, 429, err)

	rowan := b.As(t, "rowan@lindenmere")
	seed, err := rowan.BeginSecondFactor(t.Context())
	require.NoError(t, err)
	code, err := totp.GenerateCode(seed.Seed, b.Clock.Now())
	require.NoError(t, err)
	require.NoError(t, client.Done(rowan.ConfirmSecondFactor(t.Context(), api.FactorCode{Code: code})))
	counted = atOnce(t, times, signIn, fmt.Sprintf(`{"name":"rowan@lindenmere","password":%q,"code":"000000"}`, demo.Passphrase))
	require.LessOrEqual(t, counted[401], credential.LockAfter)
	require.Equal(t, times, counted[401]+counted[429], "%v", counted)
	_, err = demo.SignIn(t.Context(), b.Address, "rowan@lindenmere", demo.Passphrase)
	require.Contains(t, []string{"code-needed", "too-many"}, kind(t, err))
	require.NoError(t, client.Done(rowan.ShowTree(t.Context(), "lindenmere", nil)), "who is in stays in")
}
