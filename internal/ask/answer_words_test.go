package ask

import (
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/tenant"
)

// TestANoInWords tells a no by what comes near: one by one where it is little, and in short where it is much.
func TestANoInWords(t *testing.T) {
	granted := func(role, at, words string) RuleOutcome {
		return RuleOutcome{Outcome: access.OtherPermission, Words: words, Rule: RuleView{At: tenant.Ref{Address: at}, Grant: &GrantView{Role: &catalogue.Role{RoleDefinition: catalogue.RoleDefinition{Name: role}}}}}
	}
	said := RuleOutcome{Outcome: access.OtherPermission, Words: "is about something else", Rule: RuleView{At: tenant.Ref{Address: "lindenmere"}, Statement: &StatementView{Text: `staff may put object if context.location is "north"`, Policy: PolicyRef{Name: "deliveries"}}}}
	apart := func(role string) RuleOutcome {
		m := granted(role, "lindenmere", "does not hold it: it is about "+planesApart)
		m.Outcome = access.OtherPlane
		return m
	}
	reader := granted("content-reader", "lindenmere/science", "does not hold it")
	ended := granted("content-writer", "lindenmere/science", "has ended")
	ended.Outcome = access.PeriodOver
	cut := RuleOutcome{Outcome: access.Applies, Cuts: true, Words: "cuts it off", Rule: reader.Rule}
	strange := RuleOutcome{Outcome: access.NotNamed, Words: "does not name them", Rule: reader.Rule}
	for _, c := range []struct {
		met  []RuleOutcome
		says string
	}{
		{nil, "nothing is given to piotr there or above, so it is denied."},
		{[]RuleOutcome{strange, cut}, "nothing is given to piotr there or above, so it is denied."},
		{[]RuleOutcome{reader}, "content-reader, granted at lindenmere/science, does not hold it."},
		{[]RuleOutcome{reader, strange, said}, `content-reader, granted at lindenmere/science, does not hold it; “staff may put object if context.location is "north"” in policy deliveries at lindenmere is about something else.`},
		{[]RuleOutcome{reader, reader, said}, "none of the 3 rules for piotr there and above gives it."},
		{[]RuleOutcome{reader, apart("observer"), said}, "none of the 3 rules for piotr there and above gives it; what observer would give is on the other plane: control and data are separate."},
		{[]RuleOutcome{reader, apart("observer"), said, ended}, "content-writer, granted at lindenmere/science, has ended."},
		{[]RuleOutcome{apart("observer"), apart("builder"), said, apart("observer")}, "none of the 4 rules for piotr there and above gives it; what builder and observer would give is on the other plane: control and data are separate."},
	} {
		t.Run(c.says, func(t *testing.T) {
			a := Answer{Permission: "erase object", Principal: access.Principal{Kind: model.User, Name: "piotr"}, Scope: tenant.Ref{Address: "lindenmere/science/scans.bucket"}, Rules: c.met}
			a.Reason = access.NotGranted
			require.Equal(t, "No, piotr may not erase object at lindenmere/science/scans.bucket: "+c.says, words(a))
		})
	}
}
