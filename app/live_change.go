package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
	"tourmaline/core/window"
)

// mostUndone is how many steps can be taken back.
const mostUndone = 200

// said is what a page says.
type said struct {
	Op      string        `json:"op"`
	Seq     int           `json:"seq"`
	Window  [2]float64    `json:"window"`
	Modes   []string      `json:"modes"` // that are shown in it
	Layer   string        `json:"layer"`
	Key     string        `json:"key"`
	Changes []plan.Change `json:"changes"`
	Outline string        `json:"outline"` // of the plan that the changes are of
	On      bool          `json:"on"`
}

// clash is a change that somebody else made to the same value in the file, while a hand held it here.
type clash struct {
	Path   string `json:"path"`
	Mine   string `json:"mine"`
	Theirs string `json:"theirs"`

	changes []plan.Change
}

// hear takes what a page says. What cannot be done is told to that page; only nonsense is an error.
func (g *guest) hear(data json.RawMessage) error {
	var m said
	if err := json.Unmarshal(data, &m); err != nil {
		return err
	}
	l := g.live
	l.mu.Lock()
	defer l.mu.Unlock()
	var err error
	if len(m.Changes) > 0 && m.Outline != outlineOf(l.kept) {
		// Paths count boxes and layers: in another plan they lead elsewhere.
		g.seq, g.note = m.Seq, "boxes or layers of the plan have changed meanwhile: do it again"
		g.tell("note", "plan")
		return l.drop()
	}
	switch m.Op {
	case "at":
		v := g.window
		v.Width, v.Height = m.Window[0], m.Window[1]
		if !(v.Width >= 1 && v.Width <= plan.MaxWindow && v.Height >= 1 && v.Height <= plan.MaxWindow) {
			return errors.New("no such window")
		}
		if v.Modes, err = window.ParseModes(m.Modes); err != nil {
			return err
		}
		g.window = v
		g.tell("boxes")
	case "choose":
		if g.layer != m.Layer {
			g.layer = m.Layer
			g.tell("marks")
			l.want()
		}
	case "try":
		g.seq = m.Seq
		err = l.try(m.Changes)
	case "drop":
		err = l.drop()
	case "keep":
		g.seq = m.Seq
		err = l.keep(m.Changes)
	case "undo":
		err = l.step(&l.undo, &l.redo)
	case "redo":
		err = l.step(&l.redo, &l.undo)
	case "settle":
		err = l.settle(m.Layer, m.Key)
	case "mine", "theirs":
		err = l.decide(m.Op == "mine")
	case "cut":
		l.cutting = m.On
		err = l.show(l.now.plan, l.now.trial)
	default:
		return fmt.Errorf("%q is nothing that can be said", m.Op)
	}
	if err != nil {
		g.note = err.Error()
		g.tell("note", "plan")
	}
	return nil
}

// usable says why nothing can be changed now.
func (l *Live) usable() error {
	switch {
	case l.problem != "":
		return fmt.Errorf("the file cannot be read as it is: mend it there first. %s", l.problem)
	case l.clash != nil:
		return errors.New("say first which of the two values is to hold")
	}
	return nil
}

// try shows changes that are not kept yet: a drag goes on.
func (l *Live) try(changes []plan.Change) error {
	if err := l.usable(); err != nil {
		return err
	}
	p, err := l.kept.Change(changes...)
	if err != nil {
		return err
	}
	return l.show(p, true)
}

// keep makes changes and writes them. Where the file has changed meanwhile they are made to what it says now, unless
// it is just these values that have changed: then both are shown.
func (l *Live) keep(changes []plan.Change) error {
	if err := l.usable(); err != nil {
		return err
	}
	theirs, err := l.theirs()
	if err != nil {
		return errors.Join(err, l.show(l.kept, false))
	}
	if theirs != nil {
		if outlineOf(theirs) != outlineOf(l.kept) {
			l.take(theirs)
			return errors.Join(errors.New("boxes or layers of the file have changed meanwhile: do it again"),
				l.show(theirs, false))
		}
		for _, c := range changes {
			was, _ := l.kept.Value(c.Path)
			is, there := theirs.Value(c.Path)
			if is != was && is != c.Value {
				if !there {
					is = "(nothing)"
				}
				l.clash = &clash{Path: c.Path.String(), Mine: c.Value, Theirs: is, changes: changes}
				l.take(theirs)
				p, err := theirs.Change(changes...)
				if err != nil {
					p = theirs
				}
				return l.show(p, true)
			}
		}
		l.take(theirs)
	}
	p, err := l.kept.Change(changes...)
	if err != nil {
		return errors.Join(err, l.show(l.kept, false))
	}
	if p.Text() == l.kept.Text() {
		return l.show(l.kept, false)
	}
	l.put(p)
	l.again(changes)
	return nil
}

// theirs is the plan as somebody else has just written it; nil where nobody has. An error is of a file that cannot be
// used: nothing may be written over it.
func (l *Live) theirs() (*plan.Plan, error) {
	data, err := readText(l.File)
	switch {
	case err != nil:
		return nil, cannotRead(l.File, err)
	case string(data) == l.disk:
		return nil, nil
	}
	return l.parse(data)
}

