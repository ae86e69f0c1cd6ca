package access

import "github.com/agnivade/levenshtein"

// Nearest returns the known word that somebody who wrote the given one most likely meant, or "" when none is near:
// one letter of a word of up to three may differ, two of up to eight, three of longer ones.
func Nearest(word string, known []string) string {
	if len(word) > MaxName {
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
		if d := levenshtein.ComputeDistance(word, candidate); d < bestDistance {
			best, bestDistance = candidate, d
		}
	}
	return best
}
