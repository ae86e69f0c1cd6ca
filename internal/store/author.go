package store

import "time"

// Author says who makes a change or is answerable for an event.
type Author struct {
	Name string // sign-in name, or "host" for a command on the host
	From string // network address, or "host"
	At   time.Time
}
