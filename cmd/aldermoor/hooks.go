package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"time"
)

// postHook sends a webhook's body. It follows no redirects and waits ten seconds at most.
func postHook(ctx context.Context, address string, headers map[string]string, body []byte) error {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, address, bytes.NewReader(body))
	if err != nil {
		return err
	}
	for k, v := range headers {
		r.Header.Set(k, v)
	}
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	answer, err := client.Do(r)
	var at *url.Error
	switch {
	case errors.As(err, &at) && at.Timeout():
		return errors.New("it did not answer within ten seconds")
	case errors.As(err, &at):
		return at.Err // without the address, which may hold a secret
	case err != nil:
		return err
	}
	defer answer.Body.Close()
	io.Copy(io.Discard, io.LimitReader(answer.Body, 64<<10))
	if answer.StatusCode/100 != 2 {
		return fmt.Errorf("it answered %s", answer.Status)
	}
	return nil
}
