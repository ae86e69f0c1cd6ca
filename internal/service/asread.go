package service

import (
	"fmt"
	"maps"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/store"
)

// AsRead is what an edit alters, as it was read. What is another by now is then not written over unseen: the edit fails with
// [Outdated]. Nil tells nothing of a thing.
type AsRead struct {
	Name, Title, Description *string
	Tags                     *map[string]string
	Email, Owner, Gathers    *string // of a principal; the owner of a group is a user's name, empty for none
	Text                     *string // of a policy
}

// another is one thing that may be another than it was read as.
type another struct {
	field, word string
	is          bool
}

// outdated refuses an edit when any thing is another than it was read as.
func outdated(what string, things ...another) error {
	for _, thing := range things {
		if thing.is {
			return &Problem{
				Kind: Outdated, Field: thing.field, Detail: fmt.Sprintf("somebody changed the %s of %s since you read it", thing.word, what),
				Next: "read it again, and alter what it says by now",
			}
		}
	}
	return nil
}

func isAnother(was *string, now string) bool { return was != nil && *was != now }

func areOthers(was *map[string]string, now map[string]string) bool {
	return was != nil && !maps.Equal(*was, now)
}

func (r AsRead) ofScope(what string, now model.Scope, details store.ScopeDetails) error {
	return outdated(what,
		another{"name", "name", isAnother(r.Name, now.Name)},
		another{"title", "title", isAnother(r.Title, details.Title)},
		another{"description", "description", isAnother(r.Description, details.Description)},
		another{"tags", "tags", areOthers(r.Tags, now.Tags)})
}

func (r AsRead) ofPrincipal(d desk, now access.Principal, details store.PrincipalDetails) error {
	owner, _ := d.Principal(now.Owner)
	return outdated(now.Kind.String()+" "+now.Name,
		another{"name", "name", isAnother(r.Name, now.Name)},
		another{"title", "title", isAnother(r.Title, details.Title)},
		another{"description", "description", isAnother(r.Description, details.Description)},
		another{"email", "email", isAnother(r.Email, details.Email)},
		another{"owner", "owner", isAnother(r.Owner, owner.Name)},
		another{"gathers", "condition", isAnother(r.Gathers, now.Gathers.String())},
		another{"tags", "tags", areOthers(r.Tags, now.Tags)})
}

func (r AsRead) ofPolicy(name, description, text string) error {
	return outdated("policy "+name,
		another{"name", "name", isAnother(r.Name, name)},
		another{"description", "description", isAnother(r.Description, description)},
		another{"text", "text", isAnother(r.Text, text)})
}

// nothingToEdit refuses an edit that alters nothing: it is no way to write a change record, or to learn whether something is there.
func nothingToEdit() *Problem {
	return &Problem{Kind: Invalid, Detail: "the edit alters nothing", Next: "say what to alter, such as the title"}
}
