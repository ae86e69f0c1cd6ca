package english

import (
	"fmt"
	"strings"

	"github.com/hbollon/go-edlib"
)

// longest is how long a word may be that somebody may have meant for another.
const longest = 63

// Nearest returns the known word that somebody who wrote the given one most likely meant, or "" when none is near:
// one letter of a word of up to three may differ, two of up to eight, three of longer ones. Two letters that changed places count
// as one.
func Nearest(word string, known []string) string {
	if len(word) > longest {
		return ""
	}
	reach := 3
	if len(word) <= 3 {
		reach = 1
	} else if len(word) <= 8 {
		reach = 2
	}
	best, bestDistance := "", reach+1
	for _, candidate := range known {
		if d := edlib.OSADamerauLevenshteinDistance(word, candidate); d < bestDistance {
			best, bestDistance = candidate, d
		}
	}
	return best
}

// Join writes words as a sentence has them: a, b and c.
func Join(words []string) string {
	switch len(words) {
	case 0:
		return "nothing"
	case 1:
		return words[0]
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// WithArticle puts a or an before a noun.
func WithArticle(noun string) string {
	if strings.ContainsRune("aeiou", rune(noun[0])) && noun != "user" {
		return "an " + noun
	}
	return "a " + noun
}

// Count writes a number with its noun.
func Count(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	if strings.HasSuffix(noun, "y") {
		return fmt.Sprintf("%d %sies", n, noun[:len(noun)-1])
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

// Words returns the texts of a list.
func Words[T ~string](list []T) []string {
	words := make([]string, len(list))
	for i, item := range list {
		words[i] = string(item)
	}
	return words
}
