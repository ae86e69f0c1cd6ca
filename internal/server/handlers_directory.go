package server

import (
	"context"
	"time"

	"arbora.example/api"
	"arbora.example/internal/change"
	"arbora.example/internal/directory"
	"arbora.example/internal/provision"
	. "arbora.example/internal/server/contract" //lint:ignore ST1001 the contract's names are this file's vocabulary
)

const day = 24 * time.Hour

func (h handlers) ShowDirectory(ctx context.Context, r ShowDirectoryRequestObject) (ShowDirectoryResponseObject, error) {
	ctx, caller := who(ctx)
	is, err := h.service.Directory(ctx, caller, r.Organisation, r.Provider)
	if err != nil {
		return nil, err
	}
	return ShowDirectory200JSONResponse{Settings: directorySettingsOf(is.Settings), Set: is.Set, HasPassword: is.HasPassword, NextAt: is.NextAt}, nil
}

func (h handlers) SetDirectory(ctx context.Context, r SetDirectoryRequestObject) (SetDirectoryResponseObject, error) {
	wanted := change.DirectoryWanted{Settings: directorySettingsFrom(r.Body.Settings), Password: r.Body.Password}
	_, written, err := changed(ctx, r.Params.Preview, h.service.SetDirectory(r.Organisation, r.Provider, wanted))
	return SetDirectory200JSONResponse(written), err
}

func directorySettingsOf(s directory.Settings) api.DirectorySettings {
	return api.DirectorySettings{
		Address: s.Address, BindName: s.BindName, Authorities: s.Authorities, People: api.DirectorySearch(s.People), Groups: api.DirectorySearch(s.Groups),
		Key: s.Key, MemberBy: s.MemberBy, Attributes: words(s.Attributes), ClaimMap: claimMapOf(s.Map), Every: int(s.Every / time.Minute), MostLeaving: s.MostLeaving,
		RetireAfter: int(s.RetireAfter / day),
	}
}

func directorySettingsFrom(s api.DirectorySettings) directory.Settings {
	return directory.Settings{
		Address: s.Address, BindName: s.BindName, Authorities: s.Authorities, People: directory.Search(s.People), Groups: directory.Search(s.Groups),
		Key: s.Key, MemberBy: s.MemberBy, Attributes: s.Attributes, Map: claimMapFrom(s.ClaimMap), Every: time.Duration(s.Every) * time.Minute, MostLeaving: s.MostLeaving,
		RetireAfter: time.Duration(s.RetireAfter) * day,
	}
}

func (h handlers) RemoveDirectory(ctx context.Context, r RemoveDirectoryRequestObject) (RemoveDirectoryResponseObject, error) {
	_, written, err := changed(ctx, r.Params.Preview, h.service.RemoveDirectory(r.Organisation, r.Provider))
	return RemoveDirectory200JSONResponse(written), err
}

func (h handlers) ListReadings(ctx context.Context, r ListReadingsRequestObject) (ListReadingsResponseObject, error) {
	ctx, caller := who(ctx)
	list, err := h.service.Readings.List(ctx, caller, r.Organisation, r.Provider)
	if err != nil {
		return nil, err
	}
	return ListReadings200JSONResponse{Readings: each(list, directoryReadingOf)}, nil
}

func (h handlers) ReadDirectory(ctx context.Context, r ReadDirectoryRequestObject) (ReadDirectoryResponseObject, error) {
	ctx, caller := who(ctx)
	wanted := provision.Wanted{Preview: r.Body.Preview, Despite: r.Body.DespiteBrakes}
	if r.Body.File != "" {
		wanted.File = []byte(r.Body.File)
	}
	is, err := h.service.Readings.Begin(ctx, caller, r.Organisation, r.Provider, wanted)
	if err != nil {
		return nil, err
	}
	return ReadDirectory200JSONResponse(directoryReadingOf(is)), nil
}

func directoryReadingOf(r provision.Reading) api.DirectoryReading {
	told := api.DirectoryReading{
		Id: r.ID.String(), BeganAt: r.BeganAt, EndedAt: r.EndedAt, By: r.By, File: r.File, Outcome: api.DirectoryReadingOutcome(r.Outcome), Why: r.Why, Brakes: words(r.Brakes),
		People: r.People, Groups: r.Groups, Counts: map[string]int{},
		Steps: each(r.Steps, func(s provision.Step) api.DirectoryStep {
			return api.DirectoryStep{Does: api.DirectoryStepDoes(s.Does), Name: s.Name, What: s.What}
		}),
	}
	for does, n := range r.Counts {
		told.Counts[string(does)] = n
	}
	if r.Impact != nil {
		impact := impactOf(*r.Impact)
		told.Impact = &impact
	}
	return told
}
