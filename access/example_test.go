package access_test

import (
	"fmt"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// A grant at a folder covers a project made in it afterwards.
func Example() {
	top, gardens, house := model.ID{1}, model.ID{2}, model.ID{3}
	rowan, bram := model.ID{4}, model.ID{5}
	now, err := access.New(catalogue.Shipped()).With(1,
		access.CreateScope{Scope: model.Scope{ID: top, Kind: model.Organisation, Name: "lindenmere"}},
		access.CreateScope{Scope: model.Scope{ID: gardens, Parent: top, Kind: model.Folder, Name: "gardens"}},
		access.CreatePrincipal{Principal: access.Principal{ID: rowan, Kind: model.User, Name: "rowan"}},
		access.CreatePrincipal{Principal: access.Principal{ID: bram, Kind: model.User, Name: "bram"}},
		access.CreateGrant{Grant: access.Grant{ID: model.ID{6}, Scope: top, Principal: rowan, Role: "steward"}},
		access.CreateGrant{Grant: access.Grant{ID: model.ID{7}, Scope: gardens, Principal: bram, Role: "builder"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	now, err = now.With(2, access.CreateScope{Scope: model.Scope{ID: house, Parent: gardens, Kind: model.Project, Name: "palm-house"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	edit := now.Catalogue().MustPermission("edit project")
	decision := now.Decide(access.Question{Principal: bram, Permission: edit, Scope: house})
	fmt.Println(decision.Allowed, "by a grant at", now.Address(decision.Origin))

	_, err = now.With(3, access.CreateScope{Scope: model.Scope{ID: model.ID{8}, Parent: top, Kind: model.Resource, Name: "leaflets", Type: "bucket"}})
	fmt.Println(err)
	// Output:
	// true by a grant at lindenmere/gardens
	// a bucket cannot be in an organisation: it belongs in a project or a compartment
}
