package letters_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/internal/letters"
)

// TestLettersSayWhatToDo reads letters that ask for something.
func TestLettersSayWhatToDo(t *testing.T) {
	o := letters.Occasion{Organisation: "Lindenmere Botanic Trust", SignIn: "bram@lindenmere", Address: "https://arbora.example", Link: "https://arbora.example/#/link/x", From: "Rowan Ashdown", Until: time.Date(2026, 11, 25, 8, 0, 0, 0, time.UTC)}
	for _, l := range []letters.Letter{letters.Invitation("a@b.example", o), letters.PasswordLink("a@b.example", o)} {
		require.Equal(t, "a@b.example", l.To)
		require.Contains(t, l.Text, o.Link)
		require.Contains(t, l.Text, "works once, until 25 November 2026, 08:00 UTC")
		require.NotContains(t, l.Subject, o.Link)
	}
	l := letters.Instructions("a@b.example", o)
	require.Contains(t, l.Text, "bram@lindenmere")
	require.NotContains(t, l.Text, o.Link)
}
