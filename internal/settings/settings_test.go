package settings_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/settings"
)

func TestDemands(t *testing.T) {
	for _, c := range []struct {
		demands settings.Demands
		wrong   string // empty for what may be demanded
	}{
		{settings.Demands{}, ""},
		{settings.Demands{Idle: 5, Life: 10080, Networks: []string{"192.0.2.0/24", "2001:db8::/48", "198.51.100.7/32"}, Factors: settings.AllFactors}, ""},
		{settings.Demands{Factors: []settings.Factor{"voice"}}, "name code, passkey or both"},
		{settings.Demands{Idle: 4}, "idle sessions may last from 5 minutes to 1440"},
		{settings.Demands{Idle: 1441}, "idle sessions may last from 5 minutes to 1440"},
		{settings.Demands{Life: 4}, "sessions may last from 5 minutes to 10080"},
		{settings.Demands{Life: -1}, "sessions may last"},
		{settings.Demands{Networks: []string{"192.0.2.7"}}, `"192.0.2.7" is not a network`},
		{settings.Demands{Networks: []string{"192.0.2.7/24"}}, "write 192.0.2.0/24"},
		{settings.Demands{Networks: make([]string, 51)}, "50 networks at most"},
	} {
		t.Run(c.wrong, func(t *testing.T) {
			if err := c.demands.Check(); c.wrong == "" {
				require.NoError(t, err)
			} else {
				require.ErrorContains(t, err, c.wrong)
			}
		})
	}
	some := settings.Demands{Networks: []string{"192.0.2.0/24", "2001:db8::/48"}}
	for address, admitted := range map[string]bool{
		"192.0.2.9": true, "::ffff:192.0.2.9": true, "192.0.3.9": false, "2001:db8::1": true, "2001:db8:1::1": false, "fe80::1%eth0": false, "": false, "nonsense": false,
	} {
		t.Run(address, func(t *testing.T) {
			require.Equal(t, admitted, some.Admits(address), address)
			require.True(t, settings.Demands{}.Admits(address))
		})
	}
}
