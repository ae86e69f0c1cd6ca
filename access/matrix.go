package access

import (
	"cmp"
	"iter"
	"slices"

	"arbora.example/access/catalogue"
	"arbora.example/access/model"
)

// Mark says whether a principal holds a permission.
type Mark uint8

// The marks.
const (
	NotHeld     Mark = iota
	MaybeHeld        // under a condition that is not known to hold, or from a later moment on
	CertainHeld      // now and for certain
)

// MatrixColumn is what a matrix tells of in one column: permissions at a scope.
type MatrixColumn struct {
	Scope       model.ID
	Permissions []catalogue.Permission
}

// MatrixRow is what one principal holds: a mark for each permission of each column.
type MatrixRow struct {
	Principal Principal
	Cells     [][]Mark
}

// Matrix yields a row for each of some principals who hold, for certain or perhaps, any permission of any column, in their
// order.
func (s *Snapshot) Matrix(columns []MatrixColumn, among iter.Seq[Principal], c *Context) iter.Seq[MatrixRow] {
	return func(yield func(MatrixRow) bool) {
		for p := range among {
			who := s.principalNode(p.ID)
			if who == nil || s.gone(who) {
				continue
			}
			if row, holds := s.matrixRow(columns, p, who, c); holds && !yield(row) {
				return
			}
		}
	}
}

func (s *Snapshot) matrixRow(columns []MatrixColumn, p Principal, who *principalNode, c *Context) (MatrixRow, bool) {
	row := MatrixRow{Principal: p, Cells: make([][]Mark, len(columns))}
	holds := false
	var last model.ID
	var held holding
	for i, column := range columns {
		if column.Scope != last || i == 0 {
			n, there := s.scopeNumber(column.Scope)
			if !there {
				continue
			}
			last, held = column.Scope, s.holding(who, n, c, false).within(s.meaning(n))
		}
		row.Cells[i] = make([]Mark, len(column.Permissions))
		for j, permission := range column.Permissions {
			switch {
			case held.firm.Has(permission):
				row.Cells[i][j] = CertainHeld
			case held.possible.Has(permission):
				row.Cells[i][j] = MaybeHeld
			default:
				continue
			}
			holds = true
		}
	}
	return row, holds
}

// PermissionsOf returns the permissions of some types that mean something at a scope, by class and plane, in the catalogue's
// order.
func (s *Snapshot) PermissionsOf(scope model.ID, types func(*catalogue.Type) bool) []catalogue.Permission {
	n, there := s.scopeNumber(scope)
	if !there {
		return nil
	}
	meaning := s.meaning(n)
	var list []catalogue.Permission
	for _, service := range s.catalogue.Services() {
		for _, t := range service.Types {
			if !types(t) {
				continue
			}
			for _, o := range t.Operations {
				if meaning.Has(o.Permission) {
					list = append(list, o.Permission)
				}
			}
		}
	}
	slices.SortStableFunc(list, func(a, b catalogue.Permission) int {
		first, other := s.catalogue.Operation(a), s.catalogue.Operation(b)
		return cmp.Or(
			slices.Index(catalogue.Planes, first.Plane)-slices.Index(catalogue.Planes, other.Plane),
			slices.Index(catalogue.Classes, first.Class)-slices.Index(catalogue.Classes, other.Class),
		)
	})
	return list
}
