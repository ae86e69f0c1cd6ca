package demo

import (
	"context"

	"arbora.example/api"
	"arbora.example/client"
	"arbora.example/internal/standin/slapd"
)

// houseDirectory is the provider by which the people of Lindenmere's own directory come.
const houseDirectory = "lindenmere-house"

// LoadDirectory has the organisation read its own directory every hour. One group there is called by another letter than the link that somebody
// made says, and one person has left.
func LoadDirectory(ctx context.Context, address string, there *slapd.Server) error {
	rowan, err := as(ctx, address, "rowan@lindenmere")
	if err != nil {
		return err
	}
	if err := client.Done(rowan.CreateProvider(ctx, lindenmere, api.ProviderNew{Name: houseDirectory, Title: "Lindenmere's own directory", Description: "The people in it are staff.", Own: true})); err != nil {
		return err
	}
	usual, err := rowan.ShowDirectory(ctx, lindenmere, houseDirectory)
	if err != nil {
		return err
	}
	wanted := there.Wanted(usual.Settings)
	wanted.Settings.MostLeaving = 30 // one of four is about to leave
	if err := client.Done(rowan.SetDirectory(ctx, lindenmere, houseDirectory, nil, wanted)); err != nil {
		return err
	}
	for _, link := range []api.GroupLink{{OutsideGroup: "seed-curators", Group: "seed-curators"}, {OutsideGroup: "label-house", Group: "herbarium-digitisers"}} {
		if err := client.Done(rowan.CreateLink(ctx, lindenmere, houseDirectory, nil, link)); err != nil {
			return err
		}
	}
	read := func() error {
		return client.Done(rowan.ReadDirectory(ctx, lindenmere, houseDirectory, api.DirectoryReadingWanted{}))
	}
	if err := read(); err != nil {
		return err
	}
	if err := there.Leave("caspian"); err != nil {
		return err
	}
	return read()
}
