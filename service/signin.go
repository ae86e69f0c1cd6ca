package service

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"

	"arbora.example/access"
	"arbora.example/people"
	"arbora.example/store"
)

// Attempt is somebody trying to sign in with a password.
type Attempt struct {
	Name, Password string
	Code           string // of the second factor, if there is one
	Organisation   string // where to work, for a guest; empty for home, or the first that knows the guest
	From, Agent    string
}

// SignIn starts a session. A wrong name and a wrong password get the same answer after the same work, and both have to
// wait longer after every few tries.
func (s *Service) SignIn(ctx context.Context, a Attempt) (Caller, error) {
	name, err := people.ParseSignIn(a.Name)
	if err != nil {
		return Caller{}, &Problem{Kind: Invalid, Detail: err.Error(), Field: "name"}
	}
	if err := s.refuseEmpty(ctx); err != nil {
		return Caller{}, err
	}
	identity, err := s.records.IdentityNamed(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return Caller{}, err
	}
	if err := s.testPassword(ctx, name, identity, a.Password, a.From); err != nil {
		return Caller{}, err
	}
	if identity.Temporary && !identity.TemporaryUntil.IsZero() && !s.moment().Before(identity.TemporaryUntil) {
		return Caller{}, &Problem{Kind: Expired, Detail: "your temporary password has ended", Next: "ask an administrator for a new one"}
	}
	strong, err := s.testFactor(ctx, identity, a.Code, a.From)
	if err != nil {
		return Caller{}, err
	}
	session := store.Session{ID: newID(), Identity: identity, Agent: a.Agent, Strong: strong}
	if err := s.seat(ctx, &session, a.Organisation); err != nil {
		return Caller{}, err
	}
	c, err := s.begin(ctx, session, a.From, errNotIn)
	if errors.Is(err, errNotIn) {
		return Caller{}, s.failed(ctx, name, identity, a.From, wrongSignIn())
	}
	return c, err
}

// errNotIn says that somebody is out of use.
var errNotIn = errors.New("service: out of use")

// begin starts a session for somebody whose credentials were checked. Who is out of use gets refusal.
func (s *Service) begin(ctx context.Context, session store.Session, from string, refusal error) (Caller, error) {
	c := callerWith(session, people.NewToken(), from)
	if in, err := s.isIn(ctx, &c); err != nil {
		return Caller{}, err
	} else if !in {
		return Caller{}, refusal
	}
	now := s.moment()
	c.EndsAt = people.SessionEnd(now, now)
	return c, s.records.StartSession(ctx, session, c.Token, s.author(c))
}

func wrongSignIn() *Problem {
	return &Problem{Kind: WrongSignIn, Detail: "the name or the password is wrong", Next: "check both; a name is written NAME@ORGANISATION"}
}

// seat says where a session works: at home, or at an organisation that knows a guest.
func (s *Service) seat(ctx context.Context, session *store.Session, wanted string) error {
	i := session.Identity
	if i.Keeper {
		return nil
	}
	var at access.ID // the one that is wanted; zero for any
	if wanted != "" {
		var err error
		if at, err = s.records.OrganisationNamed(ctx, wanted); err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
	}
	if (wanted == "" || at == i.Organisation) && !i.Organisation.IsZero() {
		session.Organisation, session.OrganisationName, session.Principal = i.Organisation, i.OrganisationName, i.ID
		return nil
	}
	seats, err := s.records.Seats(ctx, i.ID)
	if err != nil {
		return err
	}
	var names []string
	for _, seat := range seats {
		if wanted == "" || at == seat.Organisation {
			session.Organisation, session.OrganisationName, session.Principal = seat.Organisation, seat.Name, seat.Principal
			return nil
		}
		names = append(names, seat.Name)
	}
	p := &Problem{Kind: Refused, Detail: "no organisation knows you at present", Next: "ask whoever invited you"}
	if len(names) > 0 {
		p = notThere("organisation", wanted, access.Nearest(wanted, names))
		p.Next = fmt.Sprintf("you are known in %s", strings.Join(names, ", "))
	}
	return p
}

