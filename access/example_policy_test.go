package access_test

import (
	"fmt"

	"arbora.example/access"
)

// A policy is written as text; what is wrong in it is told with its place, and nothing of it counts.
func ExampleReader() {
	top, science, curators := access.ID{1}, access.ID{2}, access.ID{3}
	now, err := access.New(access.Shipped()).With(1,
		access.CreateScope{Scope: access.Scope{ID: top, Kind: access.Organisation, Name: "lindenmere"}},
		access.CreateScope{Scope: access.Scope{ID: science, Parent: top, Kind: access.Folder, Name: "science"}},
		access.CreatePrincipal{Principal: access.Principal{ID: curators, Kind: access.Group, Name: "curators"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	reader := access.Reader{Snapshot: now, Scope: top}
	_, _, err = reader.ParsePolicy("under science:\n    curaters may observe storage")
	fmt.Println(err)
	statements, _, err := reader.ParsePolicy("under science: curators may observe,operate storage until 2027-03-31T00:00:00Z")
	fmt.Println(err)
	fmt.Print(now.Print(access.Policy{Scope: top, Name: "storage", Statements: statements}))
	// Output:
	// line 2, column 5: there is no group "curaters": did you mean curators?
	// <nil>
	// under science:
	//     curators may observe, operate storage until 2027-03-31
}

// The impact of a change is known before it is made.
func ExampleSnapshot_Impact() {
	top, gardens, bram := access.ID{1}, access.ID{2}, access.ID{3}
	now, err := access.New(access.Shipped()).With(1,
		access.CreateScope{Scope: access.Scope{ID: top, Kind: access.Organisation, Name: "lindenmere"}},
		access.CreateScope{Scope: access.Scope{ID: gardens, Parent: top, Kind: access.Folder, Name: "gardens"}},
		access.CreatePrincipal{Principal: access.Principal{ID: bram, Kind: access.User, Name: "bram"}},
		access.CreateGrant{Grant: access.Grant{ID: access.ID{4}, Scope: gardens, Principal: bram, Role: "storage-observer"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	effects, err := now.Impact(nil, access.RevokeGrant{ID: access.ID{4}})
	for _, e := range effects {
		fmt.Println(e.Principals[0].Name, "loses", e.Loses.Len(), "permissions at", now.Address(e.Scope.ID))
	}
	fmt.Println(err)
	// Output:
	// bram loses 2 permissions at lindenmere/gardens
	// <nil>
}
