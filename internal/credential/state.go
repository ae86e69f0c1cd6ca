package credential

import "fmt"

// State says whether somebody, or a machine, is in use. Only what is active holds anything.
type State string

// The states.
const (
	Pending   State = "pending"   // invited, and not there yet
	Active    State = "active"    // in use
	Suspended State = "suspended" // out of use for a while
	Retired   State = "retired"   // out of use; can be restored
)

// CheckStep checks that an administrator may take something from one state to another. Only a guest's own acceptance
// ends pending, but for its invitation being withdrawn.
func CheckStep(from, to State) error {
	switch {
	case from == to:
		return fmt.Errorf("it is %s already", to)
	case to == Pending:
		return fmt.Errorf("it is %s and cannot become pending again: create another invitation", from)
	case from == Pending && to != Retired:
		return fmt.Errorf("it is pending until the invitation is accepted: send it again, or withdraw it")
	case from == Retired && to == Suspended:
		return fmt.Errorf("it is retired: restore it first")
	}
	return nil
}
