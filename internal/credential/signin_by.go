package credential

// SignInBy says what somebody signs in with.
type SignInBy string

// The ways to sign in.
const (
	ByPassword SignInBy = "password"
	ByKey      SignInBy = "key"      // API keys alone: no password opens it
	ByBoth     SignInBy = "both"     // a password, and API keys besides
	ByProvider SignInBy = "provider" // an identity provider alone
)

// Words returns it as people read it.
func (by SignInBy) Words() string {
	switch by {
	case ByKey:
		return "API key"
	case ByBoth:
		return "password and API key"
	case ByProvider:
		return "identity provider"
	}
	return string(by)
}

// TakesPassword reports whether a password opens it.
func (by SignInBy) TakesPassword() bool { return by == ByPassword || by == ByBoth }

// TakesKeys reports whether it may have API keys.
func (by SignInBy) TakesKeys() bool { return by == ByKey || by == ByBoth }