// drop gives up a drag; what was written into the file meanwhile is shown then.
func (l *Live) drop() error {
	if !l.now.trial || l.clash != nil {
		return nil
	}
	if theirs, err := l.theirs(); err == nil && theirs != nil {
		l.take(theirs)
	}
	return l.show(l.kept, false)
}

// outlineOf changes where the paths of a plan's boxes, layers and texts may lead elsewhere.
func outlineOf(p *plan.Plan) string {
	var b strings.Builder
	for _, box := range p.All() {
		fmt.Fprintf(&b, "%q\n", box.Name)
		for i := range box.Rules {
			r := &box.Rules[i]
			for k := range r.Layers {
				fmt.Fprintf(&b, "%s\n", r.Layers[k].Path)
			}
			for k := range r.Text {
				fmt.Fprintf(&b, "%s\n", r.Text[k].Path)
			}
		}
	}
	return sum([]byte(b.String()))[:16]
}

func (l *Live) parse(data []byte) (*plan.Plan, error) {
	return plan.ParseMeasured(l.File, data, func(name string) (*plan.MeasuredBoxes, error) {
		return l.readMeasured(l.File, name)
	})
}

// take makes what the file says the plan that is kept.
func (l *Live) take(p *plan.Plan) {
	l.remember()
	l.kept, l.disk, l.unsaved = p, p.Text(), false
	l.written = p
}

// remember makes the plan as it is one that can be gone back to.
func (l *Live) remember() {
	l.undo = append(l.undo, l.kept.Text())
	l.undo = l.undo[max(len(l.undo)-mostUndone, 0):]
	l.redo = nil
}

// put keeps a plan, shows it and writes it.
func (l *Live) put(p *plan.Plan) {
	l.remember()
	l.save(p)
}

func (l *Live) save(p *plan.Plan) {
	l.kept, l.written = p, p
	if err := WriteFile(l.File, []byte(p.Text())); err != nil {
		l.unsaved = true
		l.noteAll(err.Error())
	} else {
		l.disk, l.unsaved = p.Text(), false
	}
	if err := l.show(p, false); err != nil {
		l.noteAll(err.Error())
	}
}

// noteAll tells every page something in words.
func (l *Live) noteAll(text string) {
	for g := range l.pages {
		g.note = text
	}
	l.tell("note")
}

// step goes back, or forth again.
func (l *Live) step(from, to *[]string) error {
	if err := l.usable(); err != nil {
		return err
	}
	theirs, err := l.theirs()
	if err != nil {
		return err
	}
	if theirs != nil {
		l.take(theirs)
		if err := l.show(theirs, false); err != nil {
			return err
		}
		return errors.New("the file has changed meanwhile; that is shown now, and can be undone too")
	}
	n := len(*from)
	if n == 0 {
		return nil
	}
	p, err := l.parse([]byte((*from)[n-1]))
	if err != nil {
		return err
	}
	*from, *to = (*from)[:n-1], append(*to, l.kept.Text())
	l.save(p)
	return nil
}

// decide ends a clash.
func (l *Live) decide(mine bool) error {
	c := l.clash
	if c == nil {
		return nil
	}
	l.clash = nil
	if mine {
		return l.keep(c.changes)
	}
	return l.show(l.kept, false)
}

// changed looks at files that have changed on the disk; no paths: any may have.
func (l *Live) changed(paths []string) {
	mine := len(paths) == 0 || slices.ContainsFunc(paths, func(p string) bool { return sameFile(p, l.File) })
	others := slices.ContainsFunc(paths, func(p string) bool { return !sameFile(p, l.File) && l.Mine(p) })
	l.mu.Lock()
	defer l.mu.Unlock()
	var data []byte
	var err error
	if mine { // read under the lock: what we write meanwhile would be taken back as somebody else's older text
		data, err = readText(l.File)
	}
	if others || len(paths) == 0 {
		l.renew()
	}
	switch {
	case !mine, err == nil && string(data) == l.disk && l.problem == "":
		return
	case err != nil:
		l.problem = cannotRead(l.File, err).Error()
		l.tell("plan")
		return
	}
	p, err := l.parse(data)
	if err != nil {
		l.problem = err.Error()
		l.tell("plan")
		return
	}
	l.problem = ""
	if l.now.trial { // a hand holds a value: it is brought together when it lets go
		l.tell("plan")
		return
	}
	if p.Text() != l.kept.Text() {
		l.take(p)
	}
	l.disk = p.Text()
	if err := l.show(p, false); err != nil {
		l.problem = err.Error()
	}
	l.tell("hello")
}

// renew reads pictures and pages again.
func (l *Live) renew() {
	l.openStore()
	l.fresh++
	clear(l.marks)
	if err := l.show(l.now.plan, l.now.trial); err != nil {
		l.noteAll(err.Error())
	}
}

// layerOf is a layer by the id that pages have of it.
func layerOf(p *plan.Plan, id string) (plan.LayerID, *plan.Layer) {
	var at plan.LayerID
	if n, err := fmt.Sscanf(id, "%d.%d.%d", &at.Box, &at.Rule, &at.N); n != 3 || err != nil || at.Box < 0 ||
		int(at.Box) >= len(p.All()) {
		return at, nil
	}
	return at, p.Layer(at)
}

