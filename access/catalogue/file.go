package catalogue

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"arbora.example/access/model"
)

// FileError says what is wrong with a service's file, and where.
type FileError struct {
	Line   int // from 1
	Column int // from 1, in bytes
	Detail string
}

// Error returns the place and the detail.
func (e *FileError) Error() string {
	return fmt.Sprintf("line %d, column %d: %s", e.Line, e.Column, e.Detail)
}

// parsedFile is a service's file and where its values stand, each by its path, such as "types[0].parents[1]".
type parsedFile struct {
	serviceFile
	text    []byte
	offsets map[string]int64
}

func (f *parsedFile) read(text []byte) error {
	f.text, f.offsets = text, map[string]int64{}
	d := json.NewDecoder(bytes.NewReader(text))
	if err := f.walk(d, ""); err != nil {
		return f.at(d.InputOffset(), jsonDetail(err))
	}
	if _, err := d.Token(); err != io.EOF {
		return f.at(d.InputOffset(), "there is text after the end of the service: one file describes one service")
	}
	if err := decodeStrictly(text, &f.serviceFile); err != nil {
		var mistyped *json.UnmarshalTypeError
		if errors.As(err, &mistyped) {
			return f.at(mistyped.Offset, fmt.Sprintf("%s must be %s, not %s", mistyped.Field, jsonWord(mistyped.Type.Kind().String()), mistyped.Value))
		}
		if _, field, ok := strings.Cut(err.Error(), "unknown field "); ok {
			return f.unknownField(strings.Trim(field, `"`))
		}
		return f.at(d.InputOffset(), err.Error())
	}
	return nil
}

// walk notes where every value begins.
func (f *parsedFile) walk(d *json.Decoder, path string) error {
	token, err := d.Token()
	if err != nil {
		return err
	}
	f.offsets[path] = d.InputOffset() - int64(tokenWidth(token))
	switch token {
	case json.Delim('{'):
		for d.More() {
			key, err := d.Token()
			if err != nil {
				return err
			}
			name := strings.TrimPrefix(fmt.Sprintf("%s.%s", path, key), ".")
			if err := f.walk(d, name); err != nil {
				return err
			}
		}
		_, err = d.Token()
	case json.Delim('['):
		for i := 0; d.More(); i++ {
			if err := f.walk(d, fmt.Sprintf("%s[%d]", path, i)); err != nil {
				return err
			}
		}
		_, err = d.Token()
	}
	return err
}

func tokenWidth(token json.Token) int {
	if text, ok := token.(string); ok {
		quoted, _ := json.Marshal(text) // a string always can be written
		return len(quoted)
	}
	return 1
}

// fault places an error at the first of some paths that the file has, else at its beginning.
func (f *parsedFile) fault(err error, paths ...string) error {
	for _, path := range paths {
		if offset, ok := f.offsets[path]; ok {
			return f.at(offset, err.Error())
		}
	}
	return f.at(0, err.Error())
}

func (f *parsedFile) unknownField(name string) error {
	known := []string{
		"service", "title", "description", "types", "roles", "type", "parents", "open", "unregistered", "control", "data",
		"needs", "role", "include", "exclude", "classes", "operations", "services", "planes",
	}
	err := model.UnknownWord("field", name, known)
	least := int64(len(f.text))
	for path, offset := range f.offsets {
		if path == name || strings.HasSuffix(path, "."+name) {
			least = min(least, offset)
		}
	}
	return f.at(least, err.Error())
}

func (f *parsedFile) at(offset int64, detail string) error {
	before := f.text[:max(0, min(int(offset), len(f.text)))]
	return &FileError{
		Line:   1 + bytes.Count(before, []byte("\n")),
		Column: len(before) - bytes.LastIndexByte(before, '\n'),
		Detail: detail,
	}
}

func jsonDetail(err error) string {
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return "the file ends too early: a bracket, a brace or a quote is not closed"
	}
	return "this is not JSON: " + strings.TrimPrefix(err.Error(), "json: ")
}

func jsonWord(kind string) string {
	switch kind {
	case "slice":
		return "a list"
	case "map", "struct":
		return "an object"
	case "bool":
		return "true or false"
	}
	return "a text"
}

func decodeStrictly(text []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	return d.Decode(into)
}