// testPassword refuses a password that is not the one of an identity, which may be nobody's. Guessing is slowed down by
// the name that is tried and by network address.
func (s *Service) testPassword(ctx context.Context, name people.SignIn, identity store.Identity, password, from string) error {
	if wait := s.guesses.wait(from); wait > 0 {
		return tooOften("too many attempts from your network address", wait)
	}
	guesses, err := s.records.GuessesAt(ctx, name)
	if err != nil {
		return err
	}
	if wait := guesses.LastAt.Add(people.Delay(guesses.Failures)).Sub(s.moment()); wait > 0 {
		if guesses.Failures >= people.LockAfter {
			return tooOften(fmt.Sprintf("%s is locked after %d wrong passwords in a row", name, guesses.Failures), wait)
		}
		return tooOften("too many wrong passwords", wait)
	}
	hash := identity.PasswordHash
	if !identity.By.TakesPassword() {
		hash = ""
	}
	matches, err := people.PasswordMatches(password, hash)
	if err != nil {
		return err
	}
	if matches {
		return s.records.ForgetGuesses(ctx, name)
	}
	return s.failed(ctx, name, identity, from, wrongSignIn())
}

// failed records a failed attempt and gives the answer to it.
func (s *Service) failed(ctx context.Context, name people.SignIn, identity store.Identity, from string, answer *Problem) error {
	ctx = context.WithoutCancel(ctx) // going away does not make a guess uncounted
	guesses, err := s.records.GuessesAt(ctx, name)
	if err != nil {
		return err
	}
	author := store.Author{Name: name.String(), From: from, At: s.moment()}
	failures := guesses.Failures + 1
	records := []store.AuditRecord{{Organisation: identity.OrganisationName, Author: author, Event: "sign-in-failed", Detail: name.String() + " could not sign in"}}
	if failures >= people.LockAfter {
		records = append(records, store.AuditRecord{
			Organisation: identity.OrganisationName, Author: author, Event: "sign-in-locked",
			Detail: fmt.Sprintf("%s is locked for %s after %d wrong passwords in a row", name, people.Delay(failures), failures),
		})
	}
	if err := s.records.NoteGuess(ctx, name, failures, author.At, records...); err != nil {
		return err
	}
	return answer
}

func tooOften(detail string, wait time.Duration) *Problem {
	return &Problem{Kind: TooOften, Detail: detail, Next: fmt.Sprintf("wait %s before the next try", wait.Round(time.Second)+time.Second), RetryAfter: int(wait.Seconds()) + 1}
}

// guesses slows down the guessing of passwords from one network address, whatever names are tried.
type guesses struct {
	byFrom *lru.Cache[string, *rate.Limiter]
}

const (
	guessesPerFrom = 100 // at once, since many people may share an address; then one every fromPause
	fromPause      = time.Second
	guessersKept   = 100_000
)

func newGuesses() *guesses {
	byFrom, err := lru.New[string, *rate.Limiter](guessersKept)
	if err != nil {
		panic(err) // the size is a constant above zero
	}
	return &guesses{byFrom: byFrom}
}

// left is wait that counts nothing.
func (g *guesses) left(from string) time.Duration {
	if limiter, found := g.byFrom.Get(from); found && limiter.Tokens() < 1 {
		return fromPause
	}
	return 0
}

// wait counts an attempt; a result above zero says how long to wait before it can be made.
func (g *guesses) wait(from string) time.Duration {
	fresh := rate.NewLimiter(rate.Every(fromPause), guessesPerFrom)
	limiter, found, _ := g.byFrom.PeekOrAdd(from, fresh)
	if !found {
		limiter = fresh
	}
	if limiter.Allow() {
		return 0
	}
	return fromPause
}
