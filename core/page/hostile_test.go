package page

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"tourmaline/core/css"
	"tourmaline/core/window"
)

// Pages made to cost much end in bounded time, with an answer or a message.
func TestHostilePagesEnd(t *testing.T) {
	if testing.Short() {
		t.Skip("takes seconds")
	}
	style := func(css string) map[string]string {
		return map[string]string{"index.html": "<!doctype html><style>" + css + "</style><body><p class=a>x</p>"}
	}
	power := ":root{--a0:xxxxxxxxxx"
	for i := range 60 {
		power += fmt.Sprintf(";--a%d:var(--a%d) var(--a%d)", i+1, i, i)
	}
	for name, files := range map[string]map[string]string{
		"rules": style(strings.Repeat(".a{color:red}", 500_000)),
		"selectors": style(strings.Repeat("p ", 30_000) + "{color:red}" +
			strings.Repeat(".a,", 20_000) + "p{color:red}"),
		"nesting":  style(strings.Repeat("a{&:is(b,c,d) &{", 2_000)),
		"doubling": style(strings.Repeat("p{&,& &{", 40) + "color:red"),
		"powers":   style(power + "}p{color:var(--a60);background:var(--a60)}"),
		"cycles": style(":root{" +
			strings.Repeat("--a:var(--b);--b:var(--c,var(--a));--c:var(--a) var(--b);", 200) + "}"),
		"brackets": style("p{background:" + strings.Repeat("(", 100_000) +
			"}p{color:" + strings.Repeat("calc(1px + ", 50_000)),
		"has": style("body :has(" + strings.Repeat("p ~ ", 200) + "p){color:red}" +
			strings.Repeat("*:has(* * * *)+", 60) +
			"p{color:red}"),
		"imports": {"index.html": "<link rel=stylesheet href=a.css>",
			"a.css": "@import 'b.css';@import 'a.css';",
			"b.css": "@import 'a.css';" + strings.Repeat("@import 'c.css' (width>1px);", 1000),
			"c.css": "p{color:red}"},
		"elements": {"index.html": "<style>p+p p{color:red}</style>" + strings.Repeat("<p><b>x</b>", 50_000)},
		"siblings": {"index.html": "<style>i:nth-of-type(2n+1){color:red}i:last-of-type{color:blue}" +
			"i:nth-child(3 of i){color:red}</style>" + strings.Repeat("<i></i>", 30_000)},
		"deep":   {"index.html": "<style>b b b b i{color:red}</style>" + strings.Repeat("<div>", 20_000) + "<i>"},
		"broken": {"index.html": strings.Repeat("<table><b></table><p style='", 5_000)},
		"media": style(strings.Repeat("@media (", 3_000) + "width>1px" + strings.Repeat(")", 3_000) +
			"{p{color:red}}"),
	} {
		t.Run(name, func(t *testing.T) {
			start, left := time.Now(), false
			p, err := Load(siteFS(files), "index.html")
			if err == nil {
				w := p.At(css.Env{Window: window.Window{Width: 800, Height: 600, Density: 1}}, false)
				for _, e := range p.Elements() {
					w.Of(e, "")
				}
				left = p.Exhausted()
			}
			if took := time.Since(start); took > 20*time.Second {
				t.Errorf("took %v", took)
			} else {
				t.Log(took, err, left)
			}
		})
	}
}

// Whatever a page holds, reading it and answering for it ends.
func FuzzPage(f *testing.F) {
	for _, files := range sites {
		f.Add(files["index.html"])
	}
	f.Add("<style>@supports (){a{b:c}}@supports not (){}@supports selector(){}@import \"a\" supports();</style>")
	f.Add("<style>@layer a{@scope(b)to(c){d{--e:var(--e);f:var(--e)}}}</style><b style='color:var(--x'><b style=&>")
	f.Fuzz(func(t *testing.T, text string) {
		p, err := Load(siteFS(map[string]string{"index.html": text}), "index.html")
		if err != nil {
			return
		}
		w := p.At(css.Env{Window: window.Window{Width: 800, Height: 600, Density: 1}}, false)
		for _, e := range p.Elements() {
			c := w.Of(e, "")
			for _, name := range followed {
				c.Text(w, name, func(u string) string { return u })
			}
			w.Losers(e, "", "background-color")
		}
	})
}
