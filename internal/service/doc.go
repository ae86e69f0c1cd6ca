// Package service holds Arbora's use cases. Each authorises its caller with the core in package access, validates by
// computing the next snapshot, writes one transaction with package store, and then publishes that snapshot.
//
// Everything a use case is asked is asked by a [Caller]. What goes wrong comes back as a [*Problem], or wrapped around
// [store.ErrUnavailable] when the database cannot be reached; any other error is a defect.
package service
