package cli

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/api"
)

func TestWhereARoleIsGranted(t *testing.T) {
	at := func(address string) api.ScopeRef { return api.ScopeRef{Address: address} }
	science, left := at("lindenmere/science"), true
	for says, role := range map[string]api.Role{
		"Defined at lindenmere/science, and may be granted there and below.":                                                     {Scope: &science},
		"Defined at lindenmere/science, and may be granted only under lindenmere/science/herbarium.":                             {Scope: &science, Under: []api.ScopeRef{at("lindenmere/science/herbarium")}},
		"Defined at lindenmere/science, and may be granted only under others that you do not see.":                               {Scope: &science, Under: []api.ScopeRef{}, Hidden: left},
		"Defined at lindenmere/science, and may be granted only under lindenmere/science/herbarium, others that you do not see.": {Scope: &science, Under: []api.ScopeRef{at("lindenmere/science/herbarium")}, Hidden: left},
	} {
		t.Run(says, func(t *testing.T) {
			require.Equal(t, says, whereGranted(role))
		})
	}
}
