package credential

import (
	"net/netip"
	"time"
)

// After a few wrong passwords in a row each further try under a name has to wait, longer every time; after LockAfter the
// name is locked for LockFor. It is the same for names that nobody has (NIST SP 800-63B-4, section 3.2.2). Passwords are
// counted by network, so that nobody elsewhere can lock somebody out; after Suspicious wrong ones from all networks together,
// those from which the person never came have to wait for one another.
const (
	freeTries  = 5
	LockAfter  = 10
	LockFor    = 15 * time.Minute
	Suspicious = 100
)

// Delay returns how long the next try has to wait after some wrong ones in a row.
func Delay(failures int) time.Duration {
	switch {
	case failures < freeTries:
		return 0
	case failures < LockAfter:
		return time.Second << (failures - freeTries)
	}
	return LockFor
}

// DelayTogether returns how long a try from an unknown network has to wait after some wrong ones from all together.
func DelayTogether(failures int) time.Duration {
	if failures < Suspicious {
		return 0
	}
	return time.Minute
}

// Guessed says what is tried, and from where, as attempts are counted.
type Guessed struct {
	Kind    string // password or code
	Network string // empty for all together
}

// PasswordFrom counts passwords from one network.
func PasswordFrom(address string) Guessed {
	return Guessed{Kind: "password", Network: Network(address)}
}

// PasswordFromAnywhere counts passwords from all networks together, CodeFromAnywhere codes of second factors: who comes to be
// asked for one has the password already.
var (
	PasswordFromAnywhere = Guessed{Kind: "password"}
	CodeFromAnywhere     = Guessed{Kind: "code"}
)

// Network returns the network that an address is in, as far as one person or provider has it: 24 bits of IPv4, 64 of IPv6.
// What is no address is a network of its own.
func Network(address string) string {
	ip, err := netip.ParseAddr(address)
	if err != nil {
		return address
	}
	bits := 64
	if ip = ip.Unmap().WithZone(""); ip.Is4() {
		bits = 24
	}
	network, _ := ip.Prefix(bits) // the bits fit the address
	return network.String()
}
