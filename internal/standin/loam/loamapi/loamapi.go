// Package loamapi has what Loam, the stand-in cloud, is told and what it tells, as JSON; docs/loam.md has its routes.
package loamapi

import (
	"time"

	"github.com/google/uuid"

	"arbora.example/api"
)

// Key is the API key that one of Loam's services acts by.
type Key struct {
	ID     string `json:"key"`
	Secret string `json:"secret"`
}

// Services are the platform services that Loam runs; each needs a key.
var Services = []string{"compute", "networking", "storage", "databases", "labs", "apps"}

// Input is what an act may be told; each takes what makes sense for it.
type Input struct {
	Type    string   `json:"type,omitempty"`
	Name    string   `json:"name,omitempty"`
	Title   string   `json:"title,omitempty"`
	At      string   `json:"at,omitempty"`
	Size    string   `json:"size,omitempty"`
	Network string   `json:"network,omitempty"` // address or id
	RunsAs  string   `json:"runsAs,omitempty"`  // address of a service account, or its id
	Range   string   `json:"range,omitempty"`
	Rules   []string `json:"rules,omitempty"`
	Text    *string  `json:"text,omitempty"`    // an app's page, a lab's notebook
	Largest *int     `json:"largest,omitempty"` // of what a bucket or database takes, in bytes
	Program []string `json:"program,omitempty"` // what is run on a machine, line by line
	Key     string   `json:"key,omitempty"`     // of a record in a database
	Value   string   `json:"value,omitempty"`
	Prefix  string   `json:"prefix,omitempty"`
}

// Attributes are what a resource is made of besides its name and place. Each type uses those that make sense for it.
type Attributes struct {
	Size    string    `json:"size,omitempty"`    // of a machine or database: small, medium or large
	Network uuid.UUID `json:"network,omitzero"`  // of a machine or lab
	RunsAs  uuid.UUID `json:"runsAs,omitzero"`   // of a machine: the service account that what runs on it acts as
	AsNamed string    `json:"asNamed,omitempty"` // what that account was called when it was attached
	Machine uuid.UUID `json:"machine,omitzero"`  // of a lab: what it runs on
	Range   string    `json:"range,omitempty"`   // of a network or subnet, in CIDR notation
	Rules   []string  `json:"rules,omitempty"`   // of a network: what may pass
	Within  uuid.UUID `json:"within,omitzero"`   // of a subnet: its network
	Largest int       `json:"largest,omitempty"` // of a bucket or database: the largest object or record it takes, in bytes; 0 for no bound
	Text    string    `json:"text,omitempty"`    // of an app: its page; of a lab: its notebook
}

// Description is a resource as it is told to whoever may describe it.
type Description struct {
	ID         uuid.UUID  `json:"id"`
	Address    string     `json:"address"`
	Type       string     `json:"type"`
	State      string     `json:"state,omitempty"` // running or stopped, where that makes sense
	Attributes Attributes `json:"attributes"`
	// Addresses are those of what it refers to, by id, as far as the asker sees them.
	Addresses map[uuid.UUID]string `json:"addresses,omitempty"`
}

// Here is what is at a scope, and what the asker may do with it.
type Here struct {
	Address    string          `json:"address"`
	Title      string          `json:"title"`
	Kind       string          `json:"kind"`
	Containers []api.ScopeNode `json:"containers"`
	Resources  []ResourceHere  `json:"resources"`
	Creatable  []Act           `json:"creatable"`
	Unlisted   []Act           `json:"unlisted"` // types that may not be listed here: of them only what one holds is shown
	More       bool            `json:"more"`     // there are more than are shown
}

// ResourceHere is a resource and what may be done with it.
type ResourceHere struct {
	ID      string `json:"id"`
	Name    string `json:"name"`
	Type    string `json:"type"`
	Title   string `json:"title"`
	Address string `json:"address"`
	Retired bool   `json:"retired"`
	State   string `json:"state,omitempty"`
	Size    string `json:"size,omitempty"`
	Acts    []Act  `json:"acts"`
}

// Act is something that may be done, or why not.
type Act struct {
	Operation  string `json:"operation"`
	Type       string `json:"type"`
	Permission string `json:"permission"`
	On         bool   `json:"on"`
	Reason     string `json:"reason,omitempty"` // why it is off
	Ask        string `json:"ask,omitempty"`    // how to ask for it
}

// Object is a file in a bucket, told without its bytes.
type Object struct {
	Name      string    `json:"name"`
	MediaType string    `json:"mediaType"`
	Size      int64     `json:"size"`
	SHA256    string    `json:"sha256"`
	PutAt     time.Time `json:"putAt"`
	PutBy     string    `json:"putBy"`
}

// Entry is a record in a database.
type Entry struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Connection is a way into a database: its token is told this once, and sent as a bearer token with each query.
type Connection struct {
	Token  string    `json:"token"`
	EndsAt time.Time `json:"endsAt"`
}

// Step is one line of a program and what came of it.
type Step struct {
	Line    string `json:"line"`
	Output  string `json:"output,omitempty"`
	Refused string `json:"refused,omitempty"` // why it was not done
}

// Ran is what came of a program.
type Ran struct {
	As    string `json:"as"` // who it acted as
	Steps []Step `json:"steps"`
}

// Notebook is what is written in a lab.
type Notebook struct {
	Text string `json:"text"`
}

// Page is an app as its visitors see it.
type Page struct {
	Text string `json:"text"` // HTML, or plain text
}

// Traffic is what is seen of a network by whoever watches it.
type Traffic struct {
	Rules    []string   `json:"rules"`
	Attached []Attached `json:"attached"`
}

// Attached is something on a network.
type Attached struct {
	ID      uuid.UUID `json:"id"`
	Type    string    `json:"type"`
	State   string    `json:"state,omitempty"`
	Range   string    `json:"range,omitempty"`
	Address string    `json:"address,omitempty"` // where the watcher sees it
}
