package credential_test

import (
	"encoding/base64"
	"strings"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
)

var start = time.Date(2026, 11, 25, 8, 0, 0, 0, time.UTC)

func someToken() credential.AccessToken {
	return credential.AccessToken{
		ID: model.ID{1}, Issuer: "https://arbora.example", Key: model.ID{2}, Principal: model.ID{3}, Organisation: model.ID{4},
		IssuedAt: start, Until: start.Add(credential.TokenLifetime),
	}
}

// TestAccessTokensSayWhatWasSigned reads a token back, under its own key alone, and in no way altered.
func TestAccessTokensSayWhatWasSigned(t *testing.T) {
	key, err := credential.NewSigningKey(start)
	require.NoError(t, err)
	other, err := credential.NewSigningKey(start)
	require.NoError(t, err)
	require.NotEqual(t, key.ID, other.ID)
	sealed, err := key.Marshal()
	require.NoError(t, err)
	again, err := credential.ParseSigningKey(sealed, start)
	require.NoError(t, err)
	require.Equal(t, key.ID, again.ID)

	find := func(keys ...credential.SigningKey) func(string) (credential.SigningKey, bool) {
		return func(id string) (credential.SigningKey, bool) {
			for _, k := range keys {
				if k.ID == id {
					return k, true
				}
			}
			return credential.SigningKey{}, false
		}
	}
	text, err := key.Sign(someToken())
	require.NoError(t, err)
	read, err := credential.ReadAccessToken(text, find(other, again))
	require.NoError(t, err)
	require.WithinDuration(t, start, read.IssuedAt, 0)
	read.IssuedAt, read.Until = read.IssuedAt.UTC(), read.Until.UTC()
	require.Equal(t, someToken(), read)
	nowhere := someToken()
	nowhere.Organisation = model.ID{}
	plain, err := key.Sign(nowhere)
	require.NoError(t, err)
	read, err = credential.ReadAccessToken(plain, find(key))
	require.NoError(t, err)
	require.True(t, read.Organisation.IsZero())

	_, err = credential.ReadAccessToken(text, find(other))
	require.ErrorContains(t, err, "not made here", "a key that is not known")
	parts := strings.Split(text, ".")
	for i := range parts {
		raw, err := base64.RawURLEncoding.DecodeString(parts[i])
		require.NoError(t, err)
		raw[len(raw)/2] ^= 1
		altered := append([]string{}, parts...)
		altered[i] = base64.RawURLEncoding.EncodeToString(raw)
		_, err = credential.ReadAccessToken(strings.Join(altered, "."), find(key))
		require.Error(t, err, "part %d altered", i)
	}
	head := base64.RawURLEncoding.EncodeToString([]byte(`{"alg":"none","typ":"at+jwt","kid":"` + key.ID + `"}`))
	_, err = credential.ReadAccessToken(head+"."+parts[1]+".", find(key))
	require.Error(t, err, "an unsigned token")

	// A token of another type, signed by the same key, is none of ours (RFC 9068, section 4).
	public := key.Public()
	require.True(t, public.IsPublic())
	require.Equal(t, string(jose.RS256), public.Algorithm)
	for _, junk := range []string{"", "a.b.c", "nonsense", text + "."} {
		_, err := credential.ReadAccessToken(junk, find(key))
		require.Error(t, err, junk)
	}
	_, err = credential.ParseSigningKey([]byte("nonsense"), start)
	require.Error(t, err)
}

// TestCodesOfASecondFactor takes a code a step early or late and no further, and none twice by its step.
func TestCodesOfASecondFactor(t *testing.T) {
	uri, seed, err := credential.FactorSeed("rowan@lindenmere")
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(uri, "otpauth://totp/Arbora:rowan@lindenmere?"), uri)
	require.Contains(t, uri, seed)
	rapid.Check(t, func(t *rapid.T) {
		at := start.Add(time.Duration(rapid.IntRange(0, 1_000_000).Draw(t, "seconds")) * time.Second)
		off := rapid.IntRange(-4, 4).Draw(t, "steps off")
		code, err := totp.GenerateCode(seed, at.Add(time.Duration(off)*30*time.Second))
		if err != nil {
			t.Fatal(err)
		}
		step, ok, err := credential.CodeStep(seed, " "+code[:3]+" "+code[3:], at)
		if err != nil {
			t.Fatal(err)
		}
		if off >= -1 && off <= 1 {
			if !ok || step != at.Unix()/30+int64(off) {
				t.Fatalf("a code %d steps off: %v, step %d", off, ok, step)
			}
		} else if ok && step == at.Unix()/30+int64(off) {
			t.Fatalf("a code %d steps off is taken", off)
		}
	})
	for _, wrong := range []string{"", "12345", "1234567", "abcdef"} {
		_, ok, err := credential.CodeStep(seed, wrong, start)
		require.NoError(t, err)
		require.False(t, ok, wrong)
	}
	codes := credential.NewRecoveryCodes()
	require.Len(t, codes, 10)
	seen := map[[32]byte]bool{}
	for _, code := range codes {
		hash := credential.RecoveryHash(code)
		require.False(t, seen[hash])
		seen[hash] = true
		require.Equal(t, hash, credential.RecoveryHash(" "+strings.ToUpper(strings.ReplaceAll(code, "-", ""))), "however it is typed")
	}
}

func TestCodesOfTerminals(t *testing.T) {
	seen := map[string]bool{}
	for range 200 {
		code := credential.NewUserCode()
		require.Regexp(t, `^[BCDFGHJKLMNPQRSTVWXZ]{4}-[BCDFGHJKLMNPQRSTVWXZ]{4}$`, code)
		require.False(t, seen[code])
		seen[code] = true
		require.Equal(t, code, credential.ParseUserCode(" "+strings.ToLower(strings.ReplaceAll(code, "-", " "))))
	}
	for _, bad := range []string{"", "BCDF", "BCDF-GHJKL", "aeiou"} {
		require.Empty(t, credential.ParseUserCode(bad), bad)
	}
}

func TestSealing(t *testing.T) {
	_, err := credential.NewSealer([]byte("short"))
	require.Error(t, err)
	sealer, err := credential.NewSealer([]byte(strings.Repeat("k", credential.SealingKeySize)))
	require.NoError(t, err)
	other, err := credential.NewSealer([]byte(strings.Repeat("o", credential.SealingKeySize)))
	require.NoError(t, err)
	sealed := sealer.Seal([]byte("a seed"), "second factor")
	require.NotContains(t, string(sealed), "seed")
	require.NotEqual(t, sealed, sealer.Seal([]byte("a seed"), "second factor"), "the same text never looks the same")
	text, err := sealer.Open(sealed, "second factor")
	require.NoError(t, err)
	require.Equal(t, "a seed", string(text))
	_, err = sealer.Open(sealed, "signing key")
	require.Error(t, err, "sealed for another purpose")
	_, err = other.Open(sealed, "second factor")
	require.ErrorContains(t, err, "sealing key")
	sealed[len(sealed)-1] ^= 1
	_, err = sealer.Open(sealed, "second factor")
	require.Error(t, err)
}

func TestSecretsOfKeys(t *testing.T) {
	secret, other := credential.NewSecret(), credential.NewSecret()
	require.True(t, secret.Matches(secret.Hash()))
	require.False(t, other.Matches(secret.Hash()))
	require.False(t, credential.Secret("").Matches(secret.Hash()))
}
