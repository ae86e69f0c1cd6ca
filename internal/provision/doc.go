// Package provision lets the own system of an identity provider tell of its people and groups: who is there, who has left, and who is in which
// group. It knows nothing of the protocol by which that is told, which is package scim's.
//
// Whoever is told of is an outside person, the same as comes by the provider with that subject. Groups are outside groups, which act through group
// links alone. What a system tells is kept as it was told.
package provision

import "arbora.example/internal/change"

// Provisioning are the use cases of providers' systems. It is safe for concurrent use.
type Provisioning struct{ *change.Changes }
