package memory

import (
	"bytes"
	"context"
	"slices"
	"time"

	"arbora.example/access/model"
	"arbora.example/internal/store"
)

// Directory returns the directory of a provider.
func (r *Records) Directory(_ context.Context, provider model.ID) (store.Directory, error) {
	return read(r, func() (store.Directory, error) { return found(r.directories, provider) })
}

// DirectoriesDue lists the directories that are to be read by a moment, the longest due first.
func (r *Records) DirectoriesDue(_ context.Context, by time.Time) ([]store.Directory, error) {
	return read(r, func() ([]store.Directory, error) {
		due := byID(r.directories, func(d store.Directory) bool { return !d.NextAt.IsZero() && !d.NextAt.After(by) })
		slices.SortStableFunc(due, func(a, b store.Directory) int { return a.NextAt.Compare(b.NextAt) })
		return due, nil
	})
}

// NoteReading keeps what a reading found and did, and forgets the oldest.
func (r *Records) NoteReading(_ context.Context, d store.Directory, reading store.Reading) error {
	return r.alter(func() error {
		list := append(slices.Clone(r.readings[d.Provider]), reading)
		r.readings[d.Provider] = list[max(0, len(list)-store.ReadingsKept):]
		if is, there := r.directories[d.Provider]; there && bytes.Equal(is.Settings, d.Settings) {
			is.Mark, is.NextAt = d.Mark, d.NextAt
			r.directories[d.Provider] = is
		}
		return nil
	})
}

// Readings lists the readings of a directory, the latest first.
func (r *Records) Readings(_ context.Context, provider model.ID, limit int) ([]store.Reading, error) {
	return read(r, func() ([]store.Reading, error) {
		list := slices.Clone(r.readings[provider])
		slices.Reverse(list)
		return list[:min(limit, len(list))], nil
	})
}

// LastReadings returns the last reading of each directory of an organisation.
func (r *Records) LastReadings(_ context.Context, organisation model.ID) ([]store.Reading, error) {
	return read(r, func() (last []store.Reading, err error) {
		for _, d := range byID(r.directories, func(d store.Directory) bool { return d.Organisation == organisation }) {
			if list := r.readings[d.Provider]; len(list) > 0 {
				last = append(last, list[len(list)-1])
			}
		}
		slices.SortFunc(last, func(a, b store.Reading) int { return a.ID.Compare(b.ID) })
		return last, nil
	})
}

// PutDirectory keeps how a directory is read.
func (w *write) PutDirectory(_, after store.Directory) error {
	after.Organisation = w.organisation
	w.then(func(*organisation) { w.directories[after.Provider] = after })
	return nil
}

// RemoveDirectory has a directory be read no more.
func (w *write) RemoveDirectory(d store.Directory) error {
	w.then(func(*organisation) {
		delete(w.directories, d.Provider)
		delete(w.readings, d.Provider)
	})
	return nil
}
