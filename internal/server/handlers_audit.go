package server

import (
	"context"

	"arbora.example/api"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/store"
)

func (h handlers) ListAuditRecords(ctx context.Context, r ListAuditRecordsRequestObject) (ListAuditRecordsResponseObject, error) {
	ctx, caller := who(ctx)
	entries, next, err := h.service.ListAudit(ctx, caller, r.Organisation, auditFilter(r.Params))
	if err != nil {
		return nil, err
	}
	return ListAuditRecords200JSONResponse(auditPage(entries, next)), nil
}

func (h handlers) ListInstallationAuditRecords(ctx context.Context, r ListInstallationAuditRecordsRequestObject) (ListInstallationAuditRecordsResponseObject, error) {
	ctx, caller := who(ctx)
	entries, next, err := h.service.ListInstallationAudit(ctx, caller, auditFilter(api.ListAuditRecordsParams(r.Params)))
	if err != nil {
		return nil, err
	}
	return ListInstallationAuditRecords200JSONResponse(auditPage(entries, next)), nil
}

func auditFilter(q api.ListAuditRecordsParams) store.AuditFilter {
	f := store.AuditFilter{Event: q.Event, Actor: q.Who, Text: q.Text, Limit: limit(q.Limit)}
	if !q.From.IsZero() {
		f.From = q.From.UTC()
	}
	if !q.Until.IsZero() {
		f.Until = q.Until.UTC()
	}
	if q.Before != 0 {
		f.Before = uint64(q.Before)
	}
	return f
}

func auditPage(entries []store.AuditEntry, next uint64) api.AuditRecordList {
	page := api.AuditRecordList{Records: each(entries, func(e store.AuditEntry) api.AuditRecord {
		return api.AuditRecord{Number: int64(e.Number), At: e.Author.At, By: e.Author.Name, From: e.Author.From, Event: e.Event, Detail: e.Detail}
	})}
	if next > 0 {
		before := int64(next)
		page.Before = before
	}
	return page
}
