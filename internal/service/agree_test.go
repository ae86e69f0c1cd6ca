package service_test

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/demo"
)

// TestAllAnswersAgree asks the same questions in every way there is, under several circumstances: check with its explanation,
// evaluation, evaluations, the three searches and holders; and, where nothing is told, reach and matrix, too.
func TestAllAnswersAgree(t *testing.T) {
	b := testbed.InMemory(t)
	require.NoError(t, demo.LoadStory(t.Context(), b.Address, b.Mail.Page()))
	rowan, token := b.As(t, "rowan@lindenmere"), b.Token(t, "rowan@lindenmere")
	for at, text := range map[string]string{
		herbarium: `user piotr may put object if context.location is "north"` + "\n" + `user oona may fetch object from 2090-01-01`,
		vault:     `everyone except vault-keepers may never fetch object if not context.ip within "127.0.0.0/8"`,
		alpine:    `user sefa may edit bucket if context.ip within "127.0.0.0/8" and context.location is "north"`,
	} {
		require.NoError(t, client.Done(rowan.CreatePolicyAt(t.Context(), at, api.PolicyNew{Name: "agreed", Text: text})), at)
	}
	later := time.Date(2091, 1, 1, 0, 0, 0, 0, time.UTC)
	a := agreement{
		t: t, b: b, rowan: rowan, token: token,
		people:      []string{"rowan", "maeve", "tomas", "ines", "piotr", "yuki", "sefa", "oona", "bram"},
		scopes:      []string{digitising + "/scans.bucket", vault + "/vault-scans.bucket", alpine + "/sensor-log.bucket"},
		permissions: []string{"describe bucket", "edit bucket", "retire bucket", "list object", "fetch object", "put object", "erase object"},
	}
	for _, told := range []*api.QuestionContext{
		nil, {Ip: "127.0.0.9"}, {Ip: "10.0.0.9"}, {Location: "north"}, {Ip: "127.0.0.9", Location: "north"}, {Time: later, Ip: "127.0.0.9"},
	} {
		a.ask(told)
	}
}

type agreement struct {
	t                           *testing.T
	b                           *testbed.Bed
	rowan                       *client.Client
	token                       string
	people, scopes, permissions []string
}

// yes are the questions "PERSON PERMISSION at SCOPE" that are answered with yes.
type yes map[string]bool

func asking(person, permission, scope string) string {
	return person + " " + permission + " at " + scope
}

// each calls visit with every question.
func (a *agreement) each(visit func(person, permission, scope string)) {
	for _, scope := range a.scopes {
		for _, permission := range a.permissions {
			for _, person := range a.people {
				visit(person, permission, scope)
			}
		}
	}
}

// ask asks everything under some circumstances; nil tells nothing.
func (a *agreement) ask(told *api.QuestionContext) {
	context := map[string]any{}
	if told != nil {
		text, err := json.Marshal(told)
		require.NoError(a.t, err)
		require.NoError(a.t, json.Unmarshal(text, &context))
	}
	checked := a.check(told)
	require.NotEmpty(a.t, checked)
	answers := map[string]yes{
		"evaluations": a.evaluations(context), "search/subject": a.subjects(context), "search/action": a.actions(context),
		"search/resource": a.resources(context), "holders": a.holders(told),
	}
	if told == nil {
		answers["reach"], answers["matrix"] = a.reach(), a.matrix()
	}
	for way, given := range answers {
		require.Equal(a.t, slices.Sorted(maps.Keys(checked)), slices.Sorted(maps.Keys(given)), "%s, told %v", way, context)
	}
}

// check asks the console's way, and sees that the explanation names what decided.
func (a *agreement) check(told *api.QuestionContext) yes {
	found := yes{}
	a.each(func(person, permission, scope string) {
		answer, err := a.rowan.Check(a.t.Context(), scope, api.Question{Permission: permission, Principal: ptr(user(person)), Context: told})
		require.NoError(a.t, err)
		if answer.Allowed {
			found[asking(person, permission, scope)] = true
			require.True(a.t, slices.ContainsFunc(answer.Rules, func(m api.RuleOutcome) bool { return m.Effective && !m.Cuts }), "a rule gives it: %s", answer.Words)
		}
	})
	return found
}

// split returns the operation and the type of a permission.
func split(permission string) (operation, resourceType string) {
	operation, resourceType, _ = strings.Cut(permission, " ")
	return operation, resourceType
}

func entity(kind, id string) map[string]any { return map[string]any{"type": kind, "id": id} }

// authzen asks the Authorization API and gives its answer.
func (a *agreement) authzen(path string, question map[string]any) map[string]any {
	text, err := json.Marshal(question)
	require.NoError(a.t, err)
	status, answer := authzen(a.t, a.b, a.token, path, string(text))
	require.Equal(a.t, 200, status, answer)
	return answer
}

