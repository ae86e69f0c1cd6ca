package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"time"

	"arbora.example/store/prepared"
)

// AuditRecord is one consequential event. Credentials never enter it.
type AuditRecord struct {
	Organisation string // by name; empty for the installation itself
	Author       Author
	Event        string // such as "change", "sign-in", "refused"
	Detail       string
}

// Audit appends a record of an event that is no part of a write.
func (s *Store) Audit(ctx context.Context, r AuditRecord) error {
	return s.transaction(ctx, func(tx *prepared.Tx) error { return appendAudit(ctx, tx, r) })
}

// appendAudit appends a record to the chain. The end of the chain is locked until the transaction ends, so it is called
// last in a transaction. The database works out the record's number and hash as [auditHash] does, so that what was there
// before need not be fetched first.
func appendAudit(ctx context.Context, tx *prepared.Tx, r AuditRecord) error {
	text, err := auditText(r)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE audit_end SET hash = UNHEX(SHA2(CONCAT(hash, '["', number + 1, '",', ?), 256)), number = number + 1 WHERE one = 1`, text); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO audit_record (number, organisation, recorded_at, actor, came_from, event, detail, hash)
		SELECT number, ?, ?, ?, ?, ?, ?, hash FROM audit_end WHERE one = 1`,
		r.Organisation, r.Author.At, r.Author.Name, r.Author.From, r.Event, r.Detail)
	return err
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

// auditHash chains a record to the hash of the one before it.
func auditHash(before []byte, number uint64, r AuditRecord) ([]byte, error) {
	text, err := auditText(r)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(slices.Concat(before, []byte(`["`+strconv.FormatUint(number, 10)+`",`), text))
	return sum[:], nil
}

// CheckAudit reads the whole chain and returns an error that names the first record that is missing or was altered.
func (s *Store) CheckAudit(ctx context.Context) error {
	return s.EachAudit(ctx, func(AuditRecord) error { return nil })
}

// EachAudit is CheckAudit that also shows every record, oldest first; an error of visit ends it.
func (s *Store) EachAudit(ctx context.Context, visit func(AuditRecord) error) error {
	var last uint64
	before := make([]byte, sha256.Size)
	err := each(ctx, s.db, "SELECT number, organisation, recorded_at, actor, came_from, event, detail, hash FROM audit_record ORDER BY number", nil, func(scan scanner) error {
		var number uint64
		var r AuditRecord
		var kept []byte
		if err := scan(&number, &r.Organisation, &r.Author.At, &r.Author.Name, &r.Author.From, &r.Event, &r.Detail, &kept); err != nil {
			return err
		}
		hash, err := auditHash(before, number, r)
		if err != nil {
			return err
		}
		if number != last+1 || !bytes.Equal(hash, kept) {
			return fmt.Errorf("audit record %d was altered, or the one before it is missing", number)
		}
		last, before = number, kept
		return visit(r)
	})
	if err != nil {
		return err
	}
	var end uint64
	if err := s.db.QueryRowContext(ctx, "SELECT number FROM audit_end WHERE one = 1").Scan(&end); err != nil {
		return mark(err)
	}
	if end != last {
		return fmt.Errorf("audit records %d to %d are missing at the end", last+1, end)
	}
	return nil
}
