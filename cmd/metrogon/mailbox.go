package main

import (
	"context"
	"fmt"

	"metrogon/standin/mailbox"
)

type mailboxCmd struct {
	Address string `default:"127.0.0.1:8425" help:"Address to listen on; the server's METROGON_SMTP is smtp://ADDRESS."`
}

// Run takes mail and shows it, until it is stopped.
func (m *mailboxCmd) Run(ctx context.Context) error {
	box, err := mailbox.Open(m.Address)
	if err != nil {
		return err
	}
	defer box.Close()
	box.Seen = func(l mailbox.Letter) { fmt.Printf("── to %v\n%s\n", l.To, l.Text) }
	fmt.Printf("Mail to smtp://%s is shown here.\n", box.Address)
	<-ctx.Done()
	return nil
}
