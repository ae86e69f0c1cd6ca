package signin

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/time/rate"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/english"
	"arbora.example/internal/outside"
	"arbora.example/internal/plan"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// SignIns are how people and programs come in, and what they come in with.
type SignIns struct {
	*plan.Maker
	sealer     *credential.Sealer
	Hash       func(ctx context.Context, password string) (string, error)
	guesses    *guesses
	aside      sync.WaitGroup  // what goes on after its answer
	ending     context.Context // ends with the service
	end        context.CancelFunc
	viewing    *viewing
	signing    signing
	remembered remembered
	exchanged  *expirable.LRU[exchange, exchanged]
	fetch      outside.Fetcher
	issuers    *expirable.LRU[[sha256.Size]byte, *outside.Issuer]
	verified   *expirable.LRU[[sha256.Size]byte, credential.AccessToken] // access tokens whose signature is right
	setUp      atomic.Bool                                               // somebody has set the service up; once true it stays so
}

// NewSignIns makes one that hashes passwords by hash, keeps by sealer what it must read again, and asks identity providers by fetch.
func NewSignIns(m *plan.Maker, sealer *credential.Sealer, hash func(ctx context.Context, password string) (string, error), fetch outside.Fetcher) *SignIns {
	ending, end := context.WithCancel(context.Background())
	return &SignIns{
		ending: ending, end: end,
		Maker: m, sealer: sealer, Hash: hash, guesses: newGuesses(), viewing: newViewing(), exchanged: newExchanged(), verified: newVerified(),
		remembered: newRemembered(m.Changed), fetch: fetch, issuers: newIssuers(),
	}
}

// SignInRequest is somebody trying to sign in with a password.
type SignInRequest struct {
	Name, Password string
	Code           string // of the second factor, if there is one
	Organisation   string // where to work, for a guest; empty for home, or the first that knows the guest
	From, Agent    string
}

// SignIn starts a session. A wrong name and a wrong password get the same answer after the same work, and both have to
// wait longer after every few tries.
func (s *SignIns) SignIn(ctx context.Context, a SignInRequest) (tenant.Caller, error) {
	name, err := credential.ParseSignIn(a.Name)
	if err != nil {
		return tenant.Caller{}, &problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Field: "name"}
	}
	if err := s.refuseEmpty(ctx); err != nil {
		return tenant.Caller{}, err
	}
	if wait := s.guesses.wait(signingIn, a.From); wait > 0 {
		return tenant.Caller{}, problem.Wait("too many attempts from your network address", wait)
	}
	identity, err := s.Records.IdentityNamed(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return tenant.Caller{}, err
	}
	if err := s.testPassword(ctx, name, identity, a.Password, a.From); err != nil {
		return tenant.Caller{}, err
	}
	if identity.Temporary && !identity.TemporaryUntil.IsZero() && !s.Moment().Before(identity.TemporaryUntil) {
		return tenant.Caller{}, &problem.Problem{Kind: problem.Expired, Detail: "your temporary password has ended", Next: "ask an administrator for a new one"}
	}
	factor, err := s.testFactor(ctx, identity, a.Code, a.From)
	if err != nil {
		return tenant.Caller{}, err
	}
	session := store.Session{ID: tenant.NewID(), Identity: identity, Agent: a.Agent, Factor: factor, ProvedAt: s.Moment()}
	if err := s.seat(ctx, &session, a.Organisation); err != nil {
		return tenant.Caller{}, err
	}
	c, err := s.begin(ctx, session, a.From, errNotIn)
	if errors.Is(err, errNotIn) {
		return tenant.Caller{}, s.failed(ctx, identity, name, a.From, 0, "", wrongSignIn())
	}
	return c, err
}

// errNotIn says that somebody is out of use.
var errNotIn = errors.New("service: out of use")

// begin starts a session for somebody whose credentials were checked. Who is out of use gets refusal.
func (s *SignIns) begin(ctx context.Context, session store.Session, from string, refusal error) (tenant.Caller, error) {
	if session.Outside.Trust.IsZero() {
		if err := needsProvider(session.Identity); err != nil {
			return tenant.Caller{}, err
		}
	}
	c := callerWith(session, credential.NewToken(), from)
	if in, err := s.isIn(ctx, &c); err != nil {
		return tenant.Caller{}, err
	} else if !in {
		return tenant.Caller{}, refusal
	}
	if err := s.admits(ctx, c, from); err != nil {
		return tenant.Caller{}, err
	}
	demands, err := s.demandsOf(ctx, c)
	if err != nil {
		return tenant.Caller{}, err
	}
	now := s.Moment()
	session.SignedInAt = now
	c.SignedInAt, c.EndsAt = now, endOf(session, demands, now)
	return c, s.Records.StartSession(ctx, session, c.Token, s.Author(c))
}

func wrongSignIn() *problem.Problem {
	return &problem.Problem{Kind: problem.WrongSignIn, Detail: "the name or the password is wrong", Next: "check both; a name is written NAME@ORGANISATION"}
}

// seat says where a session works: at home, or at an organisation that knows a guest.
func (s *SignIns) seat(ctx context.Context, session *store.Session, wanted string) error {
	i := session.Identity
	if i.Keeper {
		return nil
	}
	var at model.ID // the one that is wanted; zero for any
	if wanted != "" {
		var err error
		if at, err = s.Records.OrganisationNamed(ctx, wanted); err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
	}
	if (wanted == "" || at == i.Organisation) && !i.Organisation.IsZero() {
		session.Organisation, session.OrganisationName, session.Principal = i.Organisation, i.OrganisationName, i.ID
		return nil
	}
	seats, err := s.Records.Seats(ctx, i.ID)
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
	p := &problem.Problem{Kind: problem.Refused, Detail: "no organisation knows you at the moment", Next: "ask the person who invited you"}
	if len(names) > 0 {
		p = problem.Missing("organisation", wanted, english.Nearest(wanted, names))
		p.Next = fmt.Sprintf("you are known in %s", strings.Join(names, ", "))
	}
	return p
}

