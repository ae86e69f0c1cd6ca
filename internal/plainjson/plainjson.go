// Package plainjson writes the texts of JSON that are written most: those of which no letter has to be written otherwise than it is.
package plainjson

import "encoding/json"

// AppendText writes text as package encoding/json does.
func AppendText(b []byte, text string) []byte {
	for i := range len(text) {
		if c := text[i]; !IsPlain(c) || c == '<' || c == '>' || c == '&' {
			quoted, err := json.Marshal(text)
			if err != nil {
				panic(err) // there is no text that cannot be written
			}
			return append(b, quoted...)
		}
	}
	return append(append(append(b, '"'), text...), '"')
}

// IsPlain reports whether a character of ASCII stands for itself in the text of JSON.
func IsPlain(c byte) bool { return c >= ' ' && c <= '~' && c != '"' && c != '\\' }
