package probes

import (
	"context"
	"fmt"
	"sync"
	"time"

	"metrogon/farm"
	"metrogon/store"
	probesrows "metrogon/store/probes"
)

// Told is what a probe told at a moment, as it showed it.
type Told struct {
	At           time.Time
	TempC, RHPct *float64
}

// How far readings may lie from now: a probe’s clock may be ahead a little, and nothing is older than the house
// keeps.
const (
	ahead  = 10 * time.Minute
	behind = 10 * 366 * 24 * time.Hour
)

// check says which record cannot be, and what it may be: °C from -60 to 120, % from 0 to 100.
func check(all []Told, now time.Time) error {
	for i, t := range all {
		switch {
		case t.At.After(now.Add(ahead)):
			return farm.Problemf("t", "Record %d is of %s, which is not yet: set the probe’s clock, or send no time.", i+1,
				t.At.UTC().Format(time.RFC3339))
		case t.At.Before(now.Add(-behind)):
			return farm.Problemf("t", "Record %d is of %s: nothing older than ten years comes in.", i+1,
				t.At.UTC().Format(time.RFC3339))
		case t.TempC != nil && !(*t.TempC >= -60 && *t.TempC <= 120):
			return farm.Problemf("v", "Record %d: %g °C is none; it may be -60 to 120.", i+1, *t.TempC)
		case t.RHPct != nil && !(*t.RHPct >= 0 && *t.RHPct <= 100):
			return farm.Problemf("v", "Record %d: %g %% is none; it may be 0 to 100.", i+1, *t.RHPct)
		case t.TempC == nil && t.RHPct == nil:
			return farm.Problemf("v", "Record %d tells nothing.", i+1)
		}
	}
	return nil
}

// intake gathers what probes send while what came before is written, so that many small packs are kept at once. Nobody
// is told that a pack was taken before it is kept.
type intake struct {
	keep func(ctx context.Context, farmID int64, all []probesrows.Sample) error
	// at a time, so that pages find a connection
	lanes chan struct{}
	mu    sync.Mutex
	piles map[int64]*pile
}

// pile is what waits of a farm.
type pile struct {
	packs  []pack
	rows   int
	worked bool // somebody writes
}

type pack struct {
	rows []probesrows.Sample
	kept chan error
}

const (
	intakeLanes = 2
	pileMost    = 300_000 // rows of a farm that may wait
	keepWithin  = 30 * time.Second
)

func newIntake(keep func(context.Context, int64, []probesrows.Sample) error) *intake {
	return &intake{keep: keep, lanes: make(chan struct{}, intakeLanes), piles: map[int64]*pile{}}
}

// take keeps rows of a farm and returns once they are kept.
func (k *intake) take(ctx context.Context, farmID int64, rows []probesrows.Sample) error {
	p := pack{rows, make(chan error, 1)}
	if err := k.put(farmID, p); err != nil {
		return err
	}
	select {
	case err := <-p.kept:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (k *intake) put(farmID int64, p pack) error {
	k.mu.Lock()
	defer k.mu.Unlock()
	at := k.piles[farmID]
	if at == nil {
		at = &pile{}
		k.piles[farmID] = at
	}
	if at.rows+len(p.rows) > pileMost && at.rows > 0 {
		return store.ErrBusy
	}
	at.packs, at.rows = append(at.packs, p), at.rows+len(p.rows)
	if !at.worked {
		at.worked = true
		go k.work(farmID, at)
	}
	return nil
}

// work writes what waits of a farm until nothing does.
func (k *intake) work(farmID int64, at *pile) {
	for {
		k.lanes <- struct{}{}
		k.mu.Lock()
		packs := at.packs
		at.packs, at.rows = nil, 0
		if len(packs) == 0 {
			at.worked = false
			delete(k.piles, farmID)
		}
		k.mu.Unlock()
		if len(packs) > 0 {
			k.write(farmID, packs)
		}
		<-k.lanes
		if len(packs) == 0 {
			return
		}
	}
}

// write keeps packs together; where that fails each by itself, so that one that cannot be kept spoils no other.
func (k *intake) write(farmID int64, packs []pack) {
	ctx, cancel := context.WithTimeout(context.Background(), keepWithin)
	defer cancel()
	var rows []probesrows.Sample
	for _, p := range packs {
		rows = append(rows, p.rows...)
	}
	err := k.keep(ctx, farmID, rows)
	for _, p := range packs {
		if err != nil && len(packs) > 1 {
			p.kept <- k.keep(ctx, farmID, p.rows)
			continue
		}
		p.kept <- err
	}
}

// Take keeps what a probe tells under its key, and returns once it is kept: what was sent before counts once. It
// returns ErrNone where no probe has the key.
func (b *Service) Take(ctx context.Context, key string, all []Told) error {
	from, err := b.sender(ctx, key)
	if err != nil {
		return err
	}
	return b.take(ctx, from, all)
}

func (b *Service) take(ctx context.Context, from probesrows.Sender, all []Told) error {
	if err := check(all, b.Now()); err != nil {
		return err
	}
	rows := make([]probesrows.Sample, len(all))
	for i, t := range all {
		rows[i] = probesrows.Sample{InstrumentID: from.InstrumentID, At: t.At, TempC: t.TempC, RHPct: t.RHPct}
	}
	return b.intake.take(ctx, from.FarmID, rows)
}

// keep writes samples and tells those who watch.
func (b *Service) keep(ctx context.Context, farmID int64, rows []probesrows.Sample) error {
	fresh, err := probesrows.Of(b.DB).KeepSamples(ctx, farmID, rows, b.Now())
	if err != nil {
		return fmt.Errorf("readings of farm %d: %w", farmID, err)
	}
	if fresh > 0 {
		_ = probesrows.Of(b.DB).TellRead(ctx, farmID) // who watches looks again by themselves
	}
	return nil
}

// senders remembers whose keys are whose for a moment, so that a thousand packs ask once.
type senders struct {
	mu    sync.Mutex
	known map[string]known
}

type known struct {
	probesrows.Sender
	until time.Time
}

const keyKnownFor = 5 * time.Second

func (b *Service) sender(ctx context.Context, key string) (probesrows.Sender, error) {
	digest := farm.LinkDigest(key)
	s := &b.senders
	s.mu.Lock()
	k, ok := s.known[string(digest)]
	s.mu.Unlock()
	if ok && time.Now().Before(k.until) {
		return k.Sender, nil
	}
	from, err := probesrows.Of(b.DB).SenderOf(ctx, digest)
	if err != nil {
		return from, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.known == nil || len(s.known) > 10_000 {
		s.known = map[string]known{}
	}
	s.known[string(digest)] = known{from, time.Now().Add(keyKnownFor)}
	return from, nil
}
