package cluster

import (
	"context"
	"log/slog"
	"time"
)

const (
	lookEvery = time.Second
	mostWait  = 15 * time.Second
)

// Watch starts the server again whenever it does not run any more: killed, panicked
// because the disk was full, or stopped by the program that ran it before, whose place
// is taken then. It tries until it succeeds, less and less often, and ends with Stop.
func (c *Cluster) Watch(log *slog.Logger) {
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	c.stopWatch = func() {
		cancel()
		<-done
	}
	go func() {
		defer close(done)
		wait, down := lookEvery, false
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(wait):
			}
			if c.up() {
				wait, down = lookEvery, false
				continue
			}
			if err := c.own(); err != nil || c.Joined() {
				continue // whoever runs it starts it, or is about to go
			}
			if !down {
				log.Error("the database is gone; it is started again", "folder", c.dir)
				down = true
			}
			if err := c.start(); err != nil {
				wait = min(2*wait, mostWait)
				log.Error("the database did not start; it is tried again", "in", wait.String(), "err", err)
				continue
			}
			log.Info("the database runs again")
			wait, down = lookEvery, false
		}
	}()
}

// up tells whether the server is there: it answers, or is on its way.
func (c *Cluster) up() bool {
	_, err := c.ask()
	if err == nil || starting(err) {
		return true
	}
	l, ok := c.left()
	return ok && c.ownProcess(l.pid)
}
