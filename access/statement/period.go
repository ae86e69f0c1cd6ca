package statement

import (
	"fmt"
	"time"

	"arbora.example/access/model"
)

// Period is from when until when a rule applies. A zero moment leaves that end open; the end itself is outside.
type Period struct {
	From  time.Time `json:"from,omitzero"`
	Until time.Time `json:"until,omitzero"`
}

// IsEmpty reports whether both ends are open.
func (p Period) IsEmpty() bool { return p.From.IsZero() && p.Until.IsZero() }

// Check checks that a period begins before it ends. The error is a [*model.Violation].
func (p Period) Check() error {
	if !p.From.IsZero() && !p.Until.IsZero() && !p.From.Before(p.Until) {
		return model.Violationf(model.RulePeriod, "the period ends before it begins: from must be earlier than until")
	}
	return nil
}

// PrintInstant writes a moment: a day by its date when it is that day's first moment in UTC.
func PrintInstant(t time.Time) string {
	t = t.UTC()
	if t.Equal(t.Truncate(24 * time.Hour)) {
		return t.Format(time.DateOnly)
	}
	return t.Format(time.RFC3339Nano)
}

// ParseInstant reads a moment: RFC 3339, or a date, which stands for its first moment in UTC.
func ParseInstant(text string) (time.Time, error) {
	if t, err := time.Parse(time.DateOnly, text); err == nil {
		return t, nil
	}
	t, err := time.Parse(time.RFC3339Nano, text)
	if err != nil || t.Year() < 1 || t.Year() > 9999 {
		return time.Time{}, fmt.Errorf("%q is not a valid time: write a date such as 2027-03-31, or 2027-03-31T18:00:00Z", text)
	}
	return t.UTC(), nil
}
