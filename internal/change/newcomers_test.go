package change

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"arbora.example/access/statement"
	"arbora.example/internal/credential"
	"arbora.example/internal/problem"
)

// TestNewcomersAreReadLineByLine reads CSV texts; what is wrong is told with its line and column, and all of it at once.
func TestNewcomersAreReadLineByLine(t *testing.T) {
	rows, faults := readNewcomers("\ufeffName, title,tags,groups,grants,sign-in-by,temporary,link,notify\r\n" +
		"ana,\"Ana, the first\",team=seeds; site = north ,seed-curators;contractors,observer at lindenmere/gardens; builder at lindenmere/visitors,both,YES,,no\r\n" +
		"bo,,,,,,,,\r\n")
	require.Empty(t, faults)
	for i := range rows {
		rows[i].columns = nil
	}
	require.Equal(t, []row{
		{line: 2, wanted: NewUser{
			Name: "ana", Title: "Ana, the first", Tags: map[string]string{"team": "seeds", "site": "north"}, Groups: []string{"seed-curators", "contractors"},
			Grants: []NewGrant{{Role: "observer", Scope: "lindenmere/gardens"}, {Role: "builder", Scope: "lindenmere/visitors"}}, By: credential.ByBoth, Temporary: true,
		}},
		{line: 3, wanted: NewUser{Name: "bo", Tags: map[string]string{}}},
	}, rows)
	// A spreadsheet that writes semicolons, and a grant for a time.
	rows, faults = readNewcomers("name;title;grants\nana;Ana;\"observer at lindenmere/gardens until 2090-01-01; builder at lindenmere\"\n")
	require.Empty(t, faults)
	require.Equal(t, []NewGrant{{Role: "observer", Scope: "lindenmere/gardens", Period: statement.Period{Until: time.Date(2090, 1, 1, 0, 0, 0, 0, time.UTC)}}, {Role: "builder", Scope: "lindenmere"}}, rows[0].wanted.Grants)
	require.Equal(t, 9, rows[0].columnOf("grants"))
	for text, want := range map[string][]problem.Fault{
		"":                 {{Line: 1, Column: 1, Detail: "the first line must name the columns: " + columnNames()}},
		"name":             {{Line: 2, Column: 1, Detail: "the file holds no people: write a line for each person after the first"}},
		"nmae,titel\nx,y":  {{Line: 1, Column: 1, Detail: `there is no column "nmae": ` + columnNames(), Nearest: "name"}, {Line: 1, Column: 6, Detail: `there is no column "titel": ` + columnNames(), Nearest: "title"}},
		"name\na\nb,c\na":  {{Line: 3, Column: 1, Detail: "the line has 2 fields, the first line has 1"}, {Line: 4, Column: 1, Detail: "a is in line 2 already"}},
		"name,tags\na,b":   {{Line: 2, Column: 3, Detail: `"b" is not a valid tag: write KEY=VALUE, and separate several by semicolons`}},
		"name,grants\na,b": {{Line: 2, Column: 3, Detail: `"b" is not a valid grant: write ROLE at ADDRESS, with from or until and a date after it if wanted; separate several by semicolons`}},
		"name,sign-in-by,link\na,magic,maybe\nb,key,no": {
			{Line: 2, Column: 3, Detail: `nobody signs in by "magic": use password, key, both`}, {Line: 2, Column: 9, Detail: `"maybe" is neither yes nor no`},
		},
		"name\n\"a": {{Line: 2, Column: 3, Detail: `extraneous or missing " in quoted-field`}},
	} {
		t.Run(text, func(t *testing.T) {
			_, faults := readNewcomers(text)
			require.Equal(t, want, faults, "%q", text)
		})
	}
	_, faults = readNewcomers("name\n" + strings.Repeat("x\n", maxNewcomers+1))
	require.Contains(t, faults[len(faults)-1].Detail, "divide the file")
}
