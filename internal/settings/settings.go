package settings

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"time"

	"arbora.example/internal/credential"
)

// Settings are what an organisation decides for itself.
type Settings struct {
	KeysEach       int  `json:"keysEach"`       // how many API keys anybody may have at a time
	ForbidSignedIn bool `json:"forbidSignedIn"` // no grant or statement may name signed-in
	ForbidPublic   bool `json:"forbidPublic"`   // no grant or statement may name public
	// Services are the platform services that may act in the organisation; nil for all.
	Services []string `json:"services,omitempty"`
	// Everybody is demanded of all who work in the organisation, and Governing besides of those who hold permissions to govern.
	Everybody Demands `json:"everybody,omitzero"`
	Governing Demands `json:"governing,omitzero"`
}

// DefaultSettings are those of an organisation that has decided nothing: three keys, so that one can be exchanged without
// a gap, and nothing forbidden.
func DefaultSettings() Settings { return Settings{KeysEach: 3} }

// Demands are what an organisation demands of how people come in and for how long. The zero value demands nothing beyond what
// Arbora does by itself.
type Demands struct {
	Idle     int      `json:"idle,omitempty"`     // in minutes: a session ends so long after it was last used; 0 for [credential.SessionIdle]
	Life     int      `json:"life,omitempty"`     // in minutes: a session ends so long after sign-in; 0 for [credential.SessionLifetime]
	Networks []string `json:"networks,omitempty"` // people work from these alone, written as in 192.0.2.0/24; none for any
	Factors  []Factor `json:"factors,omitempty"`  // people need one of these to sign in; none when a password alone will do
}

// Factor is what people sign in with beside their password, or in place of it. The zero value is a password alone.
type Factor string

// The factors.
const (
	CodeFactor    Factor = "code"    // one-time codes, or a recovery code, beside the password
	PasskeyFactor Factor = "passkey" // in place of the password
)

// AllFactors are all that may be demanded.
var AllFactors = []Factor{CodeFactor, PasskeyFactor}

// FactorsIn returns the factors of which people need one to sign in, where several demands are made of them; none when a password
// alone will do. Where two demands have no factor in common, which [Settings.Check] refuses, the later one prevails: a demand is
// never met by nothing.
func FactorsIn(demands ...Demands) []Factor {
	var factors []Factor
	for _, d := range demands {
		if len(d.Factors) == 0 {
			continue
		}
		if factors = common(factors, d.Factors); len(factors) == 0 {
			factors = common(AllFactors, d.Factors)
		}
	}
	return factors
}

// common returns those of a that are in b, too.
func common(a, b []Factor) []Factor {
	return slices.DeleteFunc(slices.Clone(a), func(f Factor) bool { return !slices.Contains(b, f) })
}

// Bounds of what an organisation may set.
const (
	ShortestIdle = 5 * time.Minute
	LongestIdle  = 24 * time.Hour
	LongestLife  = 7 * 24 * time.Hour
	mostNetworks = 50
)

// Check refuses settings that make no sense together; the error says which. What is demanded at one level is checked by
// [Demands.Check].
func (s Settings) Check() error {
	everybody, governing := s.Everybody.Factors, s.Governing.Factors
	if len(everybody) > 0 && len(governing) > 0 && len(common(everybody, governing)) == 0 {
		return errors.New("people who may govern could not sign in: no factor is allowed both to them and to everybody")
	}
	return nil
}

// IsZero reports whether nothing is demanded.
func (d Demands) IsZero() bool {
	return d.Idle == 0 && d.Life == 0 && len(d.Networks) == 0 && len(d.Factors) == 0
}

// Check refuses demands that make no sense; the error says which, and how to write it.
func (d Demands) Check() error {
	idle, life := d.lives()
	switch {
	case d.Idle != 0 && (idle < ShortestIdle || idle > LongestIdle):
		return fmt.Errorf("idle sessions may last from %d minutes to %d", int(ShortestIdle.Minutes()), int(LongestIdle.Minutes()))
	case d.Life != 0 && (life < ShortestIdle || life > LongestLife):
		return fmt.Errorf("sessions may last from %d minutes to %d", int(ShortestIdle.Minutes()), int(LongestLife.Minutes()))
	case len(d.Networks) > mostNetworks:
		return fmt.Errorf("there may be %d networks at most", mostNetworks)
	}
	for _, f := range d.Factors {
		if !slices.Contains(AllFactors, f) {
			return fmt.Errorf("%q is not a factor: name code, passkey or both", f)
		}
	}
	for _, network := range d.Networks {
		prefix, err := netip.ParsePrefix(network)
		if err != nil {
			return fmt.Errorf("%q is not a network: write one as 192.0.2.0/24 or 2001:db8::/48", network)
		}
		if prefix != prefix.Masked() {
			return fmt.Errorf("%q names an address within a network: write %s", network, prefix.Masked())
		}
	}
	return nil
}

func (d Demands) lives() (idle, life time.Duration) {
	idle, life = time.Duration(d.Idle)*time.Minute, time.Duration(d.Life)*time.Minute
	if life == 0 {
		life = credential.SessionLifetime
	}
	if idle == 0 {
		idle = min(credential.SessionIdle, life)
	}
	return idle, life
}

// SessionEnd returns the moment at which a session ends.
func (d Demands) SessionEnd(signedIn, lastUsed time.Time) time.Time {
	idle, life := d.lives()
	end, unused := signedIn.Add(life), lastUsed.Add(idle)
	if unused.Before(end) {
		return unused
	}
	return end
}

// Admits reports whether people may work from a network address.
func (d Demands) Admits(address string) bool {
	if len(d.Networks) == 0 {
		return true
	}
	from, err := netip.ParseAddr(address)
	if err != nil {
		return false
	}
	from = from.Unmap().WithZone("")
	for _, network := range d.Networks {
		if prefix, err := netip.ParsePrefix(network); err == nil && prefix.Contains(from) {
			return true
		}
	}
	return false
}
