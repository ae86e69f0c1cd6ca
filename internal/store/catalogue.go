package store

import "context"

// Services reads the files of the services that were registered, in the order they came.
func (s *Store) Services(ctx context.Context) ([][]byte, error) {
	var files [][]byte
	err := each(ctx, s.db, "SELECT file FROM catalogue_service ORDER BY number", nil, func(scan scanner) error {
		var file []byte
		if err := scan(&file); err != nil {
			return err
		}
		files = append(files, file)
		return nil
	})
	return files, err
}

// AddService writes a service of the catalogue.
func (s *Store) AddService(ctx context.Context, name string, file []byte, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		_, err := tx.ExecContext(ctx, "INSERT INTO catalogue_service (name, file, registered_at, registered_by) VALUES (?, ?, ?, ?)",
			name, file, author.At, author.Name)
		if err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Author: author, Event: "service-registered", Detail: "registered service " + name})
	})
}

// RemoveService takes a service off the catalogue.
func (s *Store) RemoveService(ctx context.Context, name string, author Author) error {
	return s.transaction(ctx, func(tx *txn) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM catalogue_service WHERE name = ?", name); err != nil {
			return err
		}
		return appendAudit(ctx, tx, AuditRecord{Author: author, Event: "service-removed", Detail: "removed service " + name})
	})
}
