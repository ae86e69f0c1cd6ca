package people

import "time"

// After a few wrong passwords in a row each further try under a name has to wait, longer every time; after LockAfter the
// name is locked for LockFor. It is the same for names that nobody has (NIST SP 800-63B-4, section 3.2.2).
const (
	freeTries = 5
	LockAfter = 10
	LockFor   = 15 * time.Minute
)

// Delay says how long the next try has to wait after some wrong passwords in a row.
func Delay(failures int) time.Duration {
	switch {
	case failures < freeTries:
		return 0
	case failures < LockAfter:
		return time.Second << (failures - freeTries)
	}
	return LockFor
}
