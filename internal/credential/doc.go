// Package credential holds the rules about what people and programs come in with, which need no database: sign-in names, passwords and
// second factors, sessions, API keys and access tokens, one-time links, and how secrets are made, hashed and sealed.
package credential
