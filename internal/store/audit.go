package store

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"time"
)

// AuditRecord is one consequential event. Credentials never enter it.
type AuditRecord struct {
	Organisation string // by name; empty for the installation itself
	Author       Author
	Event        string // such as "change", "sign-in", "refused"
	Detail       string
}

// Audit appends a record of an event that is no part of a write.
func (s *Store) Audit(ctx context.Context, records ...AuditRecord) error {
	if len(records) == 0 {
		return nil
	}
	return s.transaction(ctx, func(tx *txn) error { return appendAudit(ctx, tx, records...) })
}

// appendAudit appends records to the chain. The end of the chain is locked until the transaction ends, so it is called
// last in a transaction.
func appendAudit(ctx context.Context, tx *txn, records ...AuditRecord) error {
	var number uint64
	var hash []byte
	if err := tx.QueryRowContext(ctx, "SELECT number, hash FROM audit_end WHERE one = 1 FOR UPDATE").Scan(&number, &hash); err != nil {
		return err
	}
	var rows [][]any
	for _, r := range records {
		number++
		var err error
		if hash, err = auditHash(tx.auditKey, hash, number, r); err != nil {
			return err
		}
		rows = append(rows, []any{number, r.Organisation, r.Author.At, r.Author.Name, r.Author.From, r.Event, r.Detail, hash, tx.auditKey != nil})
	}
	if _, err := tx.ExecContext(ctx, "UPDATE audit_end SET number = ?, hash = ? WHERE one = 1", number, hash); err != nil {
		return err
	}
	return insertRows(ctx, tx, "audit_record (number, organisation, recorded_at, actor, came_from, event, detail, hash, keyed)", rows)
}

// auditText is what of a record its hash is worked out from, beside its number: the rest of a JSON list of strings.
func auditText(r AuditRecord) ([]byte, error) {
	text, err := json.Marshal([]string{
		r.Organisation, r.Author.At.UTC().Truncate(time.Microsecond).Format(time.RFC3339Nano), r.Author.Name, r.Author.From, r.Event, r.Detail,
	})
	if err != nil {
		return nil, err
	}
	return text[1:], nil
}

// auditHash chains a record to the hash of the one before it: by HMAC-SHA-256 (RFC 2104) with a key, by SHA-256 without.
func auditHash(key, before []byte, number uint64, r AuditRecord) ([]byte, error) {
	text, err := auditText(r)
	if err != nil {
		return nil, err
	}
	chained := slices.Concat(before, []byte(`["`+strconv.FormatUint(number, 10)+`",`), text)
	if key == nil {
		sum := sha256.Sum256(chained)
		return sum[:], nil
	}
	mac := hmac.New(sha256.New, key)
	mac.Write(chained)
	return mac.Sum(nil), nil
}

// Anchor is the end of the audit log at a moment, kept outside the database: what stood before it cannot be written anew.
type Anchor struct {
	At     time.Time `json:"at"`
	Number uint64    `json:"number"`
	Hash   string    `json:"hash"` // in hexadecimal
}

// AuditEnd returns the end of the audit log.
func (s *Store) AuditEnd(ctx context.Context, at time.Time) (Anchor, error) {
	a := Anchor{At: at}
	var hash []byte
	err := s.db.QueryRowContext(ctx, "SELECT number, hash FROM audit_end WHERE one = 1").Scan(&a.Number, &hash)
	a.Hash = hex.EncodeToString(hash)
	return a, mark(err)
}

// CheckAudit reads the whole chain and returns an error that names the first record that is missing or was altered, or that an
// anchor has otherwise.
func (s *Store) CheckAudit(ctx context.Context, anchors ...Anchor) error {
	return s.EachAudit(ctx, func(AuditRecord) error { return nil }, anchors...)
}

// EachAudit is CheckAudit that also shows every record, oldest first; an error of visit ends it.
func (s *Store) EachAudit(ctx context.Context, visit func(AuditRecord) error, anchors ...Anchor) error {
	// One consistent view of the log and of its end: records are appended meanwhile.
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return mark(err)
	}
	defer tx.Rollback()
	var last, end uint64
	if err := tx.QueryRowContext(ctx, "SELECT number FROM audit_end WHERE one = 1").Scan(&end); err != nil {
		return mark(err)
	}
	before := make([]byte, sha256.Size)
	keyed := false
	anchored := map[uint64]string{}
	for _, a := range anchors {
		anchored[a.Number] = a.Hash
	}
	err = each(ctx, tx, "SELECT number, organisation, recorded_at, actor, came_from, event, detail, hash, keyed FROM audit_record ORDER BY number", nil, func(scan scanner) error {
		var number uint64
		var r AuditRecord
		var kept []byte
		var byKey bool
		if err := scan(&number, &r.Organisation, &r.Author.At, &r.Author.Name, &r.Author.From, &r.Event, &r.Detail, &kept, &byKey); err != nil {
			return err
		}
		key := s.auditKey
		if !byKey {
			key = nil
		}
		hash, err := auditHash(key, before, number, r)
		if err != nil {
			return err
		}
		// Once a key chains the log, nothing after it is without one.
		if number != last+1 || !bytes.Equal(hash, kept) || keyed && !byKey {
			return fmt.Errorf("audit record %d was changed, or the one before it is missing", number)
		}
		if wanted, ok := anchored[number]; ok && wanted != hex.EncodeToString(hash) {
			return fmt.Errorf("audit record %d is another than when it was anchored: the log was written anew", number)
		}
		last, before, keyed = number, kept, keyed || byKey
		return visit(r)
	})
	if err != nil {
		return err
	}
	for _, a := range anchors {
		end = max(end, a.Number)
	}
	if end != last {
		return fmt.Errorf("audit records %d to %d are missing at the end", last+1, end)
	}
	return nil
}
