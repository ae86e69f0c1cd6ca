package catalogue_test

import (
	"fmt"

	"arbora.example/access/catalogue"
)

// A role holds permissions; each is an operation on a type.
func Example() {
	c := catalogue.Shipped()
	erase := c.MustPermission("erase object")
	for _, name := range []string{"content-reader", "content-keeper"} {
		role, err := c.Role(name)
		if err != nil {
			fmt.Println(err)
			return
		}
		fmt.Println(name, role.Permissions.Has(erase))
	}
	fmt.Println(c.Operation(erase).Class, "on the", c.Operation(erase).Plane, "plane")
	// Output:
	// content-reader false
	// content-keeper true
	// destroy on the data plane
}

// A word that is not known is told with the nearest that is.
func ExampleCatalogue_Permission() {
	_, err := catalogue.Shipped().Permission("fetch objct")
	fmt.Println(err)
	// Output: there is no type "objct" (did you mean object?)
}
