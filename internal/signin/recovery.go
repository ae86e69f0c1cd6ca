package signin

import (
	"context"
	"errors"

	"arbora.example/internal/credential"
	"arbora.example/internal/letters"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
)

// Guests from outside have an account of their own and no administrator who could reset it: they recover it by mail.

// AskRecovery mails a link to recover the account of a guest from outside, if there is one under an address. What is answered, and
// when, does not tell whether there is.
func (s *SignIns) AskRecovery(ctx context.Context, address, from string) error {
	if err := s.refuseEmpty(ctx); err != nil {
		return err
	}
	if wait := s.guesses.wait(recovering, from); wait > 0 {
		return problem.Wait("too many attempts from your network address", wait)
	}
	address, err := credential.ParseAddress(address)
	if err != nil {
		return &problem.Problem{Kind: problem.Invalid, Detail: err.Error(), Next: "give the mail address that you sign in with; people of an organisation ask its administrators", Field: "address"}
	}
	if s.Post == nil {
		return &problem.Problem{Kind: problem.Conflict, Detail: "this installation sends no mail", Next: "ask the person who invited you for another invitation"}
	}
	ctx = context.WithoutCancel(ctx)
	s.aside.Go(func() {
		if err := s.mailRecovery(ctx, address, from); err != nil {
			s.Log.Error("a link to recover an account could not be made", "error", err)
		}
	})
	return nil
}

// Aside does what may go on after its answer, with a context that ends when the service does.
func (s *SignIns) Aside(ctx context.Context, do func(context.Context)) {
	ctx, cancel := context.WithCancel(context.WithoutCancel(ctx))
	stop := context.AfterFunc(s.ending, cancel)
	s.aside.Go(func() {
		defer cancel()
		defer stop()
		do(ctx)
	})
}

// Wait returns once all is done, or broken off, that goes on after its answer. Nothing more may be asked of the service.
func (s *SignIns) Wait() {
	s.end()
	s.aside.Wait()
}

func (s *SignIns) mailRecovery(ctx context.Context, address, from string) error {
	identity, err := s.Records.IdentityNamed(ctx, credential.SignIn{Name: address})
	if errors.Is(err, store.ErrNotFound) || err == nil && identity.Keeper {
		return nil
	} else if err != nil {
		return err
	}
	now, token := s.Moment(), credential.NewToken()
	until := now.Add(credential.ToRecover.Lifetime())
	author := store.Author{Name: address, From: from, At: now}
	made, err := s.Records.AskRecovery(ctx, identity, token, until, now.Add(-credential.RecoveryPause), author)
	if err != nil || !made {
		return err
	}
	s.Mail(ctx, letters.Recovery(address, letters.Occasion{SignIn: address, Link: s.Address() + "/#/link/" + string(token), Until: until}))
	return nil
}

// readRecovery returns whose account a link recovers. The error is [store.ErrNotFound] when it recovers none.
func (s *SignIns) readRecovery(ctx context.Context, token credential.Token) (LinkView, error) {
	identity, until, err := s.Records.Recovery(ctx, token)
	if err != nil {
		return LinkView{}, err
	}
	if !s.Moment().Before(until) {
		return LinkView{}, &problem.Problem{Kind: problem.Expired, Detail: "this link has expired", Next: "ask for another on the sign-in page"}
	}
	return LinkView{
		Link: store.Link{Purpose: credential.ToRecover, Until: until, MailedTo: identity.Name}, SignIn: identity.Name, Title: identity.Title, account: identity,
	}, nil
}

// recover chooses another password by a link.
func (s *SignIns) recover(ctx context.Context, v LinkView, token credential.Token, password, from string) error {
	if err := CheckPassword(password, "password", v.SignIn, v.Title); err != nil {
		return err
	}
	hash, err := s.Hash(ctx, password)
	if err != nil {
		return err
	}
	author := store.Author{Name: v.SignIn, From: from, At: s.Moment()}
	if err := s.Records.Recover(context.WithoutCancel(ctx), v.account, token, hash, author); err != nil {
		return usedMeanwhile(err)
	}
	s.Notify(ctx, v.account, "Your password was replaced by a link that was mailed to you. Sessions and passkeys of before open nothing any more.")
	return s.Records.ForgetGuesses(ctx, v.account.SignIn())
}
