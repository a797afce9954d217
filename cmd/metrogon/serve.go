package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"time"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/web"
)

type serveCmd struct {
	database
	Address string `env:"METROGON_ADDRESS" default:"127.0.0.1:8480" help:"Address to serve on."`
	Secure  bool   `env:"METROGON_SECURE" help:"Cookies over HTTPS only; set it behind a proxy that speaks HTTPS."`
	Demo    bool   `env:"METROGON_DEMO" help:"Load the demo farm if there is no farm yet." negatable:""`
	Quiet   bool   `env:"METROGON_QUIET" help:"Log errors only."`
}

func (s *serveCmd) Run(ctx context.Context, c *cli) error {
	listener, err := net.Listen("tcp", s.Address)
	if err != nil {
		return fmt.Errorf("%s cannot be served on (%v); stop what uses it, or name another in METROGON_ADDRESS", s.Address, err)
	}
	defer listener.Close()
	level := slog.LevelInfo
	if s.Quiet {
		level = slog.LevelError
	}
	log := slog.New(slog.NewJSONHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
	db, end, err := s.open(ctx)
	if err != nil {
		return err
	}
	defer end()
	books := farm.Open(db, c.Now.clock())
	some, err := books.Populated(ctx)
	if err != nil {
		return err
	}
	if s.Demo && !some {
		if err := demo.Load(ctx, db, books.Now(), 2); err != nil {
			return fmt.Errorf("the demo farm could not be loaded: %w", err)
		}
	}
	h, err := web.New(books, web.Options{Sessions: db.Pool, Sweep: 10 * time.Minute, Secure: s.Secure, Log: log})
	if err != nil {
		return err
	}
	server := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: time.Minute, WriteTimeout: time.Minute, IdleTimeout: 2 * time.Minute,
		ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelWarn)}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(listener) }()
	fmt.Printf("Metrogon is at http://%s\n", listener.Addr())
	if s.Demo {
		if ok, _ := demo.There(ctx, db); ok {
			fmt.Printf("Sign in to the demo farm as %s with the password %s\n", demo.Email, demo.Password)
		}
	}
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	// What was begun is finished before the door closes.
	finish, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	if err := server.Shutdown(finish); err != nil && !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}
