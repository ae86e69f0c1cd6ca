// Package letters writes the mails that Arbora sends. None of them carries a password.
package letters
