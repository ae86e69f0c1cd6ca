// Package plan is how a change of an organisation comes about: it is planned for a viewer, weighed and made.
//
// A [Change] is a use case with two verbs. [Change.Preview] tells the [Impact] of the very plan that [Change.Make] makes. Both hold the
// rule on gains ([MayMake]); to make it takes a confirmation or a fresh proof besides, where it opens something to strangers or gives
// permissions to govern.
package plan
