// Package identity is a stand-in for the identity provider of another organisation: people sign in at its page, and it says of them what its
// page lets anybody set (OpenID Connect Core 1.0, Discovery 1.0, RP-Initiated Logout 1.0 and Back-Channel Logout 1.0). It tells another service of them by SCIM 2.0 (RFC
// 7644).
package identity
