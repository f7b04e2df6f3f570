package notices

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"

	"github.com/cloudevents/sdk-go/v2/event"
)

// told is the data of an event.
type told struct {
	Office string     `json:"office"`
	Link   string     `json:"link,omitempty"`
	Items  []toldItem `json:"items"`
}

type toldItem struct {
	Kind Kind      `json:"kind"`
	Said string    `json:"said"`
	At   time.Time `json:"at"`
}

// client follows nobody elsewhere: what is signed goes where somebody said.
var client = &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}

// post sends a message as a CloudEvent (structured mode, JSON), signed over its id, the time and
// the body: v1,base64(HMAC-SHA256(secret, "id.time.body")) in webhook-signature.
func post(ctx context.Context, to Target, message *Message) error {
	body, err := cloudEvent(message)
	if err != nil {
		return err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, to.To, bytes.NewReader(body))
	if err != nil {
		return err
	}
	now := strconv.FormatInt(time.Now().Unix(), 10)
	request.Header.Set("Content-Type", event.ApplicationCloudEventsJSON)
	request.Header.Set("User-Agent", "Klammer")
	request.Header.Set("webhook-id", message.ID)
	request.Header.Set("webhook-timestamp", now)
	request.Header.Set("webhook-signature", "v1,"+Sign(to.Secret, message.ID, now, body))
	answer, err := client.Do(request)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	_, _ = io.CopyN(io.Discard, answer.Body, 64<<10)
	if answer.StatusCode < 200 || answer.StatusCode > 299 {
		return fmt.Errorf("the webhook answered %s", answer.Status)
	}
	return nil
}

func cloudEvent(message *Message) ([]byte, error) {
	one := event.New()
	one.SetID(message.ID)
	one.SetSource("klammer")
	one.SetType("klammer.notice")
	if len(message.Items) == 1 {
		one.SetType("klammer.notice." + string(message.Items[0].Kind))
	}
	one.SetSubject(line(message.Office))
	data := told{Office: message.Office, Link: message.Link}
	for _, item := range message.Items {
		data.Items = append(data.Items, toldItem{item.Kind, line(item.Said), item.At.UTC()})
	}
	if len(message.Items) > 0 {
		one.SetTime(message.Items[len(message.Items)-1].At.UTC())
	}
	if err := one.SetData(event.ApplicationJSON, data); err != nil {
		return nil, err
	}
	if err := one.Validate(); err != nil {
		return nil, err
	}
	return json.Marshal(one)
}

// Sign is the signature of a body that is sent under an id at a time, seconds since 1970.
func Sign(secret []byte, id, at string, body []byte) string {
	mac := hmac.New(sha256.New, secret)
	fmt.Fprintf(mac, "%s.%s.", id, at)
	mac.Write(body)
	return base64.StdEncoding.EncodeToString(mac.Sum(nil))
}
