// Package books lets everything leave the farm and return: the whole of it as an archive, and sheets for
// other programs.
package books

import (
	"context"
	"encoding/json"
	"errors"

	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/archive"
)

// Service holds the use cases.
type Service struct{ *farm.Service }

// Incoming is an archive as it is read.
type Incoming = archive.Incoming

// IncomingPerson is somebody of an archive.
type IncomingPerson = archive.IncomingPerson

// The parts of an archive that are no tables of the farm's rows.
const (
	FarmPart   = "farm"
	PeoplePart = "people"
)

// Parts are what an archive holds, in that order.
func Parts() []string { return append([]string{FarmPart, PeoplePart}, archive.Archived()...) }

// Dump gives the whole farm as it stands at one moment, row by row: each is a JSON object.
func (b *Service) Dump(ctx context.Context, m *farm.Member, put func(part string, row json.RawMessage) error) error {
	if err := m.Refuse(farm.Owning); err != nil {
		return err
	}
	people, err := archive.Of(b.DB).Everybody(ctx, m.FarmID)
	if err != nil {
		return err
	}
	return b.Read(ctx, m, func(tx *farm.Tx) error {
		own, err := archive.On(tx).DumpFarm(ctx)
		if err != nil {
			return err
		}
		if err := put(FarmPart, own); err != nil {
			return err
		}
		for _, p := range people {
			row, err := json.Marshal(p)
			if err != nil {
				return err
			}
			if err := put(PeoplePart, row); err != nil {
				return err
			}
		}
		for _, table := range archive.Archived() {
			if err := archive.On(tx).Dump(ctx, table, func(row json.RawMessage) error { return put(table, row) }); err != nil {
				return err
			}
		}
		return nil
	})
}

// Restore puts an archive into the member's farm, which has to be empty, all or nothing. owner is the
// database as the owner of its tables.
func Restore(ctx context.Context, owner *store.DB, m *farm.Member, in Incoming) error {
	if err := m.Refuse(farm.Owning); err != nil {
		return err
	}
	err := archive.Of(owner).RestoreFarm(ctx, m.FarmID, m.PersonID, in)
	if errors.Is(err, archive.ErrNotEmpty) {
		return farm.Problemf("file", "An archive goes into an empty farm, and this one has records.")
	}
	var malformed archive.MalformedError
	if errors.As(err, &malformed) {
		return farm.Problemf("file", "Nothing was restored: %s.", malformed.Says)
	}
	return err
}
