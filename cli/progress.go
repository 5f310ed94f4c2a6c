package cli

import (
	"fmt"
	"sync"
	"time"

	"github.com/vbauerster/mpb/v8"
	"github.com/vbauerster/mpb/v8/decor"
)

// progress shows on standard error how far a long piece of work is, from one second on: a
// bar on a terminal, a line now and then elsewhere.
type progress struct {
	s     *session
	what  string
	start time.Time

	mu   sync.Mutex
	bars *mpb.Progress
	bar  *mpb.Bar
	now  string // what was just done
	told time.Time
}

func (s *session) progress(what string) *progress {
	return &progress{s: s, what: what, start: time.Now()}
}

func (p *progress) step(done, total int) {
	p.about(done, total, float64(done)/float64(max(total, 1)), "")
}

// about is step, with the share of the work that is done, 0..1, and what was done last.
func (p *progress) about(done, total int, share float64, what string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.now = what; time.Since(p.start) < time.Second {
		return
	}
	if !isTerminal(p.s.err) || dumb() {
		p.line(done, total, share)
		return
	}
	if p.bar == nil {
		p.bars = mpb.New(mpb.WithOutput(p.s.err), mpb.WithWidth(24))
		p.bar = p.bars.AddBar(int64(total), mpb.BarRemoveOnComplete(),
			mpb.PrependDecorators(decor.Name(p.what+" ")),
			mpb.AppendDecorators(counters(total), decor.Any(func(decor.Statistics) string {
				p.mu.Lock()
				defer p.mu.Unlock()
				return p.now
			})))
	}
	p.bar.SetCurrent(int64(done))
}

// counters say how much is done, and of how much where that is known.
func counters(total int) decor.Decorator {
	if total == 0 {
		return decor.CurrentNoUnit("%d ")
	}
	return decor.CountersNoUnit("%d of %d  ")
}

// apart is how long lines stand apart where no bar can be drawn.
const apart = 10 * time.Second

// foretells is the share of the work from which on it tells how long the rest takes.
const foretells = 0.25

// line says how far the work is, and how fast it goes.
func (p *progress) line(done, total int, share float64) {
	if time.Since(p.told) < apart {
		return
	}
	p.told = time.Now()
	took := time.Since(p.start).Seconds()
	rate := float64(done) / took
	if total == 0 {
		fmt.Fprintf(p.s.err, "%s: %d %s after %.0f s\n", p.what, done, p.now, took)
		return
	}
	left := ""
	if share >= foretells && done < total {
		left = fmt.Sprintf(", about %.0f s to go", took*(1-share)/share)
	}
	fmt.Fprintf(p.s.err, "%s: %d of %d after %.0f s (%.1f a second)%s\n", p.what, done, total, took, rate, left)
}

// end takes the bar away.
func (p *progress) end() {
	p.mu.Lock()
	bars, bar := p.bars, p.bar
	p.mu.Unlock()
	if bar != nil {
		bar.Abort(true)
		bars.Wait()
	}
}
