package store_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"maps"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access/model"
	"arbora.example/e2e/testbed"
	"arbora.example/internal/credential"
	"arbora.example/internal/settings"
	"arbora.example/internal/store"
	"arbora.example/internal/tenant"
)

// changesASignIn are statements that may alter what is remembered of a session or of an API key.
var changesASignIn = regexp.MustCompile(`(?s)(UPDATE|REPLACE INTO|DELETE( \w+)? FROM|INSERT( IGNORE)? INTO|ON DUPLICATE KEY UPDATE).*\b(session|identity|api_key|revoked_token|second_factor|principal|organisation_name)\b|^DELETE FROM $`)

// needsNoSignal are functions whose statements alter nothing that anybody remembers, and why.
var needsNoSignal = map[string]string{
	"insertIdentity":  "nobody was signed in with what is new",
	"insertKey":       "nobody has shown what is new",
	"CreatePrincipal": "nobody is remembered as what is new",
	"principal":       "names, tags and owners are those of snapshots",
	"TouchSession":    "the last use is forgotten by whoever notes it, and elsewhere read again before a refusal",
	"TouchKey":        "the last use decides nothing",
	"BeginFactor":     "a seed that is not confirmed is no factor",
	"TakeStep":        "which code was used last is never remembered",
	"noteSignIn":      "when somebody came to work is never remembered",
}

// TestWhateverChangesASignInIsSignalled reads every statement of the package: the functions that run one of a kind that may change
// a sign-in signal, or are known to change nothing of it.
func TestWhateverChangesASignInIsSignalled(t *testing.T) {
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	signalling, unused := 0, maps.Clone(needsNoSignal)
	for _, name := range files {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		require.NoError(t, err)
		for _, declared := range file.Decls {
			f, ok := declared.(*ast.FuncDecl)
			if !ok {
				continue
			}
			statements, signals := statementsOf(f)
			if len(statements) == 0 {
				continue
			}
			delete(unused, f.Name.Name)
			if signals {
				signalling++
			} else {
				require.Contains(t, needsNoSignal, f.Name.Name, "%s: %s changes a sign-in and signals nothing: %s", name, f.Name.Name, statements)
			}
		}
	}
	require.Greater(t, signalling, 15)
	require.Empty(t, unused, "there is no such statement any more")
}

// statementsOf returns the statements in a function that may change a sign-in, and whether it signals.
func statementsOf(f *ast.FuncDecl) (statements []string, signals bool) {
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.BasicLit:
			if text, err := strconv.Unquote(n.Value); err == nil && n.Kind == token.STRING && changesASignIn.MatchString(text) {
				statements = append(statements, text)
			}
		case *ast.CallExpr:
			if to, ok := n.Fun.(*ast.SelectorExpr); ok && to.Sel.Name == "signal" {
				signals = true
			}
		}
		return true
	})
	return statements, signals
}

// TestSignalsAreFeltHereAndReadElsewhere changes a session at one instance: it feels that before the change is answered, and another reads
// it by its number, or learns that it missed too much.
func TestSignalsAreFeltHereAndReadElsewhere(t *testing.T) {
	dsn := testbed.DSN(t)
	here, elsewhere := testbed.OpenRecords(t, dsn), testbed.OpenRecords(t, dsn)
	fill(t, tenant.RecordsIn(here))
	ctx := t.Context()
	var felt []model.ID
	here.OnSignal(func(ids []model.ID) { felt = append(felt, ids...) })
	begin, err := elsewhere.Ends(ctx)
	require.NoError(t, err)
	i, err := here.Identity(ctx, rowan.ID)
	require.NoError(t, err)
	session := store.Session{ID: model.ID{9}, Identity: i, Organisation: top.ID}
	require.NoError(t, here.StartSession(ctx, session, credential.NewToken(), by))
	require.Empty(t, felt, "nobody knew it before")
	require.NoError(t, here.ProveSession(ctx, session.ID, settings.CodeFactor, now))
	require.NoError(t, here.MoveSession(ctx, session.ID, top.ID, now))
	require.NoError(t, here.RevokeSession(ctx, i, session.ID, by))
	require.ErrorIs(t, here.RevokeSession(ctx, i, session.ID, by), store.ErrNotFound)
	require.Equal(t, []model.ID{session.ID, session.ID, session.ID}, felt, "what fails changes nothing")
	ended, err := elsewhere.Ends(ctx)
	require.NoError(t, err)
	require.Equal(t, begin.Signalled+3, ended.Signalled)
	ids, upTo, whole, err := elsewhere.SignalledSince(ctx, begin.Signalled)
	require.NoError(t, err)
	require.Equal(t, felt, ids)
	require.True(t, whole)
	require.Equal(t, ended.Signalled, upTo)

	// Many at once are not told one by one.
	many := make([]model.ID, 1200)
	for n := range many {
		many[n] = model.ID{77, byte(n >> 8), byte(n)}
	}
	require.NoError(t, here.Signal(ctx, many...))
	require.NoError(t, here.Signal(ctx, model.ID{78}))
	_, _, whole, err = elsewhere.SignalledSince(ctx, ended.Signalled)
	require.NoError(t, err)
	require.False(t, whole)
	require.Len(t, felt, 3+1200+1)
	ids, _, whole, err = elsewhere.SignalledSince(ctx, ended.Signalled+1200)
	require.NoError(t, err)
	require.True(t, whole)
	require.Equal(t, []model.ID{{78}}, ids)
}