// wishes are what is written where a value is left to settle.
func wishOf(p *plan.Plan, at plan.LayerID, x *plan.Layer, key string) (string, error) {
	was, _ := p.Value(append(slices.Clone(x.Path), key))
	switch key {
	case "position", "repeat":
		return "auto", nil
	case "color":
		for n := at.N + 1; ; n++ {
			below := p.Layer(plan.LayerID{Box: at.Box, Rule: at.Rule, N: n})
			if below == nil {
				return "auto", nil
			}
			if below.Color == nil {
				return "auto scrim", nil
			}
		}
	case "size":
		if x.CSS.Size.AutoW || x.CSS.Size.W.IsCalc() || !x.CSS.Size.AutoH || x.CSS.Size.Kind != 0 {
			return "", errors.New("settle finds the size of tiles: give the size as a width in px")
		}
		return "near " + x.CSS.Size.W.String(), nil
	case "gradient":
		return "auto " + was, nil
	}
	return "", fmt.Errorf("settle finds no %s", key)
}

// settle finds a value and puts it in.
func (l *Live) settle(id, key string) error {
	if err := l.usable(); err != nil {
		return err
	}
	if l.busy != "" {
		return fmt.Errorf("%s is still being settled", l.busy)
	}
	at, x := layerOf(l.kept, id)
	if x == nil {
		return errors.New("the layer is there no more")
	}
	wish := ""
	for _, o := range x.Open {
		if k := o.Kind.String(); k == key || key == "color" && o.Kind == plan.OpenScrim {
			wish = o.Wish
		}
	}
	if wish == "" {
		var err error
		if wish, err = wishOf(l.kept, at, x, key); err != nil {
			return err
		}
	}
	l.busy = l.kept.All()[at.Box].Name + ": " + key
	l.tell("plan")
	go l.solve(at, plan.Change{Path: append(slices.Clone(x.Path), key), Value: wish}, false)
	return nil
}

// again settles anew what hangs on keep and focus, where it was left to settle.
func (l *Live) again(changes []plan.Change) {
	for _, o := range l.kept.Opens() {
		x := l.kept.Layer(o.Layer)
		if o.Kind != plan.OpenPosition || o.Settled == "" || l.busy != "" {
			continue
		}
		if slices.ContainsFunc(changes, func(c plan.Change) bool {
			n := len(x.Path)
			return len(c.Path) > n && slices.Equal(c.Path[:n], x.Path) && (c.Path[n] == "keep" || c.Path[n] == "focus")
		}) {
			l.busy = l.kept.All()[o.Layer.Box].Name + ": position"
			go l.solve(o.Layer, plan.Change{Path: o.Path, Value: o.Wish}, true)
		}
	}
}

// solve settles one value that is written as a wish, and keeps it; amend: as a part of the last step.
func (l *Live) solve(at plan.LayerID, c plan.Change, amend bool) {
	l.mu.Lock()
	p, store := l.kept, l.Store
	l.mu.Unlock()
	value, failed, err := (&wish{p, store, at, c}).settle(l.ctx)
	l.mu.Lock()
	defer l.mu.Unlock()
	l.busy = ""
	if err == nil && l.kept.Text() != p.Text() {
		err = errors.New("the plan has changed while a value was settled: settle again")
	}
	var q *plan.Plan
	if err == nil {
		q, err = l.kept.Change(plan.Change{Path: c.Path, Value: value})
	}
	if err != nil {
		l.noteAll(err.Error())
		l.tell("plan")
		return
	}
	if failed != "" {
		l.noteAll(failed)
	}
	switch {
	case q.Text() == l.kept.Text():
		l.tell("plan")
	case amend:
		l.save(q)
	default:
		l.put(q)
	}
}

// wish is a value of a layer that is left to settle.
type wish struct {
	plan  *plan.Plan
	store *picture.Store
	layer plan.LayerID
	plan.Change
}

// settle finds the value, with what was wished before it; failed says in words where it does not serve.
func (x *wish) settle(ctx context.Context) (value, failed string, err error) {
	q, err := x.plan.Change(x.Change)
	if err != nil {
		return "", "", err
	}
	for _, o := range q.Opens() {
		if o.Layer != x.layer || !slices.Equal(o.Path, x.Path) {
			continue
		}
		choice, err := settle.Settled(ctx, q, x.store, o)
		if err != nil {
			return "", "", err
		}
		if choice.Value == "" {
			return "", "", fmt.Errorf("nothing can be settled: %s", strings.Join(append(choice.Why,
				choice.Remedies...), "; "))
		}
		if choice.Failed {
			var where []string
			for _, w := range choice.Lost {
				where = append(where, w.String())
			}
			failed = "not every window is served"
			if len(where) > 0 {
				failed += ": not " + strings.Join(where, "; ")
			}
			failed += ". " + strings.Join(choice.Remedies, "; ")
		}
		return x.Value + " = " + choice.Value, failed, nil
	}
	return "", "", errors.New("the value is not one that settle finds")
}
