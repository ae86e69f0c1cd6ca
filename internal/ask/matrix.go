package ask

import (
	"context"
	"iter"
	"slices"
	"strings"

	"arbora.example/access"
	"arbora.example/access/catalogue"
	"arbora.example/access/model"
	"arbora.example/internal/tenant"
)

// Matrix is who holds what at a scope, by class of act and plane: principals against types of resources, or against the
// scopes right in it.
type Matrix struct {
	Scope    tenant.Ref
	Columns  []MatrixColumn
	Rows     []MatrixRow
	Next     string // the cursor of the page after; empty at the end
	Revision uint64
}

// MatrixColumn is a type, a service of Arbora's own, or a scope, and the permissions that a cell of it tells of.
type MatrixColumn struct {
	Name, Title string
	At          tenant.Ref // where its permissions are held
	Permissions []catalogue.Operation
}

// MatrixRow is a principal and a mark for each permission of each column.
type MatrixRow struct {
	Principal access.Principal
	Cells     [][]access.Mark
}

// MatrixAsked says which matrix somebody wants.
type MatrixAsked struct {
	Scope    string
	Children bool   // against the scopes right in it, rather than against types
	Find     string // a part of the names of those who have rows
	Groups   bool   // groups and built-in sets, rather than people and machines
	After    string
	Limit    int
}

// columnsMost bounds how many scopes a matrix has columns for.
const columnsMost = 30

// ShowMatrix works out a matrix, for whoever may list the grants at the scope.
func (s *Answers) ShowMatrix(ctx context.Context, c tenant.Caller, asked MatrixAsked) (Matrix, error) {
	d, scope, err := s.OpenAt(ctx, c, asked.Scope, "list grant")
	if err != nil {
		return Matrix{}, err
	}
	m := Matrix{Scope: d.Ref(scope), Revision: d.Revision(), Rows: []MatrixRow{}}
	if asked.Children {
		m.Columns = childColumns(d, scope)
	} else {
		m.Columns = typeColumns(d, scope)
	}
	columns := make([]access.MatrixColumn, len(m.Columns))
	for i, column := range m.Columns {
		columns[i].Scope = column.At.ID
		for _, o := range column.Permissions {
			columns[i].Permissions = append(columns[i].Permissions, o.Permission)
		}
	}
	for row := range d.Matrix(columns, matrixPrincipals(d, asked), d.Anybody()) {
		if len(m.Rows) == asked.Limit {
			last := m.Rows[asked.Limit-1].Principal
			m.Next = last.Kind.String() + " " + last.ID.String()
			break
		}
		m.Rows = append(m.Rows, MatrixRow{Principal: row.Principal, Cells: row.Cells})
	}
	for i := range m.Rows {
		m.Rows[i].Principal = d.Called(m.Rows[i].Principal)
	}
	return m, nil
}

// matrixPrincipals yields those a matrix can have rows for, after the last of the page before.
func matrixPrincipals(d tenant.Viewer, asked MatrixAsked) iter.Seq[access.Principal] {
	kinds := []model.PrincipalKind{model.User, model.Guest, model.OutsidePerson, model.ServiceAccount, model.PlatformService}
	if asked.Groups {
		kinds = []model.PrincipalKind{model.Group, model.Provider, model.BuiltInSet}
	}
	find := strings.ToLower(strings.TrimSpace(asked.Find))
	return func(yield func(access.Principal) bool) {
		passed := asked.After == ""
		for _, kind := range kinds {
			for p := range d.Principals(kind) {
				if !passed {
					passed = asked.After == p.Kind.String()+" "+p.ID.String()
					continue
				}
				if strings.Contains(d.Called(p).Name, find) && !yield(p) {
					return
				}
			}
		}
	}
}

// typeColumns returns a column for each type of resource that can be at or beneath a scope and is offered there, and one for
// each of Arbora's own services.
func typeColumns(d tenant.Viewer, scope model.Scope) []MatrixColumn {
	offered := d.OfferedAt(scope.ID)
	var columns []MatrixColumn
	add := func(name, title string, of func(*catalogue.Type) bool) {
		if permissions := d.PermissionsOf(scope.ID, of); len(permissions) > 0 {
			columns = append(columns, MatrixColumn{Name: name, Title: title, At: d.Ref(scope), Permissions: operations(d, permissions)})
		}
	}
	for _, service := range d.Catalogue().Services() {
		if service.Name == "tree" || service.Name == "people" || service.Name == "access" {
			add(service.Name, service.Title, func(t *catalogue.Type) bool { return t.Service == service.Name })
			continue
		}
		if offered != nil && !slices.Contains(offered, service.Name) {
			continue
		}
		for _, t := range service.Types {
			add(t.Name, t.Title, func(other *catalogue.Type) bool { return other == t })
		}
	}
	return columns
}

// childColumns returns a column for each scope right in one whose grants the caller may list.
func childColumns(d tenant.Viewer, scope model.Scope) []MatrixColumn {
	var columns []MatrixColumn
	for child := range d.Children(scope.ID, "") {
		if !d.Sight.Sees(child.ID) || !d.May("list grant", child.ID) {
			continue
		}
		if len(columns) == columnsMost {
			break
		}
		all := func(*catalogue.Type) bool { return true }
		columns = append(columns, MatrixColumn{Name: child.FullName(), Title: child.TypeName(), At: d.Ref(child), Permissions: operations(d, d.PermissionsOf(child.ID, all))})
	}
	return columns
}

func operations(d tenant.Viewer, permissions []catalogue.Permission) []catalogue.Operation {
	list := make([]catalogue.Operation, len(permissions))
	for i, p := range permissions {
		list[i] = d.Catalogue().Operation(p)
	}
	return list
}
