package evaluation

import (
	"net/http"

	"arbora.example/authzen"
)

// Questions are requests of the API as questions.
func Questions(asked []authzen.Request) []Question {
	questions := make([]Question, len(asked))
	for i := range asked {
		questions[i] = QuestionOf(asked[i])
	}
	return questions
}

// QuestionOf is a request of the API as a question.
func QuestionOf(r authzen.Request) (q Question) {
	if r.Subject != nil {
		q.Subject = Entity{Type: r.Subject.Type, ID: r.Subject.ID}
	}
	if r.Action != nil {
		q.Action = r.Action.Name
	}
	if r.Resource != nil {
		q.Resource = Entity{Type: r.Resource.Type, ID: r.Resource.ID}
	}
	if c := r.Context; c != nil {
		q.Context = Context{Time: c.Time, IP: c.IP, Location: c.Location}
		q.Refers, q.Attempted = c.Refers, c.Attempted
	}
	return q
}

// AnswersOf are answers at a revision in the form of the API.
func AnswersOf(answers []Answer, revision uint64) []authzen.Answer {
	list := make([]authzen.Answer, len(answers))
	for i := range answers {
		list[i] = answers[i].wire(revision)
	}
	return list
}

func (a *Answer) wire(revision uint64) authzen.Answer {
	why := &authzen.Why{Reason: string(a.Reason), Revision: revision, Lacks: a.Lacks, Hidden: a.Hidden}
	if a.Error != nil {
		why.Error = &authzen.Fault{Status: http.StatusBadRequest, Message: a.Error.Error()}
	}
	if !a.Rule.Grant.IsZero() {
		why.Grant = a.Rule.Grant.String()
	} else if !a.Rule.Policy.IsZero() {
		why.Policy = a.Rule.Policy.String()
	}
	if !a.Scope.IsZero() {
		why.Scope = a.Scope.String()
	}
	for _, id := range a.Refers {
		why.Refers = append(why.Refers, id.String())
	}
	if !a.On.IsZero() {
		why.On = a.On.String()
	}
	return authzen.Answer{Decision: a.Allowed, Context: why}
}

// Entities are entities in the form of the API.
func Entities(found []Entity) []authzen.Entity {
	entities := make([]authzen.Entity, len(found))
	for i, e := range found {
		entities[i] = authzen.Entity{Type: e.Type, ID: e.ID}
	}
	return entities
}

// Actions are names of actions in the form of the API.
func Actions(names []string) []authzen.Action {
	actions := make([]authzen.Action, len(names))
	for i, name := range names {
		actions[i] = authzen.Action{Name: name}
	}
	return actions
}
