package serve

import (
	"context"
	"errors"
	"fmt"
	"time"

	"tourmaline/core/measure"
)

// Session is a browser that shows the page.
type Session struct {
	*Server
	Browser string  // as it names itself
	Density float64 // device px per CSS px that it draws
	ended   <-chan error
}

// Times that a browser has to open our page, and to answer.
const (
	toCome   = 90 * time.Second
	toAnswer = 120 * time.Second
)

// toRest is how long a page may take to rest.
const toRest = 8 * time.Second

// Begin waits for the browser that opens our page. ended is closed when a browser that was started ends by
// itself; nil where somebody else opens the address, who may take an hour.
func (s *Server) Begin(ctx context.Context, ended <-chan error) (*Session, error) {
	wait := toCome
	if ended == nil {
		wait = time.Hour
	}
	a, err := s.await(ctx, ended, wait)
	if err != nil {
		return nil, err
	}
	return &Session{Server: s, Browser: a.Browser, Density: a.Density, ended: ended}, nil
}

func (s *Server) await(ctx context.Context, ended <-chan error, wait time.Duration) (answer, error) {
	timer := time.NewTimer(wait)
	defer timer.Stop()
	select {
	case a := <-s.answers:
		if a.Error != "" {
			return a, errors.New(a.Error)
		}
		return a, nil
	case err := <-ended:
		return answer{}, died(err)
	case <-timer.C:
		select {
		case <-s.came:
			return answer{}, fmt.Errorf("the browser did not answer in %v: a script of the page may run without "+
				"end", wait)
		default:
			return answer{}, fmt.Errorf("the browser did not open the page in %v", wait)
		}
	case <-ctx.Done():
		return answer{}, ctx.Err()
	}
}

func died(err error) error { return fmt.Errorf("the browser ended before it had answered: %w", err) }

// say asks the frame something and waits for the answer.
func (s *Session) say(ctx context.Context, q ask) (answer, error) {
	select {
	case s.asks <- q:
	case err := <-s.ended:
		return answer{}, died(err)
	case <-time.After(toAnswer):
		return answer{}, fmt.Errorf("the browser does not ask for more")
	case <-ctx.Done():
		return answer{}, ctx.Err()
	}
	return s.await(ctx, s.ended, toAnswer)
}

// Open shows the page and waits until it rests.
func (s *Session) Open(ctx context.Context) error {
	a, err := s.say(ctx, ask{Op: "open", Page: s.pageAddress(), Limit: int(toRest.Milliseconds()),
		Windows: []measure.Window{{Width: 1280, Height: 800}}})
	if err == nil && !a.Value.Still {
		err = fmt.Errorf("the page does not come to rest in %v: %s", toRest, a.Value.Why)
	}
	return err
}

// Ask measures windows: it is a measure.Asker for some selectors.
func (s *Session) Ask(selectors []string) measure.Asker { return s.asker(ask{Selectors: selectors}) }

// Looks measures windows too, and says how the boxes look there.
func (s *Session) Looks(selectors []string) measure.Asker {
	return s.asker(ask{Selectors: selectors, Looks: true})
}

func (s *Session) asker(q ask) measure.Asker {
	q.Op = "measure"
	return func(ctx context.Context, windows []measure.Window) (out []measure.Answer, err error) {
		const batch = 40
		for len(windows) > 0 {
			n := min(batch, len(windows))
			q.Windows = windows[:n]
			a, err := s.say(ctx, q)
			if err != nil {
				return nil, err
			}
			out = append(out, a.Value.Answers...)
			windows = windows[n:]
		}
		return out, nil
	}
}

// mostFound is how many elements with a background are taken of a page.
const mostFound = 1000

// Found are the elements and pseudo-elements of a page that have a background, scripts run.
type Found struct {
	Paths  []string
	More   int // that were left out
	Frames int // pages in the page, which were not looked into
}

// Discover finds what has a background in a window.
func (s *Session) Discover(ctx context.Context, w measure.Window) (*Found, error) {
	a, err := s.say(ctx, ask{Op: "discover", Most: mostFound, Windows: []measure.Window{w}})
	return &Found{a.Value.Paths, a.Value.More, a.Value.Frames}, err
}

// Visit is a page as it opened in a window.
type Visit struct {
	measure.Answer
	Fetched []string // addresses of what came, in the order of coming
}

// Visit opens the page anew in windows, and measures the first element of each selector. clip: hardly any of it
// needs to be drawn, since no script of it looks at what is in view.
func (s *Session) Visit(ctx context.Context, windows []measure.Window, selectors []string, clip bool) ([]Visit, error) {
	q := ask{Op: "visit", Limit: int(toRest.Milliseconds()), Windows: windows, Selectors: selectors, Clip: clip}
	defer s.stale()
	for range windows {
		page, err := s.freshAddress()
		if err != nil {
			return nil, err
		}
		q.Pages = append(q.Pages, page)
	}
	a, err := s.say(ctx, q)
	if err != nil {
		return nil, err
	}
	var out []Visit
	for _, v := range a.Value.Visits {
		if !v.Still {
			return nil, fmt.Errorf("the page does not come to rest in %v: %s", toRest, v.Why)
		}
		if len(v.Answer.Boxes) != len(selectors) {
			return nil, fmt.Errorf("the browser answered for other boxes than were asked for")
		}
		out = append(out, Visit{v.Answer, v.Fetched})
	}
	if len(out) != len(windows) {
		return nil, fmt.Errorf("the browser answered for %d of %d windows", len(out), len(windows))
	}
	return out, nil
}

// End lets the page say that it is done.
func (s *Session) End() {
	select {
	case s.asks <- ask{Op: "end"}:
	case <-time.After(time.Second):
	}
}
