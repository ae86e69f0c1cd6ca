package authzen_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"

	"arbora.example/authzen"
)

// shelf decides in place of Arbora: tomas may fetch what lies in one bucket, and nobody anything else.
type shelf struct{}

func (shelf) Evaluate(_ context.Context, asked []authzen.Request) ([]authzen.Answer, error) {
	answers := make([]authzen.Answer, len(asked))
	for i, r := range asked {
		may := r.Subject.ID == "tomas" && r.Action.Name == "fetch" && r.Resource.ID == "lindenmere/science/herbarium/digitising/scans.bucket"
		answers[i] = authzen.Answer{Decision: may, Context: &authzen.Why{Reason: "granted", Revision: 7}}
		if !may {
			answers[i].Context.Reason = "not-granted"
		}
	}
	return answers, nil
}

func (shelf) SearchSubjects(context.Context, authzen.Request) ([]authzen.Entity, error) {
	return []authzen.Entity{{Type: "user", ID: "tomas"}}, nil
}

func (shelf) SearchActions(context.Context, authzen.Request) ([]authzen.Action, error) {
	return []authzen.Action{{Name: "fetch"}}, nil
}

func (shelf) SearchResources(context.Context, authzen.Request, string, int) ([]authzen.Entity, bool, error) {
	return []authzen.Entity{{Type: "bucket", ID: "lindenmere/science/herbarium/digitising/scans.bucket"}}, false, nil
}

// arbora starts a decider as platform services meet Arbora: with its tokens.
func arbora(decider authzen.Decider) *httptest.Server {
	routes := http.NewServeMux()
	routes.HandleFunc("POST /oauth/token", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprint(w, `{"access_token":"t","token_type":"Bearer","expires_in":900}`)
	})
	routes.HandleFunc("POST /oauth/introspection", func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, `{"active":true,"sub":"01a210ca-cc4e-79ac-b35b-d287b32ac74b","kind":"user","username":"tomas@lindenmere","organisation":"lindenmere"}`)
	})
	routes.Handle("/", authzen.Handler{
		For: func(*http.Request) (authzen.Decider, error) { return decider, nil },
		Fail: func(w http.ResponseWriter, _ *http.Request, err error) {
			http.Error(w, err.Error(), http.StatusBadRequest)
		},
	})
	return httptest.NewServer(routes)
}

// A platform service finds out who calls it, and asks whether they may.
func Example() {
	server := arbora(shelf{})
	defer server.Close()
	storage := authzen.NewService(server.URL, authzen.Key{ID: "01a210ca-cc4e-79ac-b35b-d287b32ac74b", Secret: "the key's secret"})

	ctx := context.Background()
	who, err := storage.Introspect(ctx, "the token that somebody shows", "")
	if err != nil || !who.Active {
		fmt.Println("not signed in", err)
		return
	}
	answer, err := storage.In(who.Organisation).Evaluate(ctx, authzen.Request{
		Subject:  &authzen.Entity{Type: who.Kind, ID: "tomas"},
		Action:   &authzen.Action{Name: "fetch"},
		Resource: &authzen.Entity{Type: "object", ID: "lindenmere/science/herbarium/digitising/scans.bucket"},
		Context:  &authzen.Context{IP: "192.0.2.7", Attempted: true},
	})
	if err != nil {
		fmt.Println("no answer is no", err)
		return
	}
	fmt.Println(answer.Decision, answer.Context.Reason)
	// Output: true granted
}

// Many questions take one request, and are answered on one state of things.
func ExampleClient_EvaluateAll() {
	server := arbora(shelf{})
	defer server.Close()
	storage := authzen.NewService(server.URL, authzen.Key{ID: "01a210ca-cc4e-79ac-b35b-d287b32ac74b", Secret: "the key's secret"})
	var asked []authzen.Request
	for _, name := range []string{"fetch", "erase"} {
		asked = append(asked, authzen.Request{
			Subject: &authzen.Entity{Type: "user", ID: "tomas"}, Action: &authzen.Action{Name: name},
			Resource: &authzen.Entity{Type: "object", ID: "lindenmere/science/herbarium/digitising/scans.bucket"},
		})
	}
	answers, err := storage.In("lindenmere").EvaluateAll(context.Background(), asked)
	if err != nil {
		fmt.Println(err)
		return
	}
	for i, answer := range answers {
		fmt.Println(asked[i].Action.Name, answer.Decision, answer.Context.Reason)
	}
	// Output:
	// fetch true granted
	// erase false not-granted
}

// A search yields what it finds page by page.
func ExampleClient_SearchResources() {
	server := arbora(shelf{})
	defer server.Close()
	storage := authzen.NewService(server.URL, authzen.Key{ID: "01a210ca-cc4e-79ac-b35b-d287b32ac74b", Secret: "the key's secret"})
	for bucket, err := range storage.In("lindenmere").SearchResources(context.Background(), authzen.Request{
		Subject: &authzen.Entity{Type: "user", ID: "tomas"}, Action: &authzen.Action{Name: "fetch"}, Resource: &authzen.Entity{Type: "bucket"},
	}) {
		if err != nil {
			fmt.Println(err)
			return
		}
		fmt.Println(bucket.ID)
	}
	// Output: lindenmere/science/herbarium/digitising/scans.bucket
}

// A decider of one's own answers by a handler, as in a test of a platform service.
func ExampleHandler() {
	server := httptest.NewServer(authzen.Handler{
		Address: "https://decider.example",
		For:     func(*http.Request) (authzen.Decider, error) { return shelf{}, nil },
		Fail: func(w http.ResponseWriter, _ *http.Request, err error) {
			http.Error(w, err.Error(), http.StatusBadRequest)
		},
	})
	defer server.Close()
	client := authzen.NewClient(server.URL, "any token")
	answer, err := client.Evaluate(context.Background(), authzen.Request{
		Subject: &authzen.Entity{Type: "user", ID: "ines"}, Action: &authzen.Action{Name: "fetch"}, Resource: &authzen.Entity{Type: "object", ID: "somewhere"},
	})
	fmt.Println(answer.Decision, err)
	// Output: false <nil>
}
