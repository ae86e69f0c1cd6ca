// Package authzen lets a platform service ask Arbora who may do what, by the OpenID AuthZEN Authorization API 1.0.
//
// A [Service] is a platform service with its API key; [Service.In] returns a [Client] that acts in one organisation. The client gets
// access tokens and renews them (RFC 6749, section 4.4), cuts what is asked at once into requests that are answered whole, and sends
// again what was not answered, since asking alters nothing. Whatever is no answer is an error: never take it for a yes.
//
// [Service.Introspect] tells whose token it is that somebody shows to the platform service (RFC 7662).
//
// [Handler] is the other half: it reads requests and writes answers for whatever decides. Arbora's service is one such; a test of a
// platform service can bring its own.
//
// What Arbora understands of a request's context is in [Context], and what its answers tell besides yes and no in [Why]. What names
// subjects, actions and resources have is told in docs/authzen.md.
package authzen
