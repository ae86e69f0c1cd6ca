// Package people holds the rules about people that need no database: how a sign-in name is written, which passwords are
// good, how passwords and session tokens are made and kept, and how long a session lives.
package people
