package settings

import "fmt"

// Quotas bound what an organisation may have, so that nobody uses up what is there for all. Keepers set them.
type Quotas struct {
	Scopes     int `json:"scopes,omitempty"`
	Principals int `json:"principals,omitempty"` // users, guests and service accounts
	Groups     int `json:"groups,omitempty"`
	Grants     int `json:"grants,omitempty"`
	Statements int `json:"statements,omitempty"` // of all policies together
	Streams    int `json:"streams,omitempty"`    // that one principal has open
	Writes     int `json:"writes,omitempty"`     // that one principal makes in a minute
}

// usual is what counts where keepers have set nothing.
var usual = Quotas{Scopes: 2_000_000, Principals: 200_000, Groups: 20_000, Grants: 500_000, Statements: 20_000, Streams: 50, Writes: 6_000}

// OrUsual returns the quotas with what counts where none is set.
func (q Quotas) OrUsual() Quotas {
	usually := usual
	into := usually.each()
	for i, set := range q.each() {
		if *set.value != 0 {
			*into[i].value = *set.value
		}
	}
	return usually
}

// Check refuses quotas that nobody could work with; the error says which.
func (q Quotas) Check() error {
	for _, set := range q.each() {
		if *set.value < 0 {
			return fmt.Errorf("%d %s is below 0", *set.value, set.name)
		}
	}
	return nil
}

type quota struct {
	name  string
	value *int
}

func (q *Quotas) each() []quota {
	return []quota{
		{"scopes", &q.Scopes}, {"principals", &q.Principals}, {"groups", &q.Groups}, {"grants", &q.Grants}, {"statements", &q.Statements},
		{"streams", &q.Streams}, {"writes", &q.Writes},
	}
}
