// Package signin is how people and programs come in, and what they come in with: passwords and second factors, sessions, links, API keys
// and access tokens, terminals, and fresh proofs. It finds who a credential stands for ([SignIns.Caller]), and slows down guesses.
package signin
