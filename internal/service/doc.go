// Package service puts the use cases of Arbora together: how people and programs come in (package signin), what is asked (package ask)
// and what is changed (package change). They share what an instance keeps of each organisation (package tenant), and how a change is
// planned, weighed and made (package plan). What goes wrong comes back as a [problem.Problem], or
// wrapped around [store.ErrUnavailable] when the database cannot be reached; any other error is a defect.
package service
