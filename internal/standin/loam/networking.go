package loam

import (
	"context"
	"fmt"
	"net/http"
	"net/netip"
	"regexp"

	"github.com/google/uuid"

	"arbora.example/internal/standin/loam/loamapi"
)

// rulePattern is a rule of a network: what may pass, by which protocol, at which port, from or to where.
var rulePattern = regexp.MustCompile(`^let (in|out) (tcp|udp) ([0-9]{1,5}) (from|to) (\S+)$`)

const ruleForm = "write it as \"let in tcp 443 from 10.0.0.0/8\" or \"let out udp 53 to 10.1.0.0/16\""

func checkNetwork(c *call) error {
	if err := checkRange(c.in.Range); err != nil {
		return err
	}
	for _, rule := range c.in.Rules {
		parts := rulePattern.FindStringSubmatch(rule)
		if parts == nil || (parts[1] == "in") != (parts[4] == "from") {
			return invalid("rules", fmt.Sprintf("%q is not a rule of a network", rule), ruleForm)
		}
		if err := checkRange(parts[5]); err != nil {
			return err
		}
	}
	return nil
}

func checkRange(text string) error {
	if text == "" {
		return nil
	}
	if p, err := netip.ParsePrefix(text); err != nil || p.Masked() != p {
		return invalid("range", fmt.Sprintf("%q is not a range of addresses", text), "write one in CIDR notation, such as 10.20.0.0/16")
	}
	return nil
}

func checkSubnet(c *call) error { return checkRange(c.in.Range) }

// fitSubnet refuses a subnet whose range is outside its network's, or meets another's.
func (c *call) fitSubnet(ctx context.Context, subnet *resource, network uuid.UUID) error {
	subnet.Within = network
	if subnet.Range == "" {
		return invalid("range", "a subnet needs a range", "write one in CIDR notation, such as 10.20.1.0/24")
	}
	wanted := netip.MustParsePrefix(subnet.Range)
	above, err := c.known(ctx, network, c.subject.Organisation, "network")
	if err != nil {
		return err
	}
	if above.Range != "" {
		if whole := netip.MustParsePrefix(above.Range); !whole.Overlaps(wanted) || whole.Bits() > wanted.Bits() {
			return problem(http.StatusConflict, "conflict", fmt.Sprintf("%s is outside the network's range, %s", wanted, whole), "choose a range within it")
		}
	}
	beside, err := c.records.attached(ctx, network)
	if err != nil {
		return err
	}
	for _, other := range beside {
		if other.Type == "subnet" && other.ID != subnet.ID && netip.MustParsePrefix(other.Range).Overlaps(wanted) {
			return problem(http.StatusConflict, "conflict", fmt.Sprintf("%s overlaps another subnet of the network", wanted), "choose a range that is free")
		}
	}
	return nil
}

func watch(ctx context.Context, c *call, r resource) (any, error) {
	list, err := c.records.attached(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	seen := loamapi.Traffic{Rules: r.Rules, Attached: []loamapi.Attached{}}
	for _, other := range list {
		a := loamapi.Attached{ID: other.ID, Type: other.Type, State: other.state(), Range: other.Range}
		if a.Address, err = c.addressOf(ctx, other.ID); err != nil {
			return nil, err
		}
		seen.Attached = append(seen.Attached, a)
	}
	return seen, nil
}
