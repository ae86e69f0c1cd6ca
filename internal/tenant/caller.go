package tenant

import (
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
)

// Caller is who asks for a use case, as whom, and where it calls from: a person with a session, or a program with an
// access token.
type Caller struct {
	Identity         store.Identity // a person's; zero for a program
	Session          model.ID       // a person's; zero for a program
	Name             string         // as records call the caller
	Organisation     model.ID       // where it works; zero for a keeper
	OrganisationName string
	Principal        model.ID // as whom it acts there
	Kind             model.PrincipalKind
	Token            credential.Token
	Factor           settings.Factor   // by which the session began
	Wanted           []settings.Factor // one of these comes before anything else; none when nothing does. Kept by whoever admits the caller
	SignedInAt       time.Time         // of a person
	ProvedAt         time.Time         // when the person last gave a password or passkey in this session; zero for never
	Key              model.ID          // of a program: the API key it showed
	TokenID          model.ID          // of a program: its access token
	MayGovern        bool              // a program whose key was made for governing
	KeyUntil         time.Time         // when the key of a program ends; zero for never
	Audience         string            // whom the access token is for, when that is not Arbora itself
	EndsAt           time.Time         // when the session ends unless it is used again, or the access token
	From             string            // network address
	// Served is whom a platform service acts for; zero for itself. ServedFrom is where that one is, as the service says; empty when
	// it does not.
	Served     model.ID
	ServedFrom string
	// ViewsAs is whom the caller looks as, who is then the principal; empty for oneself.
	ViewsAs string
	// Confirmed is the confirmation of the impact that the caller saw of the change now asked for; empty for none.
	Confirmed string
	// Once stands for the key under which a request is carried out once: see [service.Service.Once]. Zero for none.
	Once [32]byte
}

// isTame reports whether the caller is a program of the organisation whose key was not made for governing.
func (c Caller) isTame() bool {
	return c.Identity.ID.IsZero() && !c.MayGovern && c.Kind != model.PlatformService
}
