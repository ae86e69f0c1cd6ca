package people

// Settings are what an organisation decides for itself.
type Settings struct {
	KeysEach       int  `json:"keysEach"`       // how many API keys anybody may have at a time
	ForbidSignedIn bool `json:"forbidSignedIn"` // no grant or statement may name signed-in
	SecondFactor   bool `json:"secondFactor"`   // who holds permissions to govern needs a second factor
	ForbidPublic   bool `json:"forbidPublic"`   // no grant or statement may name public
	// Services are the platform services that may act in the organisation; nil for all.
	Services []string `json:"services,omitempty"`
}

// DefaultSettings are those of an organisation that has decided nothing: three keys, so that one can be exchanged without
// a gap, and nothing forbidden.
func DefaultSettings() Settings { return Settings{KeysEach: 3} }
