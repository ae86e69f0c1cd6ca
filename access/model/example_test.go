package model_test

import (
	"fmt"

	"arbora.example/access/model"
)

// An address goes from the organisation down; a resource's name carries its type.
func ExampleSplitAddress() {
	parent, last := model.SplitAddress("lindenmere/science/herbarium/digitising/scans.bucket")
	name, typeName := model.SplitFullName(last)
	fmt.Println(parent)
	fmt.Println(name, typeName)
	// Output:
	// lindenmere/science/herbarium/digitising
	// scans bucket
}

func ExampleCheckName() {
	fmt.Println(model.CheckName("seedbank-vault"))
	fmt.Println(model.CheckName("Seedbank Vault"))
	// Output:
	// <nil>
	// "Seedbank Vault" is not a valid name: use 1 to 63 lower-case letters, digits and hyphens, with a letter or digit at both ends
}
