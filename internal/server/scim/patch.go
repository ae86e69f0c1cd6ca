package scim

import (
	"reflect"
	"slices"
	"strings"

	library "github.com/elimity-com/scim"
	scimerrors "github.com/elimity-com/scim/errors"
	"github.com/elimity-com/scim/schema"
	parser "github.com/scim2/filter-parser/v2"
)

// patch changes a resource by one operation (RFC 7644, section 3.5.2), whose value the library has held against the schema.
func patch(of attributes, o library.PatchOperation, schemas []schema.Schema) error {
	op := strings.ToLower(o.Op)
	if o.Path == nil {
		values, ok := o.Value.(attributes)
		if !ok || op == library.PatchOperationRemove {
			return noTarget("no path")
		}
		for name, value := range values {
			if part, ok := value.(attributes); ok && isExtension(name, schemas) {
				put(holderOf(of, name, schemas), part, op)
				continue
			}
			put(of, attributes{name: value}, op)
		}
		return nil
	}
	path := o.Path.AttributePath
	if isReadOnly(path.AttributeName, schemas) {
		return scimerrors.ScimErrorMutability
	}
	holder := holderOf(of, path.URI(), schemas)
	name := nameIn(holder, path.AttributeName, schemas)
	if o.Path.ValueExpression != nil {
		sub := path.SubAttributeName()
		if o.Path.SubAttribute != nil {
			sub = *o.Path.SubAttribute
		}
		return patchValues(holder, name, sub, o.Path.ValueExpression, o, op, schemas)
	}
	if sub := path.SubAttributeName(); sub != "" {
		return patchParts(holder, name, sub, o.Value, op)
	}
	if op == library.PatchOperationRemove {
		removeFrom(holder, name, o.Value)
		return nil
	}
	put(holder, attributes{name: o.Value}, op)
	return nil
}

func isExtension(name string, schemas []schema.Schema) bool {
	return slices.ContainsFunc(schemas[1:], func(s schema.Schema) bool { return strings.EqualFold(s.ID, name) })
}

// isReadOnly reports whether an attribute follows from others.
func isReadOnly(name string, schemas []schema.Schema) bool {
	return strings.EqualFold(name, "id") || strings.EqualFold(name, "meta") || slices.ContainsFunc(schemas, func(s schema.Schema) bool {
		attribute, ok := s.Attributes.ContainsAttribute(name)
		return ok && attribute.Mutability() == "readOnly"
	})
}

// holderOf returns what an attribute of a schema lies in: the resource, or the part of an extension, which is made.
func holderOf(of attributes, uri string, schemas []schema.Schema) attributes {
	for _, s := range schemas[1:] {
		if strings.EqualFold(s.ID, uri) {
			part, ok := of[s.ID].(attributes)
			if !ok {
				part = attributes{}
				of[s.ID] = part
			}
			return part
		}
	}
	return of
}

// nameIn returns the name of an attribute as the schemas write it, or as it stands.
func nameIn(of attributes, name string, schemas []schema.Schema) string {
	for _, s := range schemas {
		if attribute, ok := s.Attributes.ContainsAttribute(name); ok {
			return attribute.Name()
		}
	}
	for other := range of {
		if strings.EqualFold(other, name) {
			return other
		}
	}
	return name
}

// put writes values. What is added joins what is there: values a list, parts a complex value.
func put(into, values attributes, op string) {
	for name, value := range values {
		is := into[name]
		list, several := value.([]any)
		there, listed := is.([]any)
		switch {
		case op == library.PatchOperationAdd && (listed || several):
			if !several {
				list = []any{value}
			}
			into[name] = joined(there, list)
		case value == nil:
			delete(into, name)
		default:
			part, complex := value.(attributes)
			old, was := is.(attributes)
			if op == library.PatchOperationAdd && complex && was {
				put(old, part, op)
				continue
			}
			into[name] = value
		}
	}
}

// joined adds to a list what is not in it. Of two values with the same "value" the later counts, and one at most is primary.
func joined(there, more []any) []any {
	list := slices.Clone(there)
	for _, value := range more {
		at := slices.IndexFunc(list, func(other any) bool { return same(other, value) })
		if part, ok := value.(attributes); ok && part["primary"] == true {
			for _, other := range list {
				if other, ok := other.(attributes); ok {
					delete(other, "primary")
				}
			}
		}
		if at >= 0 {
			list[at] = value
		} else {
			list = append(list, value)
		}
	}
	return list
}

// same reports whether two values of a list are one: by their "value", or whole.
func same(a, b any) bool {
	one, ok := a.(attributes)
	other, also := b.(attributes)
	if ok && also && one["value"] != nil {
		return reflect.DeepEqual(one["value"], other["value"]) && (one["type"] == nil || other["type"] == nil || reflect.DeepEqual(one["type"], other["type"]))
	}
	return reflect.DeepEqual(a, b)
}

// removeFrom removes an attribute; if values are told, those of a list alone.
func removeFrom(holder attributes, name string, value any) {
	list, listed := holder[name].([]any)
	if value == nil || !listed {
		delete(holder, name)
		return
	}
	gone, several := value.([]any)
	if !several {
		gone = []any{value}
	}
	holder[name] = slices.DeleteFunc(slices.Clone(list), func(is any) bool {
		return slices.ContainsFunc(gone, func(other any) bool { return same(is, other) })
	})
}

// patchParts changes a part of a complex value, or of each in a list.
func patchParts(holder attributes, name, sub string, value any, op string) error {
	var of []attributes
	switch is := holder[name].(type) {
	case attributes:
		of = []attributes{is}
	case []any:
		for _, one := range is {
			if part, ok := one.(attributes); ok {
				of = append(of, part)
			}
		}
	case nil:
		if op == library.PatchOperationRemove {
			return nil
		}
		made := attributes{}
		holder[name] = made
		of = []attributes{made}
	}
	for _, part := range of {
		sub := nameIn(part, sub, nil)
		if op == library.PatchOperationRemove {
			delete(part, sub)
		} else {
			part[sub] = value
		}
	}
	return nil
}

// patchValues changes those values of a list that fulfil a filter.
func patchValues(holder attributes, name, sub string, wanted parser.Expression, o library.PatchOperation, op string, schemas []schema.Schema) error {
	list, _ := holder[name].([]any)
	kept, found := []any{}, false
	for _, one := range list {
		part, ok := one.(attributes)
		if !ok || !passes(part, wanted, schemas) {
			kept = append(kept, one)
			continue
		}
		found = true
		switch {
		case op == library.PatchOperationRemove && sub == "":
			continue
		case op == library.PatchOperationRemove:
			delete(part, nameIn(part, sub, nil))
		case sub != "":
			part[nameIn(part, sub, nil)] = o.Value
		default:
			value, ok := o.Value.(attributes)
			if listed, several := o.Value.([]any); several && len(listed) == 1 {
				value, ok = listed[0].(attributes)
			}
			if !ok {
				return scimerrors.ScimErrorInvalidValue
			}
			put(part, value, library.PatchOperationReplace)
		}
		kept = append(kept, part)
	}
	if !found {
		e, simple := wanted.(*parser.AttributeExpression)
		if op != library.PatchOperationAdd || sub == "" || !simple || e.Operator != parser.EQ {
			if op == library.PatchOperationRemove {
				return nil // it is gone already
			}
			return noTarget(o.Path.String())
		}
		// What is added where nothing fits is a value that fits.
		kept = append(kept, attributes{e.AttributePath.AttributeName: e.CompareValue, sub: o.Value})
	}
	holder[name] = kept
	return nil
}
