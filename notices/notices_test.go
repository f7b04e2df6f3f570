package notices

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// harmful is what a device could be called: lines of its own, another header, a control letter.
const harmful = "rack\r\nBcc: all@example.com\r\n\r\n\x1b[2Jfirst\x00line"

func news(id string, said ...string) *Message {
	m := &Message{ID: id, Office: "Harbour Lane\r\nSubject: x", Link: "https://klammer.clinic.example/1/field"}
	for i, text := range said {
		m.Items = append(m.Items, Item{Kinds[i%len(Kinds)], text, time.Date(2026, 11, 30, 18, i, 0, 0, time.UTC)})
	}
	return m
}

// TestTargets: a target that is none is told with what would be right.
func TestTargets(t *testing.T) {
	for _, good := range []Target{
		{Way: Mail, To: "ida@clinic.example"}, {Way: Webhook, To: "https://desk.example/klammer?x=1"}, {Way: Webhook, To: "http://10.0.0.7:8080/"},
		{Way: Syslog, To: "udp://log.clinic.example:514"}, {Way: Syslog, To: "tcp://[fd61::7]:601"},
	} {
		require.NoError(t, good.Check(), good.To)
	}
	for _, bad := range []Target{
		{Way: Mail, To: ""}, {Way: Mail, To: "ida"}, {Way: Mail, To: "a@b.example, c@d.example"}, {Way: Mail, To: "a@b.example\r\nBcc: c@d.example"}, {Way: Mail, To: "Ida <a@b.example>"},
		{Way: Webhook, To: "desk.example"}, {Way: Webhook, To: "file:///etc/passwd"}, {Way: Webhook, To: "https://u:p@desk.example/"}, {Way: Webhook, To: "gopher://x/"},
		{Way: Syslog, To: "log.clinic.example"}, {Way: Syslog, To: "udp://log.clinic.example"}, {Way: Syslog, To: "https://log.clinic.example:514"}, {Way: Syslog, To: "udp://log:514/x"},
		{Way: "pigeon", To: "roof"},
	} {
		require.Error(t, bad.Check(), bad.To)
	}
}

// TestWebhook: a CloudEvent that is signed over what was sent; any answer but 2xx, and a way to
// elsewhere, is not taken.
func TestWebhook(t *testing.T) {
	secret := []byte("0123456789abcdef")
	answer := 200
	var got *http.Request
	var body []byte
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		got = r
		body, _ = io.ReadAll(r.Body)
		if answer == 302 {
			w.Header().Set("Location", "http://127.0.0.1:1/")
		}
		w.WriteHeader(answer)
	}))
	defer server.Close()
	send := func(m *Message) error {
		return (&Senders{}).Send(t.Context(), Target{Webhook, server.URL + "/x", secret}, m)
	}
	require.NoError(t, send(news("n1", harmful)))
	mac := hmac.New(sha256.New, secret)
	fmt.Fprintf(mac, "%s.%s.%s", got.Header.Get("webhook-id"), got.Header.Get("webhook-timestamp"), body)
	require.Equal(t, "v1,"+base64.StdEncoding.EncodeToString(mac.Sum(nil)), got.Header.Get("webhook-signature"))
	require.Equal(t, "application/cloudevents+json", got.Header.Get("Content-Type"))
	var event struct {
		Specversion, ID, Source, Type, Subject string
		Time                                   time.Time
		Data                                   told
	}
	require.NoError(t, json.Unmarshal(body, &event))
	require.Equal(t, []string{"1.0", "n1", "klammer", "klammer.notice.drift", "Harbour Lane Subject: x"}, []string{event.Specversion, event.ID, event.Source, event.Type, event.Subject})
	require.Equal(t, "rack Bcc: all@example.com [2Jfirst line", event.Data.Items[0].Said)
	for _, answer = range []int{302, 404, 500} {
		require.Error(t, send(news("n2", "x")), answer)
	}
	server.Close()
	require.Error(t, send(news("n3", "x")))
	ctx, stop := context.WithCancel(t.Context())
	stop()
	require.Error(t, (&Senders{}).Send(ctx, Target{Webhook, server.URL, secret}, news("n4", "x")))
}

// TestLine: a message of syslog is one line, whatever a device is called, and no longer than a
// datagram takes.
func TestLine(t *testing.T) {
	s := &Senders{Host: "bad host\n"}
	m := news("n", harmful, strings.Repeat("é", 5000))
	for i, item := range m.Items {
		text := s.line(m, item)
		require.Regexp(t, `^<132>1 2026-11-30T18:0\d:00\.000000Z badhost klammer \d+ (drift|silent) - \x{feff}Harbour Lane Subject: x: .`, text)
		require.NotContains(t, text, "\n")
		require.NotContains(t, text, "\x1b")
		require.Less(t, len(text), 2048, i)
	}
}
