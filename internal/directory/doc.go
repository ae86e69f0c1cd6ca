// Package directory reads the people and groups of a directory: by LDAP (RFC 4511), or from a file of its entries (LDIF, RFC 2849).
//
// It finds out what is there, and says nothing of what becomes of it: that is package provision's.
package directory
