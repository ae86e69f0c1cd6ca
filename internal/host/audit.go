package host

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"github.com/urfave/cli/v3"

	"arbora.example/internal/english"
	"arbora.example/internal/store"
)

// The end of the audit log is written into a file outside the database when the service starts and every hour: whoever can write in
// the database, and even has the key that chains the log, cannot write anew what stood there before.

// anchors returns the file that the ends of the audit log are written into: beside the sealing key.
func (s *Settings) anchors() string {
	switch {
	case s.SealingKey != "":
		return filepath.Join(filepath.Dir(s.SealingKey), "audit-anchors")
	case s.Database == "":
		return filepath.Join(s.Data, "audit-anchors")
	}
	return DataHome("audit-anchors")
}

const anchorEvery = time.Hour

// anchorHourly writes the end of the audit log into a file, at once and then every hour, until the context ends.
func anchorHourly(ctx context.Context, records *store.Store, file string, log *slog.Logger) {
	tick := time.NewTicker(anchorEvery)
	defer tick.Stop()
	for {
		if err := anchor(ctx, records, file); err != nil && ctx.Err() == nil {
			log.Warn("the end of the audit log could not be anchored", "file", file, "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

func anchor(ctx context.Context, records *store.Store, name string) error {
	end, err := records.AuditEnd(ctx, time.Now().UTC())
	if err != nil || end.Number == 0 {
		return err
	}
	file, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	return errors.Join(json.NewEncoder(file).Encode(end), file.Close())
}

// readAnchors reads the file; none is there before the service has run.
func readAnchors(name string) (anchors []store.Anchor, err error) {
	file, err := os.Open(name)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	defer file.Close()
	lines := bufio.NewScanner(file)
	for line := 1; lines.Scan(); line++ {
		var a store.Anchor
		if err := json.Unmarshal(lines.Bytes(), &a); err != nil {
			return nil, fmt.Errorf("%s, line %d cannot be read: %w", name, line, err)
		}
		anchors = append(anchors, a)
	}
	return anchors, lines.Err()
}

// AuditCommand returns what "arbora audit" does on the host.
func (h *Host) AuditCommand() *cli.Command {
	set := &Settings{}
	return &cli.Command{
		Name: "verify", Usage: "on the host: check that nobody changed, added or deleted audit records",
		Flags: append(set.flags(false), &cli.StringFlag{Name: "anchors", Usage: "`FILE` with the anchors of the service (default: beside the sealing key)"}),
		Action: func(ctx context.Context, c *cli.Command) error {
			log, err := set.Check(h.Err)
			if err != nil {
				return err
			}
			name := c.String("anchors")
			if name == "" {
				name = set.anchors()
			}
			anchors, err := readAnchors(name)
			if err != nil {
				return err
			}
			records, _, closeRecords, err := h.chained(ctx, *set, log)
			if err != nil {
				return err
			}
			count := 0
			err = records.EachAudit(ctx, func(store.AuditRecord) error { count++; return nil }, anchors...)
			switch {
			case err != nil:
			case count == 0:
				err = errors.New("nothing was ever recorded here: name the service's own records with --data or --database")
			default:
				fmt.Fprintf(h.Out, "The audit log is complete: %s, checked against %s.\n", english.Count(count, "record"), english.Count(len(anchors), "anchor"))
			}
			return errors.Join(err, closeRecords())
		},
	}
}
