package access_test

import (
	"fmt"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/access/statement"
)

// A policy is written as text; what is wrong in it is told with its place, and nothing of it counts.
func ExampleReader() {
	top, science, curators := model.ID{1}, model.ID{2}, model.ID{3}
	now, err := access.New(catalogue.Shipped()).With(1,
		access.CreateScope{Scope: model.Scope{ID: top, Kind: model.Organisation, Name: "lindenmere"}},
		access.CreateScope{Scope: model.Scope{ID: science, Parent: top, Kind: model.Folder, Name: "science"}},
		access.CreatePrincipal{Principal: access.Principal{ID: curators, Kind: model.Group, Name: "curators"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	reader := access.Reader{Snapshot: now, Scope: top}
	_, _, err = reader.ParsePolicy("under science:\n    curaters may observe storage")
	fmt.Println(err)
	statements, _, err := reader.ParsePolicy("under science: curators may observe,operate storage until 2027-03-31T00:00:00Z")
	fmt.Println(err)
	fmt.Print(now.Print(statement.Policy{Scope: top, Name: "storage", Statements: statements}))
	// Output:
	// line 2, column 5: there is no group "curaters": did you mean curators?
	// <nil>
	// under science:
	//     curators may observe, operate storage until 2027-03-31
}

// The impact of a change is known before it is made.
func ExampleSnapshot_Impact() {
	top, gardens, bram := model.ID{1}, model.ID{2}, model.ID{3}
	now, err := access.New(catalogue.Shipped()).With(1,
		access.CreateScope{Scope: model.Scope{ID: top, Kind: model.Organisation, Name: "lindenmere"}},
		access.CreateScope{Scope: model.Scope{ID: gardens, Parent: top, Kind: model.Folder, Name: "gardens"}},
		access.CreatePrincipal{Principal: access.Principal{ID: bram, Kind: model.User, Name: "bram"}},
		access.CreateGrant{Grant: access.Grant{ID: model.ID{4}, Scope: gardens, Principal: bram, Role: "storage-observer"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	effects, err := now.Impact(nil, access.RevokeGrant{ID: model.ID{4}})
	for _, e := range effects {
		fmt.Println(e.Principals[0].Name, "loses", e.Loses.Len(), "permissions at", now.Address(e.Scope.ID))
	}
	fmt.Println(err)
	// Output:
	// bram loses 2 permissions at lindenmere/gardens
	// <nil>
}
