package journal

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/google/uuid"

	"metrogon/farm"
)

// TakeBackOf takes back what was done under another key.
func TakeBackOf(ctx context.Context, b *farm.Service, req farm.Request, of string) (farm.Done, error) {
	if uuid.Validate(of) != nil {
		return farm.Done{}, farm.Problemf("of", "There is nothing to take back.")
	}
	var before farm.Done
	err := b.Read(ctx, req.Member, func(tx *farm.Tx) error {
		answer, err := tx.Answered(ctx, of)
		if err != nil {
			return err
		}
		return json.Unmarshal([]byte(answer), &before)
	})
	if errors.Is(err, farm.ErrNone) {
		return farm.Done{}, farm.Problemf("of", "That never arrived, so there is nothing to take back.")
	}
	if err != nil {
		return farm.Done{}, fmt.Errorf("take back: %w", err)
	}
	return TakeBack(ctx, b, req, before.Entry)
}
