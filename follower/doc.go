// Package follower decides beside a platform service what Arbora decides: it keeps a snapshot of one or more organisations, learns of each
// change as it is made, and answers without asking.
//
// [Open] reads an organisation once, from the service or from what was kept on the disk, and then waits for changes. [Organisation.Decide]
// answers in the same process; [Follower.Handler] answers the OpenID AuthZEN Authorization API, on a Unix socket or on loopback, and needs
// no sign-in: every program that can reach it gets the answers that Arbora gives the platform service.
//
// No answer is older than the lease. A follower knows that it was level with the service when it sent the last request that the service
// answered; once that is longer ago than the lease, whatever is asked is refused with [Behind], and nothing is answered from memory. What the
// service revokes, the key of the follower too, is known after the time that a message takes, and in any case after the lease.
//
// The key of a follower, made by "arbora key create --service NAME --follows", opens what followers read and nothing else. What is kept on
// the disk is readable by the follower's own account alone.
package follower
