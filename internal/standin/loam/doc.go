// Package loam is Loam, a stand-in cloud: six platform services (compute, networking, storage, databases, labs and apps)
// in one program, with records of their own. Loam decides nothing about access. Whoever calls shows the token they hold at
// Arbora; Loam has it introspected (RFC 7662), asks Arbora about each act by the OpenID AuthZEN Authorization API 1.0, each
// service with an API key of its own, and registers and retires resources through Arbora's API. What Arbora does not answer
// is refused.
//
// Names, places, tags and whether something is retired are kept by Arbora; Loam keeps by id what the resource is: a
// machine's size, a bucket's objects.
package loam
