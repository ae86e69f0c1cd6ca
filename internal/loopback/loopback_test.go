package loopback_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/loopback"
)

func TestNames(t *testing.T) {
	for host, want := range map[string]struct{ names, resists bool }{
		"localhost":                   {true, true},
		"Localhost.:8420":             {true, true},
		"console.localhost:8420":      {true, true},
		"127.0.0.1":                   {true, true},
		"127.8.9.1:25":                {true, true},
		"[::1]:8420":                  {true, true},
		"::1":                         {true, true},
		"::ffff:127.0.0.1":            {true, true},
		"0.0.0.0:25":                  {false, true},
		"192.0.2.7:8420":              {false, true},
		"[2001:db8::1]":               {false, true},
		"localhost.quaywater.example": {false, false},
		"quaywater.example:8420":      {false, false},
		"127.0.0.1.quaywater.example": {false, false},
		"":                            {false, false},
	} {
		t.Run(host, func(t *testing.T) {
			require.Equal(t, want.names, loopback.Names(host), host)
			require.Equal(t, want.resists, loopback.Resists(host), host)
		})
	}
}
