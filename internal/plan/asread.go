package plan

import (
	"fmt"
	"maps"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/internal/problem"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// AsRead is what an edit alters, as it was read. What is another by now is then not written over unseen: the edit fails with
// [problem.Outdated]. Nil tells nothing of a thing.
type AsRead struct {
	Name, Title, Description *string
	Tags                     *map[string]string
	Email, Owner, Gathers    *string // of a principal; the owner of a group is a user's name, empty for none
	Text                     *string // of a policy
}

// Another is one thing that may be another than it was read as.
type Another struct {
	Field, Word string
	Is          bool
}

// Outdated refuses an edit when any thing is another than it was read as.
func Outdated(what string, things ...Another) error {
	for _, thing := range things {
		if thing.Is {
			return &problem.Problem{
				Kind: problem.Outdated, Field: thing.Field, Detail: fmt.Sprintf("somebody changed the %s of %s since you read it", thing.Word, what),
				Next: "read it again, and edit the present version",
			}
		}
	}
	return nil
}

func isAnother(was *string, now string) bool { return was != nil && *was != now }

func areOthers(was *map[string]string, now map[string]string) bool {
	return was != nil && !maps.Equal(*was, now)
}

// OfScope refuses the edit of a scope that is another than it was read as.
func (r AsRead) OfScope(what string, now model.Scope, details store.ScopeDetails) error {
	return Outdated(what,
		Another{"name", "name", isAnother(r.Name, now.Name)},
		Another{"title", "title", isAnother(r.Title, details.Title)},
		Another{"description", "description", isAnother(r.Description, details.Description)},
		Another{"tags", "tags", areOthers(r.Tags, now.Tags)})
}

// OfPrincipal refuses the edit of a principal that is another than it was read as.
func (r AsRead) OfPrincipal(d tenant.Viewer, now access.Principal, details store.PrincipalDetails) error {
	owner, _ := d.Principal(now.Owner)
	return Outdated(now.Kind.String()+" "+now.Name,
		Another{"name", "name", isAnother(r.Name, now.Name)},
		Another{"title", "title", isAnother(r.Title, details.Title)},
		Another{"description", "description", isAnother(r.Description, details.Description)},
		Another{"email", "email", isAnother(r.Email, details.Email)},
		Another{"owner", "owner", isAnother(r.Owner, owner.Name)},
		Another{"gathers", "condition", isAnother(r.Gathers, now.Gathers.String())},
		Another{"tags", "tags", areOthers(r.Tags, now.Tags)})
}

// OfPolicy refuses the edit of a policy that is another than it was read as.
func (r AsRead) OfPolicy(name, description, text string) error {
	return Outdated("policy "+name,
		Another{"name", "name", isAnother(r.Name, name)},
		Another{"description", "description", isAnother(r.Description, description)},
		Another{"text", "text", isAnother(r.Text, text)})
}

// NothingToEdit refuses an edit that alters nothing: it is no way to write a change record, or to learn whether something is there.
func NothingToEdit() *problem.Problem {
	return &problem.Problem{Kind: problem.Invalid, Detail: "the edit changes nothing", Next: "say what to edit, such as the title"}
}
