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

// TakesPassword reports whether a password opens it.
func (by SignInBy) TakesPassword() bool { return by == ByPassword || by == ByBoth }

// TakesKeys reports whether it may have API keys.
func (by SignInBy) TakesKeys() bool { return by == ByKey || by == ByBoth }
