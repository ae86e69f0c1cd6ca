package e2e

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// stringsFile lists what people read of the product, file by file, so that it can be read in one go.
const stringsFile = "../docs/strings.txt"

var (
	code      = regexp.MustCompile(`(?s)<(script|style).*?</(script|style)>|<!--.*?-->`)
	braces    = regexp.MustCompile(`\{[^{}]*\}`)
	tag       = regexp.MustCompile(`(?s)<[^>]*>`)
	told      = regexp.MustCompile(`(?:title|label|placeholder|hint|lead|aria-label|action|word|does|why)=?:? ?"([^"]+)"`)
	spaces    = regexp.MustCompile(`\s+`)
	sentence  = regexp.MustCompile(`[A-Za-z]{2,}[,:;.]? [A-Za-z(“%]`)
	queries   = regexp.MustCompile(`^(SELECT|INSERT|UPDATE|DELETE|CREATE|ALTER|SHOW|DROP|GRANT|SET|LOCK|FLUSH|JOIN|WITH|LOAD|START) |^\s*(FROM|WHERE|AND|ORDER BY) |^Required flag|^(flag|invalid value)`)
	styles    = regexp.MustCompile(`[<>]|\b(dark|hover|max-\w\w|group):|\b(items|gap|px|py|text|font|border|max-w|grid-cols)-[\w\[]|class=|^\S+ \? `)
	unread    = regexp.MustCompile(`^(internal/store|bench|e2e|internal/demo|access/internal)/|_test\.go$|\.gen\.go$|\.d\.ts$|api\.gen`)
	quotation = regexp.MustCompile("\"([^\"\\\\\n]+)\"|`([^`]+)`")
)

// TestStringsAreListed holds the list of what people read to the sources. ARBORA_WRITE_TESTDATA=1 writes it anew.
func TestStringsAreListed(t *testing.T) {
	out, err := exec.Command("git", "-C", "..", "ls-files", "-co", "--exclude-standard", "*.go", "*.svelte", "console/src/lib/*.ts").Output()
	require.NoError(t, err)
	names := strings.Fields(string(out))
	slices.Sort(names)
	var list strings.Builder
	count := 0
	for _, name := range names {
		if unread.MatchString(name) {
			continue
		}
		text, err := os.ReadFile(filepath.Join("..", name))
		if os.IsNotExist(err) {
			continue // deleted, and not committed yet
		}
		require.NoError(t, err)
		var found []string
		if strings.HasSuffix(name, ".go") {
			found = stringsOfGo(t, name, text)
		} else {
			found = stringsOfConsole(name, string(text))
		}
		if len(found) > 0 {
			list.WriteString(name + "\n    " + strings.Join(found, "\n    ") + "\n")
			count += len(found)
		}
	}
	require.Greater(t, count, 1500)
	if os.Getenv("ARBORA_WRITE_TESTDATA") != "" {
		require.NoError(t, os.WriteFile(stringsFile, []byte(list.String()), 0o644))
	}
	kept, err := os.ReadFile(stringsFile)
	require.NoError(t, err)
	require.True(t, string(kept) == list.String(), "docs/strings.txt is stale: run ARBORA_WRITE_TESTDATA=1 go test ./e2e -run TestStringsAreListed, and read what is new in it")
}

// stringsOfGo returns the literals of a file that read like a sentence, in their order, each once.
func stringsOfGo(t *testing.T, name string, text []byte) (found []string) {
	file, err := parser.ParseFile(token.NewFileSet(), name, text, 0)
	require.NoError(t, err)
	ast.Inspect(file, func(n ast.Node) bool {
		if _, tagged := n.(*ast.Field); tagged {
			return false // what a struct's fields carry
		}
		if literal, ok := n.(*ast.BasicLit); ok && literal.Kind == token.STRING {
			value, err := strconv.Unquote(literal.Value)
			require.NoError(t, err)
			found = withSentence(found, value)
		}
		return true
	})
	return found
}

// stringsOfConsole returns what stands between the tags of a file, in attributes that people read, and in sentences of its code.
func stringsOfConsole(name, text string) (found []string) {
	for _, match := range told.FindAllStringSubmatch(text, -1) {
		found = withSentence(found, match[1])
	}
	if strings.HasSuffix(name, ".svelte") {
		markup := code.ReplaceAllString(text, "")
		for braces.MatchString(markup) {
			markup = braces.ReplaceAllString(markup, "…")
		}
		for _, part := range strings.Split(tag.ReplaceAllString(markup, "\n\n"), "\n\n") {
			found = withSentence(found, part)
		}
	}
	for _, match := range quotation.FindAllStringSubmatch(text, -1) {
		if value := match[1] + match[2]; !strings.Contains(value, "-[") && !strings.ContainsAny(value, "<>") && regexp.MustCompile(`^[A-Z][a-z]+ [a-z]|[.:] `).MatchString(value) {
			found = withSentence(found, value)
		}
	}
	return found
}

func withSentence(found []string, text string) []string {
	text = strings.TrimSpace(spaces.ReplaceAllString(text, " "))
	if !sentence.MatchString(text) || queries.MatchString(text) || styles.MatchString(text) || slices.Contains(found, text) {
		return found
	}
	return append(found, text)
}
