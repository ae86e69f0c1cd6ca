package server

import (
	"context"

	"arbora.example/api"
	"arbora.example/internal/ask"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
	"arbora.example/internal/store"
)

func (h handlers) ListAuditRecords(ctx context.Context, r ListAuditRecordsRequestObject) (ListAuditRecordsResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	before, err := page.number()
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	entries, next, err := h.service.ListAudit(ctx, caller, r.Organisation, auditFilter(r.Params, before, page.page.Limit))
	if err != nil {
		return nil, err
	}
	return ListAuditRecords200JSONResponse(auditPage(entries, page.nextNumber(next))), nil
}

func (h handlers) ListInstallationAuditRecords(ctx context.Context, r ListInstallationAuditRecordsRequestObject) (ListInstallationAuditRecordsResponseObject, error) {
	page, err := pagingOf(ctx, r.Params.After, r.Params.Limit, nil)
	if err != nil {
		return nil, err
	}
	before, err := page.number()
	if err != nil {
		return nil, err
	}
	ctx, caller := who(ctx)
	entries, next, err := h.service.ListInstallationAudit(ctx, caller, auditFilter(api.ListAuditRecordsParams(r.Params), before, page.page.Limit))
	if err != nil {
		return nil, err
	}
	return ListInstallationAuditRecords200JSONResponse(auditPage(entries, page.nextNumber(next))), nil
}

func auditFilter(q api.ListAuditRecordsParams, before uint64, limit int) store.AuditFilter {
	f := store.AuditFilter{Event: string(q.Event), Actor: q.Who, Text: q.Text, Before: before, Limit: limit}
	if !q.From.IsZero() {
		f.From = q.From.UTC()
	}
	if !q.Until.IsZero() {
		f.Until = q.Until.UTC()
	}
	return f
}

func auditPage(entries []store.AuditEntry, next string) api.AuditRecordList {
	return api.AuditRecordList{Next: next, Records: each(entries, auditRecordOf)}
}

func auditRecordOf(e store.AuditEntry) api.AuditRecord {
	return api.AuditRecord{Number: int64(e.Number), At: e.Author.At, By: e.Author.Name, From: e.Author.From, Event: api.AuditEvent(e.Event), Detail: e.Detail}
}

func (h handlers) DescribeAuditRecord(ctx context.Context, r DescribeAuditRecordRequestObject) (DescribeAuditRecordResponseObject, error) {
	ctx, caller := who(ctx)
	told, err := h.service.AuditRecord(ctx, caller, r.Organisation, uint64(r.Number))
	if err != nil {
		return nil, err
	}
	return DescribeAuditRecord200JSONResponse{
		Record: auditRecordOf(told.AuditEntry), Revision: int64(told.Revision),
		Things: each(told.Things, func(t ask.ThingChanged) api.ThingChanged {
			return api.ThingChanged{What: t.What, Address: t.At, Fields: each(t.Fields, func(f ask.FieldChanged) api.FieldChanged {
				return api.FieldChanged{Field: f.Field, Before: f.Before, After: f.After}
			})}
		}),
	}, nil
}
