package access

// truth is a value of Kleene's strong three-valued logic (S. C. Kleene, Introduction to Metamathematics, 1952, § 64).
type truth uint8

const (
	no truth = iota
	unknown
	yes
)

func truthOf(b bool) truth {
	if b {
		return yes
	}
	return no
}

func (t truth) not() truth        { return yes - t }
func (t truth) and(o truth) truth { return min(t, o) }
func (t truth) or(o truth) truth  { return max(t, o) }
