package access

// Without takes a part of the rule on gains out, until it is put back.
func Without(part string) (putBack func()) {
	whole := takenOut
	for name, out := range map[string]*bool{
		"in use": &takenOut.inUse, "terms": &takenOut.terms, "leaves": &takenOut.leaves, "ends": &takenOut.ends, "sets": &takenOut.sets, "others": &takenOut.others,
	} {
		*out = *out || name == part
	}
	return func() { takenOut = whole }
}

// KindsOfChanges is how many kinds of changes there are.
var KindsOfChanges = len(changeTypes)
