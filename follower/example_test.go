package follower_test

import (
	"context"
	"errors"
	"fmt"
	"log"
	"time"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/authzen"
	"arbora.example/follower"
)

// A platform service keeps buckets. It decides in its own process who may fetch what is in them.
func Example() {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	follows, err := follower.Open(ctx, follower.Options{
		Service:       "https://arbora.lindenmere.example",
		Key:           authzen.Key{ID: "01a210ca-cc4e-79ac-b35b-d287b32ac74b", Secret: "the secret, shown once"},
		Organisations: []string{"lindenmere"},
		Directory:     "/var/lib/storage/arbora",
	})
	if err != nil {
		log.Fatal(err)
	}
	defer follows.Close()
	lindenmere, _ := follows.In("lindenmere")

	// As the API asks, by names and addresses.
	answers, err := lindenmere.Evaluate(ctx, []authzen.Request{{
		Subject:  &authzen.Entity{Type: "user", ID: "piotr"},
		Action:   &authzen.Action{Name: "fetch"},
		Resource: &authzen.Entity{Type: "object", ID: "lindenmere/science/herbarium/digitising/scans.bucket"},
	}})
	var behind *follower.Behind
	switch {
	case errors.As(err, &behind):
		fmt.Println("nobody may, until Arbora is heard of again:", err)
	case err != nil:
		log.Fatal(err)
	case !answers[0].Decision:
		fmt.Println("piotr may not:", answers[0].Context.Reason)
	}

	// Or by ids, at the cost of the decision alone.
	now, err := lindenmere.Snapshot()
	if err != nil {
		log.Fatal(err)
	}
	decision := now.Decide(access.Question{
		Principal: model.ID{1}, Permission: now.Catalogue().MustPermission("fetch object"), Scope: model.ID{2}, Context: &access.Context{Time: time.Now()},
	})
	fmt.Println(decision.Allowed)
}
