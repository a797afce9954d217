package web

import (
	"context"
	"log/slog"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm/remind"
	"metrogon/farm/services"
	"metrogon/outside"
	"metrogon/standin/mailbox"
	"metrogon/standin/push"
	"metrogon/work"
)

// Somebody is told once what is due and what is late, by mail and on the phone, whichever of two processes
// does it; nothing in quiet hours; a phone that takes no messages any more is forgotten.
func TestToldOnceByMailAndPush(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	box, err := mailbox.Open("127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { box.Close() })
	phone, err := push.Open()
	require.NoError(t, err)
	t.Cleanup(phone.Close)
	lost, err := push.Open()
	require.NoError(t, err)
	t.Cleanup(lost.Close)
	lost.Gone = true

	v := s.signedIn(demo.Email, demo.Password)
	for _, p := range []*push.Browser{phone, lost} {
		form := url.Values{"endpoint": {p.Endpoint}, "p256dh": {p.P256dh}, "auth": {p.Auth}}
		require.Equal(t, http.StatusSeeOther, v.post("/reminders/device", form).status)
	}
	saved := v.typed("/reminders", "late=yes&evening=yes&by_mail=yes&by_push=yes&quiet_from=22:00&quiet_to=06:00")
	require.Equal(t, http.StatusSeeOther, saved.status)

	s.now = time.Date(2027, 4, 14, 23, 0, 0, 0, time.UTC) // past midnight on the farm: quiet
	keys := outside.Keys{}
	made, err := outside.NewKeys()
	require.NoError(t, err)
	require.NoError(t, keys.Read(made))
	post := &outside.Post{
		Server: &url.URL{Scheme: "smtp", Host: box.Address}, From: "farm@metrogon.example", Public: "https://farm.example",
		Keys: keys, Private: true,
	}
	all := []*services.Services{s.books, services.New(s.db, func() time.Time { return s.now })}
	for _, x := range all { // two processes
		ctx, stop := context.WithCancel(context.Background())
		ended := make(chan error, 1)
		crew := &work.Crew{All: x, Post: post, Log: slog.New(slog.DiscardHandler)}
		go func() { ended <- crew.Run(ctx) }()
		t.Cleanup(func() { stop(); assert.NoError(t, <-ended) })
	}
	round := func() {
		for _, x := range all {
			require.NoError(t, x.Remind.Look(t.Context(), 1))
		}
	}
	round()
	var sends int
	count := func() int {
		require.NoError(t, s.owner.Pool.QueryRow(t.Context(),
			`select count(*) from river_job where kind in ('letter', 'ping')`).Scan(&sends))
		return sends
	}
	assert.Zero(t, count(), "nothing in quiet hours")

	s.now = time.Date(2027, 4, 14, 19, 30, 0, 0, time.UTC) // half past eight in the evening
	round()
	require.Eventually(t, func() bool { return len(box.Letters()) == 1 && len(phone.Seen()) == 1 },
		20*time.Second, 50*time.Millisecond)
	letter := box.Letters()[0]
	assert.Equal(t, []string{demo.Email}, letter.To)
	assert.Contains(t, letter.Text, "Subject: Quillmarsh Fold: ")
	assert.Contains(t, letter.Text, "Late. ")
	assert.Contains(t, letter.Text, "https://farm.example/")
	assert.Contains(t, phone.Seen()[0], `"title":"Quillmarsh Fold: `)
	round()
	assert.Equal(t, 3, count(), "each thing once: one mail, and one message a phone")
	var places int
	require.NoError(t, s.owner.Pool.QueryRow(t.Context(), `select count(*) from push_places`).Scan(&places))
	assert.Equal(t, 1, places, "the lost phone is forgotten")

	s.now = s.now.AddDate(0, 0, 1)
	round()
	require.Eventually(t, func() bool { return len(box.Letters()) == 2 }, 20*time.Second, 50*time.Millisecond)
	assert.NotEqual(t, letter.Text, box.Letters()[1].Text, "the next day what is new")

	// without the guard for trying out no message goes to this machine
	closed := *post
	closed.Private = false
	place := remind.PushPlace{Endpoint: phone.Endpoint, P256dh: phone.P256dh, Auth: phone.Auth}
	err = closed.Push(t.Context(), place, remind.Message{Title: "x"})
	assert.ErrorContains(t, err, "own network")
	strange := v.typed("/reminders/device", "endpoint=ftp://x&p256dh=a&auth=b")
	assert.Equal(t, http.StatusUnprocessableEntity, strange.status)
	assert.True(t, strings.Contains(v.get("/reminders").body, "on 1 device"))
}
