package access_test

import (
	"os"
	"runtime/debug"
	"testing"
)

// TestMain has little collected: the tests make much garbage and keep hardly anything.
func TestMain(m *testing.M) {
	debug.SetGCPercent(1000)
	os.Exit(m.Run())
}
