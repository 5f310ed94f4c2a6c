package serve

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"net/http"
	"strings"
	"time"
)

// Driver is a browser behind a WebDriver that somebody runs.
// Source: WebDriver (https://www.w3.org/TR/webdriver2/).
type Driver struct {
	session string // address of the session
	http    http.Client
}

// Drive lets a WebDriver at an address such as http://127.0.0.1:4444 open an address in a new browser. Stop
// ends that browser, not the driver.
func Drive(ctx context.Context, driver, address string) (*Driver, error) {
	d := &Driver{http: http.Client{Timeout: 2 * time.Minute}}
	base := strings.TrimRight(driver, "/")
	var made struct {
		SessionID string `json:"sessionId"`
	}
	caps := map[string]any{"capabilities": map[string]any{"alwaysMatch": map[string]any{}}}
	if err := d.call(ctx, "POST", base+"/session", caps, &made); err != nil {
		return nil, fmt.Errorf("--driver: %s: %w", driver, err)
	}
	if made.SessionID == "" {
		return nil, fmt.Errorf("--driver: %s does not answer as a WebDriver does", driver)
	}
	d.session = base + "/session/" + made.SessionID
	if err := d.call(ctx, "POST", d.session+"/url", map[string]string{"url": address}, nil); err != nil {
		return nil, errors.Join(fmt.Errorf("--driver: %s: %w", driver, err), d.Stop())
	}
	return d, nil
}

// call asks the driver for something; it answers {"value": …}, or {"value": {"error", "message"}}.
func (d *Driver) call(ctx context.Context, method, url string, what, into any) error {
	var body io.Reader
	if what != nil {
		data, err := json.Marshal(what)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	r, err := http.NewRequestWithContext(ctx, method, url, body)
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json; charset=utf-8")
	a, err := d.http.Do(r)
	if err != nil {
		return err
	}
	defer a.Body.Close()
	data, err := io.ReadAll(io.LimitReader(a.Body, mostAnswer))
	if err != nil {
		return err
	}
	var said struct {
		Value json.RawMessage `json:"value"`
	}
	if err := json.Unmarshal(data, &said); err != nil {
		return fmt.Errorf("it does not answer as a WebDriver does (status %d)", a.StatusCode)
	}
	if a.StatusCode != http.StatusOK {
		var wrong struct{ Error, Message string }
		_ = json.Unmarshal(said.Value, &wrong)
		first, _, _ := strings.Cut(wrong.Message, "\n")
		return fmt.Errorf("%s: %s", wrong.Error, first)
	}
	if into == nil {
		return nil
	}
	return json.Unmarshal(said.Value, into)
}

// Stop ends the browser.
func (d *Driver) Stop() error {
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	return d.call(ctx, "DELETE", d.session, nil, nil)
}

// resize gives the browser's window a size, CSS px, beside what the browser itself takes of it.
func (d *Driver) resize(ctx context.Context, size image.Point) error {
	for range 2 { // the first time tells what it takes
		var inner [2]int
		script := map[string]any{"script": "return [outerWidth - innerWidth, outerHeight - innerHeight]",
			"args": []any{}}
		if err := d.call(ctx, "POST", d.session+"/execute/sync", script, &inner); err != nil {
			return err
		}
		rect := map[string]int{"width": size.X + inner[0], "height": size.Y + inner[1]}
		if err := d.call(ctx, "POST", d.session+"/window/rect", rect, nil); err != nil {
			return err
		}
	}
	return nil
}

// photograph is what the browser's window shows.
func (d *Driver) photograph(ctx context.Context) (image.Image, error) {
	var text string
	if err := d.call(ctx, "GET", d.session+"/screenshot", nil, &text); err != nil {
		return nil, err
	}
	data, err := base64.StdEncoding.DecodeString(text)
	if err != nil {
		return nil, err
	}
	return png.Decode(bytes.NewReader(data))
}
