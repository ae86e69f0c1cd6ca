package credential

import "time"

// InvitationFor is how long an invitation can be accepted, and PasswordLinkFor how long a link to choose a password works.
const (
	InvitationFor   = 7 * 24 * time.Hour
	PasswordLinkFor = 24 * time.Hour
)

// Purpose says what a link is for.
type Purpose string

// The purposes of links.
const (
	ToAccept   Purpose = "invitation" // to come in as a guest
	ToPassword Purpose = "password"   // to choose a password
	ToRecover  Purpose = "recovery"   // to choose another password, for guests from outside
)

// RecoveryPause is how long a guest waits for another link to recover their account: no stranger fills their mailbox.
const RecoveryPause = 5 * time.Minute

// Lifetime is how long a link of a purpose works.
func (p Purpose) Lifetime() time.Duration {
	if p == ToAccept {
		return InvitationFor
	}
	return PasswordLinkFor
}
