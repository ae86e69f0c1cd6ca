package scim

import (
	"fmt"
	"slices"
	"strings"
	"time"

	scimerrors "github.com/elimity-com/scim/errors"
	"github.com/elimity-com/scim/schema"
	parser "github.com/scim2/filter-parser/v2"
)

// common are the attributes that every resource has (RFC 7643, section 3.1).
var common = []string{"id", "externalid", "meta", "schemas"}

const longestFilter = 4096

// readFilter reads a filter; nil for the empty one. The error is the protocol's.
func readFilter(text string, schemas []schema.Schema) (parser.Expression, error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	wrong := scimerrors.ScimErrorInvalidFilter
	if len(text) > longestFilter {
		wrong.Detail = fmt.Sprintf("the filter is longer than %d bytes", longestFilter)
		return nil, wrong
	}
	e, err := parser.ParseFilter([]byte(text))
	if err != nil {
		wrong.Detail = "the filter cannot be read: " + err.Error()
		return nil, wrong
	}
	if name := unknownIn(e, schemas); name != "" {
		wrong.Detail = "there is no attribute " + name
		return nil, wrong
	}
	return e, nil
}

// unknownIn returns an attribute that a filter names and no schema has; empty for none.
func unknownIn(wanted parser.Expression, schemas []schema.Schema) string {
	var path parser.AttributePath
	switch e := wanted.(type) {
	case *parser.LogicalExpression:
		if name := unknownIn(e.Left, schemas); name != "" {
			return name
		}
		return unknownIn(e.Right, schemas)
	case *parser.NotExpression:
		return unknownIn(e.Expression, schemas)
	case *parser.ValuePath:
		path = e.AttributePath
	case *parser.AttributeExpression:
		path = e.AttributePath
	}
	if slices.Contains(common, strings.ToLower(path.AttributeName)) {
		return ""
	}
	for _, s := range schemas {
		if uri := path.URI(); uri != "" && !strings.EqualFold(uri, s.ID) {
			continue
		}
		if _, ok := s.Attributes.ContainsAttribute(path.AttributeName); ok {
			return ""
		}
	}
	return path.String()
}

// passes reports whether a resource, or one value of an attribute, fulfils a filter (RFC 7644, section 3.4.2.2).
func passes(of attributes, wanted parser.Expression, schemas []schema.Schema) bool {
	switch e := wanted.(type) {
	case *parser.LogicalExpression:
		if e.Operator == parser.AND {
			return passes(of, e.Left, schemas) && passes(of, e.Right, schemas)
		}
		return passes(of, e.Left, schemas) || passes(of, e.Right, schemas)
	case *parser.NotExpression:
		return !passes(of, e.Expression, schemas)
	case *parser.ValuePath:
		for _, value := range valuesAt(of, e.AttributePath, schemas) {
			if part, ok := value.(attributes); ok && passes(part, e.ValueFilter, schemas) {
				return true
			}
		}
		return false
	case *parser.AttributeExpression:
		values := valuesAt(of, e.AttributePath, schemas)
		switch e.Operator {
		case parser.PR:
			return len(values) > 0
		case parser.NE: // of several values, none is it
			for _, value := range values {
				if compares(value, parser.EQ, e.CompareValue, exact(e.AttributePath, schemas)) {
					return false
				}
			}
			return true
		}
		for _, value := range values {
			if compares(value, e.Operator, e.CompareValue, exact(e.AttributePath, schemas)) {
				return true
			}
		}
		return e.CompareValue == nil && e.Operator == parser.EQ && len(values) == 0
	}
	return false
}

// valuesAt returns the values at a path, whose names may be in any case. Of a list each is one; of a complex value its "value".
func valuesAt(of attributes, path parser.AttributePath, schemas []schema.Schema) (values []any) {
	if uri := path.URI(); uri != "" && !strings.EqualFold(uri, schemas[0].ID) {
		of, _ = valueNamed(of, uri).(attributes)
	}
	found := valueNamed(of, path.AttributeName)
	if found == nil { // an attribute of an extension may be named without it
		for _, extension := range schemas[1:] {
			if part, ok := of[extension.ID].(attributes); ok && found == nil {
				found = valueNamed(part, path.AttributeName)
			}
		}
	}
	list, several := found.([]any)
	if !several && found != nil {
		list = []any{found}
	}
	for _, value := range list {
		part, complex := value.(attributes)
		if sub := path.SubAttributeName(); complex && sub != "" {
			value = valueNamed(part, sub)
		}
		if value != nil && value != "" {
			values = append(values, value)
		}
	}
	return values
}

// valueNamed returns an attribute by its name in any case; nil for none.
func valueNamed(of attributes, name string) any {
	if value, ok := of[name]; ok {
		return value
	}
	for other, value := range of {
		if strings.EqualFold(other, name) {
			return value
		}
	}
	return nil
}

// exact reports whether the case of letters counts for an attribute.
func exact(path parser.AttributePath, schemas []schema.Schema) bool {
	for _, s := range schemas {
		attribute, ok := s.Attributes.ContainsAttribute(path.AttributeName)
		if !ok {
			continue
		}
		if sub := path.SubAttributeName(); sub != "" {
			if part, ok := attribute.SubAttributes().ContainsAttribute(sub); ok {
				return part.CaseExact()
			}
		}
		return attribute.CaseExact()
	}
	return strings.EqualFold(path.AttributeName, "id") || strings.EqualFold(path.AttributeName, "externalId")
}

// compares holds a value against another.
func compares(value any, operator parser.CompareOperator, with any, exact bool) bool {
	if part, ok := value.(attributes); ok {
		value = valueNamed(part, "value") // a complex attribute stands for its value
	}
	if at, ok := value.(time.Time); ok {
		other, err := time.Parse(time.RFC3339, fmt.Sprint(with))
		return err == nil && ordered(at.Compare(other), operator)
	}
	a, b := written(value), written(with)
	if !exact {
		a, b = strings.ToLower(a), strings.ToLower(b)
	}
	switch operator {
	case parser.CO:
		return strings.Contains(a, b)
	case parser.SW:
		return strings.HasPrefix(a, b)
	case parser.EW:
		return strings.HasSuffix(a, b)
	}
	if _, isText := value.(string); !isText && operator != parser.EQ {
		return false // truth values and numbers that are no texts have no order here
	}
	return ordered(strings.Compare(a, b), operator)
}

func written(value any) string {
	if value == nil {
		return ""
	}
	return fmt.Sprint(value)
}

func ordered(order int, operator parser.CompareOperator) bool {
	switch operator {
	case parser.EQ:
		return order == 0
	case parser.GT:
		return order > 0
	case parser.GE:
		return order >= 0
	case parser.LT:
		return order < 0
	case parser.LE:
		return order <= 0
	}
	return false
}

// sortKey is by what a resource is ordered: an attribute, or a part of one. Of several values the primary one counts, or the first.
func sortKey(of attributes, by string) string {
	if at := strings.LastIndexByte(by, ':'); at >= 0 {
		by = by[at+1:]
	}
	name, sub, _ := strings.Cut(by, ".")
	value := valueNamed(of, name)
	if list, ok := value.([]any); ok {
		value = nil
		for _, one := range list {
			part, _ := one.(attributes)
			if primary, _ := part["primary"].(bool); primary || value == nil {
				value = one
			}
		}
	}
	if part, ok := value.(attributes); ok {
		if sub == "" {
			sub = "value"
		}
		value = valueNamed(part, sub)
	}
	if at, ok := value.(time.Time); ok {
		return at.UTC().Format(time.RFC3339Nano)
	}
	return strings.ToLower(written(value))
}
