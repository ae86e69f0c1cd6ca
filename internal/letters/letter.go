package letters

import (
	"fmt"
	"strings"
	"time"
)

// Letter is a mail to one person, in plain text.
type Letter struct {
	To, Subject, Text string
}

// Occasion is what letters tell of.
type Occasion struct {
	Organisation string // as people read it
	SignIn       string // the name to sign in by
	Address      string // of the console
	Link         string
	From         string // who asked for it, as people read it
	Until        time.Time
}

// A letter never carries a password.

// Invitation is the letter to a guest.
func Invitation(to string, o Occasion) Letter {
	return letter(to, "You are invited to "+o.Organisation,
		fmt.Sprintf("%s invites you to work with %s as a guest.", o.From, o.Organisation),
		"To accept, open this link. It works once, until "+instant(o.Until)+":", o.Link,
		"If you expected nothing of the kind, do nothing: without your acceptance the invitation opens nothing.")
}

// PasswordLink is the letter to somebody who may choose a password.
func PasswordLink(to string, o Occasion) Letter {
	return letter(to, "Choose your password for "+o.Organisation,
		fmt.Sprintf("You sign in to %s as %s.", o.Organisation, o.SignIn),
		"To choose your password, open this link. It works once, until "+instant(o.Until)+":", o.Link,
		"If the link has ended, ask "+o.From+" for another.")
}

// Recovery is the letter to a guest who cannot sign in any more.
func Recovery(to string, o Occasion) Letter {
	return letter(to, "Choose another password for Arbora",
		"Somebody asked to recover the account "+o.SignIn+".",
		"To choose another password, open this link. It works once, until "+instant(o.Until)+":", o.Link,
		"If it was not you, do nothing: your password stays as it is.")
}

// Instructions is the letter that tells somebody how to sign in.
func Instructions(to string, o Occasion) Letter {
	return letter(to, "How to sign in to "+o.Organisation,
		fmt.Sprintf("%s made you a user of %s.", o.From, o.Organisation),
		"You sign in as "+o.SignIn+" at", o.Address,
		"What you sign in with comes another way: nobody sends you a password by mail, and nobody asks you for one.")
}

// Notice is the letter that tells somebody what was done with how they sign in.
func Notice(to string, o Occasion, what string) Letter {
	return letter(to, "About how you sign in to "+o.Organisation,
		what,
		"You sign in to "+o.Organisation+" as "+o.SignIn+" at", o.Address,
		"If this was not you, and nobody announced it, ask an administrator.")
}

func letter(to, subject string, paragraphs ...string) Letter {
	return Letter{To: to, Subject: subject, Text: strings.Join(paragraphs, "\r\n\r\n") + "\r\n"}
}

func instant(t time.Time) string { return t.UTC().Format("2 January 2006, 15:04 UTC") }
