package access_test

import (
	"fmt"

	"arbora.example/access"
)

// A grant at a folder covers a project made in it afterwards.
func Example() {
	top, gardens, house := access.ID{1}, access.ID{2}, access.ID{3}
	rowan, bram := access.ID{4}, access.ID{5}
	now, err := access.New(access.Shipped()).With(1,
		access.CreateScope{Scope: access.Scope{ID: top, Kind: access.Organisation, Name: "lindenmere"}},
		access.CreateScope{Scope: access.Scope{ID: gardens, Parent: top, Kind: access.Folder, Name: "gardens"}},
		access.CreatePrincipal{Principal: access.Principal{ID: rowan, Kind: access.User, Name: "rowan"}},
		access.CreatePrincipal{Principal: access.Principal{ID: bram, Kind: access.User, Name: "bram"}},
		access.CreateGrant{Grant: access.Grant{ID: access.ID{6}, Scope: top, Principal: rowan, Role: "steward"}},
		access.CreateGrant{Grant: access.Grant{ID: access.ID{7}, Scope: gardens, Principal: bram, Role: "builder"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	now, err = now.With(2, access.CreateScope{Scope: access.Scope{ID: house, Parent: gardens, Kind: access.Project, Name: "palm-house"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	edit := now.Catalogue().MustPermission("edit project")
	decision := now.Decide(access.Question{Principal: bram, Permission: edit, Scope: house})
	fmt.Println(decision.Allowed, "by a grant at", now.Address(decision.Origin))

	_, err = now.With(3, access.CreateScope{Scope: access.Scope{ID: access.ID{8}, Parent: top, Kind: access.Resource, Name: "leaflets", Type: "bucket"}})
	fmt.Println(err)
	// Output:
	// true by a grant at lindenmere/gardens
	// a bucket cannot sit in an organisation: it belongs in a project or a compartment
}
