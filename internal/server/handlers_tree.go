package server

import (
	"context"
	"strconv"

	"arbora.example/access"
	"arbora.example/access/model"
	"arbora.example/api"
	"arbora.example/internal/ask"
	"arbora.example/internal/change"
	"arbora.example/internal/problem"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/store"
)

func (h handlers) ShowScope(ctx context.Context, r ShowScopeRequestObject) (ShowScopeResponseObject, error) {
	ctx, caller := who(ctx)
	view, err := h.service.ShowScope(ctx, caller, r.Scope)
	if err != nil {
		return nil, err
	}
	return ShowScope200JSONResponse(scopeOf(view)), nil
}

func (h handlers) ShowTree(ctx context.Context, r ShowTreeRequestObject) (ShowTreeResponseObject, error) {
	ctx, caller := who(ctx)
	depth := 32
	if r.Params.Depth != 0 {
		depth = r.Params.Depth
	}
	nodes, revision, err := h.service.ShowTree(ctx, caller, r.Scope, depth)
	if err != nil {
		return nil, err
	}
	return tree{nodes, revision}, nil
}

func (h handlers) ListChildren(ctx context.Context, r ListChildrenRequestObject) (ListChildrenResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	nodes, next, err := h.service.ListChildren(ctx, caller, r.Scope, page.page.After, page.page.Limit)
	if err != nil {
		return nil, err
	}
	return childrenPage{nodes, page.next(next)}, nil
}

func (h handlers) CreateScope(ctx context.Context, r CreateScopeRequestObject) (CreateScopeResponseObject, error) {
	wanted := newScopeOf(*r.Body)
	if r.Body.Id != "" {
		var err error
		if wanted.ID, err = model.ParseID(r.Body.Id); err != nil {
			return nil, &problem.Problem{Kind: problem.Invalid, Detail: "the id is not a valid UUID", Next: "make one by RFC 9562", Field: "id"}
		}
	}
	view, written, err := changed(ctx, r.Params.Preview, h.service.CreateScope(r.Scope, wanted))
	if err != nil || r.Params.Preview {
		return CreateScope200JSONResponse(written), err
	}
	return CreateScope201JSONResponse{Scope: scopeOf(view), Revision: written.Revision}, nil
}

func newScopeOf(s api.ScopeNew) change.NewScope {
	return change.NewScope{Kind: string(s.Kind), Name: s.Name, Type: s.Type, Title: s.Title, Description: s.Description, Tags: s.Tags}
}

func (h handlers) ReshapeScopes(ctx context.Context, r ReshapeScopesRequestObject) (ReshapeScopesResponseObject, error) {
	state := r.Body.State
	wanted := change.Reshaping{
		Scopes: r.Body.Scopes, Name: text(r.Body.Name), Title: r.Body.Title, Description: r.Body.Description, Tags: r.Body.Tags,
		Untag: r.Body.Untag, To: r.Body.To, Retire: state == api.ScopeRetired, Restore: state == api.ScopeActive, Was: asRead(r.Body.Was),
	}
	_, written, err := changed(ctx, r.Params.Preview, h.service.Reshape(wanted))
	return ReshapeScopes200JSONResponse(written), err
}

func (h handlers) SearchScopes(ctx context.Context, r SearchScopesRequestObject) (SearchScopesResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	q := r.Params
	nodes, next, err := h.service.SearchScopes(ctx, caller, r.Organisation, ask.ScopeSearch{
		Text: q.Text, Kind: q.Kind, Type: q.Type, Tag: q.Tag, State: q.State, After: page.page.After, Limit: page.page.Limit,
	})
	if err != nil {
		return nil, err
	}
	return SearchScopes200JSONResponse{Scopes: each(nodes, foundOf), Next: page.next(next)}, nil
}

// foundOf is nodeOf with the tags.
func foundOf(n ask.Node) api.ScopeNode {
	node := nodeOf(n)
	if n.Tags != nil {
		node.Tags = n.Tags
	}
	return node
}

func (h handlers) CountContents(ctx context.Context, r CountContentsRequestObject) (CountContentsResponseObject, error) {
	ctx, caller := who(ctx)
	in, err := h.service.CountContents(ctx, caller, r.Scope)
	return CountContents200JSONResponse{Children: in.Children, Scopes: in.Scopes, Resources: in.Resources, More: in.More}, err
}

func (h handlers) UndoChange(ctx context.Context, r UndoChangeRequestObject) (UndoChangeResponseObject, error) {
	revision, _ := strconv.ParseUint(r.Revision, 10, 63) // 0 for the caller's last
	var undone store.Recorded
	_, written, err := changed(ctx, r.Params.Preview, h.service.Undo(r.Organisation, revision, &undone))
	return UndoChange200JSONResponse{
		Revision: written.Revision, Impact: written.Impact,
		Undid: api.ScopeChange{Revision: int64(undone.Revision), At: undone.Author.At, By: undone.Author.Name, What: undone.What},
	}, err
}

func (h handlers) ListScopeChanges(ctx context.Context, r ListScopeChangesRequestObject) (ListScopeChangesResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	before, err := page.number()
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	changes, next, err := h.service.ListScopeChanges(ctx, caller, r.Scope, before, page.page.Limit)
	if err != nil {
		return nil, err
	}
	return ListScopeChanges200JSONResponse{Next: page.nextNumber(next), Changes: each(changes, func(c ask.ScopeChangeView) api.ScopeChange {
		return api.ScopeChange{Revision: int64(c.Revision), At: c.Author.At, By: c.Author.Name, What: c.What}
	})}, nil
}

func (h handlers) ShowMatrix(ctx context.Context, r ShowMatrixRequestObject) (ShowMatrixResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	q := r.Params
	m, err := h.service.ShowMatrix(ctx, caller, ask.MatrixAsked{
		Scope: r.Scope, Children: q.Against == "children", Groups: q.Rows == "groups", Find: q.Find, After: page.page.After, Limit: page.page.Limit,
	})
	if err != nil {
		return nil, err
	}
	told := matrixOf(m)
	told.Next = page.next(m.Next)
	return ShowMatrix200JSONResponse(told), nil
}

// marks are the signs of a matrix's cells.
var marks = map[access.Mark]byte{access.NotHeld: 'n', access.MaybeHeld: 'm', access.CertainHeld: 'y'}

func matrixOf(m ask.Matrix) api.Matrix {
	return api.Matrix{
		Scope: refOf(m.Scope), Next: m.Next, Revision: int64(m.Revision),
		Columns: each(m.Columns, func(c ask.MatrixColumn) api.MatrixColumn {
			return api.MatrixColumn{Name: c.Name, Title: c.Title, At: refOf(c.At), Permissions: each(c.Permissions, operationOf)}
		}),
		Rows: each(m.Rows, func(r ask.MatrixRow) api.MatrixRow {
			return api.MatrixRow{Principal: principalRef(r.Principal), Cells: each(r.Cells, func(cell []access.Mark) string {
				signs := make([]byte, len(cell))
				for i, mark := range cell {
					signs[i] = marks[mark]
				}
				return string(signs)
			})}
		}),
	}
}
