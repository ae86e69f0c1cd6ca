package client_test

import (
	"context"
	"errors"
	"fmt"

	"arbora.example/api"
	"arbora.example/client"
)

// A program that signs in with an API key shows what a grant would do, and makes it if it still does just that.
func Example() {
	ctx := context.Background()
	arbora, err := client.OpenByKey("https://arbora.lindenmere.example", client.APIKey{ID: "…", Secret: "…"})
	if err != nil {
		return
	}
	wanted := api.GrantNew{Principal: api.PrincipalRef{Kind: api.GroupKind, Name: "curators"}, Role: "observer"}
	preview, err := arbora.PreviewCreateGrant(ctx, "lindenmere/science/herbarium", wanted)
	var refusal *client.Error
	if errors.As(err, &refusal) {
		fmt.Println(refusal.Detail)
		return
	} else if err != nil {
		return
	}
	fmt.Println(preview.Impact.Words)
	sure, err := arbora.With(client.Confirmed(preview.Impact.Confirmation))
	if err != nil {
		return
	}
	made, err := sure.CreateGrant(ctx, "lindenmere/science/herbarium", wanted)
	if err != nil {
		return
	}
	fmt.Println(made.Grant.Id)
}
