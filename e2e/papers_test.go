package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestPapersNameWhatIsThere sees that every test and file that a page of docs names is there.
func TestPapersNameWhatIsThere(t *testing.T) {
	list, err := exec.Command("git", "-C", "..", "ls-files", "--cached", "--others", "--exclude-standard").Output()
	require.NoError(t, err)
	files := strings.Fields(string(list))
	there, tests := map[string]bool{}, map[string]bool{}
	test := regexp.MustCompile(`(?m)^func (Test\w+)\(`)
	for _, name := range files {
		for folder := name; folder != "."; folder = filepath.Dir(folder) {
			there[folder] = true
		}
		if !strings.HasSuffix(name, "_test.go") {
			continue
		}
		text, err := os.ReadFile("../" + name)
		require.NoError(t, err)
		for _, found := range test.FindAllStringSubmatch(string(text), -1) {
			tests[found[1]] = true
		}
	}
	named := regexp.MustCompile("`([^`]+)`")
	path := regexp.MustCompile(`^[\w.-]+(/[\w.-]+)+$`)
	pages, err := filepath.Glob("../docs/*.md")
	require.NoError(t, err)
	for _, page := range append(pages, "../README.md", "../SECURITY.md") {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, found := range named.FindAllStringSubmatch(string(text), -1) {
			switch word := found[1]; {
			case regexp.MustCompile(`^Test[A-Z]\w+$`).MatchString(word):
				assert.True(t, tests[word], "%s names %s, which is not there", page, word)
			case path.MatchString(word) && there[strings.Split(word, "/")[0]]:
				assert.True(t, there[word], "%s names %s, which is not there", page, word)
			}
		}
	}
}