// testPassword refuses a password that is not the one of an identity, which may be nobody's. Attempts are counted before
// anything else, so that many at once are worth no more than one after another.
func (s *SignIns) testPassword(ctx context.Context, name credential.SignIn, identity store.Identity, password, from string) error {
	guess := store.Guess{Name: name, What: credential.PasswordFrom(from)}
	failures, wait, err := s.Records.CountGuess(ctx, guess, s.Moment(), credential.Delay)
	switch {
	case err != nil:
		return err
	case wait > 0 && failures >= credential.LockAfter:
		return problem.Wait(fmt.Sprintf("%s is locked for your network after %d wrong passwords in a row", name, failures), wait)
	case wait > 0:
		return problem.Wait("too many wrong passwords", wait)
	}
	together := store.Guess{Name: name, What: credential.PasswordFromAnywhere}
	if err := s.suspected(ctx, together, identity, from); err != nil {
		return err
	}
	hash := identity.PasswordHash
	if !identity.By.TakesPassword() {
		hash = ""
	}
	matches, err := credential.PasswordMatches(ctx, password, hash, credential.Network(from))
	if err != nil {
		return err
	}
	if matches {
		return s.Records.UncountGuess(ctx, guess)
	}
	if _, _, err := s.Records.CountGuess(ctx, together, s.Moment(), func(int) time.Duration { return 0 }); err != nil {
		return err
	}
	return s.failed(ctx, identity, name, from, failures, "wrong passwords", wrongSignIn())
}

// suspected has attempts from networks that a person never signed in from wait for one another, once many were wrong.
func (s *SignIns) suspected(ctx context.Context, together store.Guess, identity store.Identity, from string) error {
	failures, err := s.Records.Guesses(ctx, together)
	if err != nil || credential.DelayTogether(failures) == 0 {
		return err
	}
	known, err := s.Records.SignedInFrom(ctx, identity.ID)
	if err != nil {
		return err
	}
	for _, address := range known {
		if credential.Network(address) == credential.Network(from) {
			return nil
		}
	}
	if _, wait, err := s.Records.CountGuess(ctx, together, s.Moment(), credential.DelayTogether); err != nil || wait == 0 {
		return err
	} else {
		return problem.Wait("too many wrong passwords for this name, from many networks", wait)
	}
}

// failed records an attempt that was counted and failed, and gives the answer to it. When it was one too many, whoever it was
// tried for hears of it.
func (s *SignIns) failed(ctx context.Context, identity store.Identity, name credential.SignIn, from string, failures int, what string, answer *problem.Problem) error {
	ctx = context.WithoutCancel(ctx) // going away does not leave a guess unrecorded
	author := store.Author{Name: name.String(), From: from, At: s.Moment()}
	records := []store.AuditRecord{{Organisation: identity.OrganisationName, Author: author, Event: "sign-in-failed", Detail: name.String() + " could not sign in"}}
	if failures >= credential.LockAfter {
		told := fmt.Sprintf("%s is locked for %s after %d %s in a row from %s", name, credential.Delay(failures), failures, what, from)
		records = append(records, store.AuditRecord{Organisation: identity.OrganisationName, Author: author, Event: "sign-in-locked", Detail: told})
		s.Notify(ctx, identity, "Somebody tried to sign in as you: "+told+".")
	}
	if err := s.Records.Audit(ctx, records...); err != nil {
		return err
	}
	return answer
}

// guesses slows down what can be tried without signing in, by network, whatever names are tried. Each purpose has its own count,
// so that one does not use up what is left for another.
type guesses struct {
	byPurpose map[purpose]*lru.Cache[string, *rate.Limiter]
}

// purpose is what is tried.
type purpose string

const (
	signingIn    purpose = "sign-in"
	openingLinks purpose = "link"
	askingIn     purpose = "device"
	showingKeys  purpose = "key"
	usingPasskey purpose = "passkey"
	recovering   purpose = "recovery"
	comingBy     purpose = "provider"
)

const (
	guessesPerFrom = 100 // at once, since many people may share an address; then one every fromPause
	fromPause      = time.Second
	guessersKept   = 20_000
)

func newGuesses() *guesses {
	g := &guesses{byPurpose: map[purpose]*lru.Cache[string, *rate.Limiter]{}}
	for _, p := range []purpose{signingIn, openingLinks, askingIn, showingKeys, usingPasskey, recovering, comingBy} {
		cache, err := lru.New[string, *rate.Limiter](guessersKept)
		if err != nil {
			panic(err) // the size is a constant above zero
		}
		g.byPurpose[p] = cache
	}
	return g
}

// guesser names who is slowed down together: an address of IPv4, which many may share already, and a network of IPv6, of which
// one person has a whole one.
func guesser(from string) string {
	if strings.Contains(from, ":") {
		return credential.Network(from)
	}
	return from
}

// left is wait that counts nothing.
func (g *guesses) left(p purpose, from string) time.Duration {
	if limiter, found := g.byPurpose[p].Get(guesser(from)); found && limiter.Tokens() < 1 {
		return fromPause
	}
	return 0
}

// wait counts an attempt; a result above zero says how long to wait before it can be made.
func (g *guesses) wait(p purpose, from string) time.Duration {
	fresh := rate.NewLimiter(rate.Every(fromPause), guessesPerFrom)
	limiter, found, _ := g.byPurpose[p].PeekOrAdd(guesser(from), fresh)
	if !found {
		limiter = fresh
	}
	if limiter.Allow() {
		return 0
	}
	return fromPause
}
