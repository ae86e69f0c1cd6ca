// Package outside reads what identity providers say of their people, by OpenID Connect, and makes of it what Arbora keeps: whom they are,
// and with which claims. It knows nothing of records, sessions and access.
package outside