// evaluations asks all at once, and the first of each scope alone, too.
func (a *agreement) evaluations(context map[string]any) yes {
	var names []string
	var asked []any
	a.each(func(person, permission, scope string) {
		operation, resourceType := split(permission)
		names = append(names, asking(person, permission, scope))
		asked = append(asked, map[string]any{"subject": entity("user", person), "action": map[string]any{"name": operation}, "resource": entity(resourceType, scope)})
	})
	found := yes{}
	for i, one := range a.authzen("evaluations", map[string]any{"evaluations": asked, "context": context})["evaluations"].([]any) {
		decision := one.(map[string]any)["decision"].(bool)
		if decision {
			found[names[i]] = true
		}
		if i%len(a.people) == 0 {
			alone := maps.Clone(asked[i].(map[string]any))
			alone["context"] = context
			require.Equal(a.t, decision, a.authzen("evaluation", alone)["decision"], names[i])
		}
	}
	return found
}

// results returns what a search found, by a member of it.
func (a *agreement) results(path, member string, search map[string]any) (found []string) {
	search["page"] = map[string]any{"limit": 1000}
	for _, one := range a.authzen("search/"+path, search)["results"].([]any) {
		found = append(found, one.(map[string]any)[member].(string))
	}
	return found
}

func (a *agreement) subjects(context map[string]any) yes {
	found := yes{}
	for _, scope := range a.scopes {
		for _, permission := range a.permissions {
			operation, resourceType := split(permission)
			search := map[string]any{"subject": map[string]any{"type": "user"}, "action": map[string]any{"name": operation}, "resource": entity(resourceType, scope), "context": context}
			for _, person := range a.results("subject", "id", search) {
				a.keep(found, person, permission, scope)
			}
		}
	}
	return found
}

func (a *agreement) actions(context map[string]any) yes {
	found := yes{}
	for _, person := range a.people {
		for _, scope := range a.scopes {
			for _, resourceType := range []string{"bucket", "object"} {
				search := map[string]any{"subject": entity("user", person), "resource": entity(resourceType, scope), "context": context}
				for _, operation := range a.results("action", "name", search) {
					a.keep(found, person, operation+" "+resourceType, scope)
				}
			}
		}
	}
	return found
}

func (a *agreement) resources(context map[string]any) yes {
	found := yes{}
	for _, person := range a.people {
		for _, permission := range a.permissions {
			operation, resourceType := split(permission)
			search := map[string]any{"subject": entity("user", person), "action": map[string]any{"name": operation}, "resource": map[string]any{"type": resourceType}, "context": context}
			for _, scope := range a.results("resource", "id", search) {
				a.keep(found, person, permission, scope)
			}
		}
	}
	return found
}

func (a *agreement) holders(told *api.QuestionContext) yes {
	found := yes{}
	for _, scope := range a.scopes {
		for _, permission := range a.permissions {
			list, err := a.rowan.ListHolders(a.t.Context(), scope, nil, api.HoldersQuestion{Permission: permission, Context: told})
			require.NoError(a.t, err)
			for _, h := range list.Holders {
				if h.Principal.Kind == api.UserKind && !h.Conditional {
					a.keep(found, h.Principal.Name, permission, scope)
				}
			}
		}
	}
	return found
}

// reach works out from where access grows and shrinks on the way down what is held at each scope.
func (a *agreement) reach() yes {
	found := yes{}
	for _, person := range a.people {
		reach, err := a.rowan.ShowReach(a.t.Context(), "lindenmere", api.UserKind, person, nil)
		require.NoError(a.t, err)
		for _, scope := range a.scopes {
			held, onTerms := map[string]bool{}, []string{}
			for _, r := range reach.Reached { // by address: from above downwards
				here := r.Scope.Address == scope
				if !here && !strings.HasPrefix(scope, r.Scope.Address+"/") || here && r.Part == api.Beneath || !here && r.Part == api.Alone {
					continue
				}
				onTerms = r.OnTerms
				for _, permission := range r.Adds {
					held[permission] = true
				}
				for _, permission := range r.Cuts {
					delete(held, permission)
				}
			}
			for permission := range held {
				if !slices.Contains(onTerms, permission) {
					a.keep(found, person, permission, scope)
				}
			}
		}
	}
	return found
}

func (a *agreement) matrix() yes {
	found := yes{}
	for _, scope := range a.scopes {
		matrix, err := a.rowan.ShowMatrix(a.t.Context(), scope, nil)
		require.NoError(a.t, err)
		for _, row := range matrix.Rows {
			for i, column := range matrix.Columns {
				for n, operation := range column.Permissions {
					if row.Cells[i][n] == 'y' && row.Principal.Kind == api.UserKind {
						a.keep(found, row.Principal.Name, operation.Operation+" "+operation.Type, scope)
					}
				}
			}
		}
	}
	return found
}

// keep keeps a yes to one of the questions; other ways answer more than was asked.
func (a *agreement) keep(found yes, person, permission, scope string) {
	if slices.Contains(a.people, person) && slices.Contains(a.permissions, permission) && slices.Contains(a.scopes, scope) {
		found[asking(person, permission, scope)] = true
	}
}
