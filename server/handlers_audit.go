package server

import (
	"context"

	"arbora.example/api"
	. "arbora.example/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/store"
)

func (h handlers) ListAuditRecords(ctx context.Context, r ListAuditRecordsRequestObject) (ListAuditRecordsResponseObject, error) {
	ctx, caller := who(ctx)
	q := r.Params
	f := store.AuditFilter{Event: text(q.Event), Actor: text(q.Who), Text: text(q.Text), Limit: limit(q.Limit)}
	if q.From != nil {
		f.From = q.From.UTC()
	}
	if q.Until != nil {
		f.Until = q.Until.UTC()
	}
	if q.Before != nil {
		f.Before = uint64(*q.Before)
	}
	entries, next, err := h.service.ListAudit(ctx, caller, r.Organisation, f)
	if err != nil {
		return nil, err
	}
	answer := ListAuditRecords200JSONResponse{Records: each(entries, func(e store.AuditEntry) api.AuditRecord {
		return api.AuditRecord{Number: int64(e.Number), At: e.Author.At, By: e.Author.Name, From: e.Author.From, Event: e.Event, Detail: e.Detail}
	})}
	if next > 0 {
		before := int64(next)
		answer.Before = &before
	}
	return answer, nil
}
