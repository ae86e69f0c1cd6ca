package statement_test

import (
	"fmt"

	"arbora.example/access/statement"
)

// A condition is printed in one form, whatever way it was written.
func ExampleParseCondition() {
	c, err := statement.ParseCondition(`(context.hour >= 8 and ( subject.tag.team is "seeds" ))`)
	fmt.Println(c, err)
	_, err = statement.ParseCondition(`context.hour is "noon"`)
	fmt.Println(err)
	// Output:
	// context.hour >= 8 and subject.tag.team is "seeds" <nil>
	// line 1, column 17: expected a number, found "noon"
}

// The words of a statement are joined to a text in one form.
func ExampleJoinParts() {
	fmt.Print(statement.JoinParts([]statement.Parts{
		{Who: []string{"seed-curators"}, Modal: statement.May, Acts: []string{"observe", "operate"}, Things: []string{"storage"}},
		{Place: "seedbank/seedbank-vault", Who: []string{"everyone"}, Modal: statement.MayNever, Acts: []string{"destroy"}, Things: []string{"bucket"}},
	}, nil))
	// Output:
	// seed-curators may observe, operate storage
	// under seedbank/seedbank-vault:
	//     everyone may never destroy bucket
}
