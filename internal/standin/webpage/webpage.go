// Package webpage gives the pages of the stand-ins their common look.
package webpage

import (
	_ "embed"
	"html/template"
)

//go:embed style.html
var style string

// Parse reads a page, which takes its look by {{template "style"}}. It panics if the page is none: pages are the program's own.
func Parse(text string, functions template.FuncMap) *template.Template {
	return template.Must(template.Must(template.New("page").Funcs(functions).Parse(style)).Parse(text))
}
