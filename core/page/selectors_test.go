package page

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"tourmaline/core/cascade"
	"tourmaline/core/source"
	"tourmaline/e2e/shoot"
)

// selectorPage has what selectors tell apart: nesting, siblings, attributes, forms, languages, and
// markup that the parser mends.
const selectorPage = `<!doctype html>
<html lang=en><head><title>Harrowmoor</title><meta charset=utf-8></head>
<body class="home Night" dir=ltr>
<header id=top class="bar bar--wide md:flex"><a href="#x" class=logo>Harrowmoor</a><a class=dead>no link</a></header>
<main><section class="hero wide"><h1>Night <em>sky</em></h1><p></p><p> </p><p>text<!-- c --></p></section>
<section class=hero lang=de-AT><ul><li>1<li class=odd>2<li>3<li class=odd>4<li>5</ul></section>
<section class="w-1/2 hero" data-kind="dome Wide" data-n=7>
<div><div><div class=deep><b>a</b><i>b</i><b>c</b></div></div></div>
</section></main>
<form><fieldset disabled><legend><input id=a></legend><input id=b type=checkbox checked>
<select><option selected>x<option>y</select>
</fieldset><input id=c required placeholder=name><input type=TEXT readonly value=v placeholder=p><textarea>t</textarea>
<button disabled>go</button></form>
<table><tr><td>1<td>2</table><p>one<p>two<div contenteditable><b>z</b></div>
<custom-dome></custom-dome><svg viewBox="0 0 1 1"><g class=star><path d=""/></g></svg>
<footer dir=rtl class=home><p id=Top>end</p></footer></body></html>`

// selectors are asked of the page: what matches is compared with a real browser.
var selectors = []string{
	"*", "section", "SECTION", ".hero", ".Night", ".night", "#top", "#TOP", "#Top", "section.hero.wide", "p:empty",
	"section > p", "main p", "main > p", "h1 + p", "h1 ~ p", "p + p", "section ~ section",
	"header + main section li", "li:first-child", "li:last-child", "li:nth-child(odd)", "li:nth-child(2n)",
	"li:nth-child( -n + 3 )", "li:nth-child(+3)", "li:nth-child(n+2)", "li:nth-last-child(2)",
	"li:nth-child(2 of .odd)", "li:nth-last-child(1 of .odd)", "b:nth-of-type(2)", "b:first-of-type",
	"b:last-of-type", "i:only-of-type", "div:only-child", ":root", ":scope", "html:root > body", "em:only-child",
	"[data-kind]", "[data-kind=dome]", "[data-kind~=dome]", "[data-kind~=wide]", "[data-kind*=ome]",
	"[data-kind^=dome]", "[data-kind$=Wide]", "[data-kind$=wide i]", "[lang|=de]", "[lang=EN]", "[data-n='7']",
	"[type=text]", "[class*=bar-]", ".md\\:flex", ".w-1\\/2", ".bar--wide", "a:link", "a:any-link", ":visited",
	"a:not([href])", ":not(section):not(li)", ":is(h1, h2) em", ":where(.hero) > div div", ":is(.hero, ???) p",
	"section:has(li)", "section:has(> ul)", "h1:has(+ p)", "section:has(~ section)", ":has(em):not(html, body)",
	"section:not(:has(div, ul))", "main :is(section > div) b", "input:disabled", "input:enabled", ":checked",
	":required", "input:optional", ":read-only", ":read-write", ":placeholder-shown", ":lang(de)",
	":lang(en) > body", ":dir(rtl)", ":defined", "custom-dome:defined", "tr > td", "tbody", "form p", "body > p",
	"g.star path", "svg *", "div div div b", "body div > div + b", ".hero .deep > b ~ b", "a b c d",
	"section section", "body.home .hero:nth-child(2) li", "p:hover", "p:not(:hover)", "p::before", "a:focus-within",
	"foo:bar", "p:nth-child(2n + )", "..x", "p >", "> p", "p,", ", p", "[data-n=7]", "#1x", "p:nth-child(0n+2)",
	"p:nth-child(n)", "p:nth-child(-n-1)", "li:nth-child(3n-1)", ":not(.hero, p) > p", ":is()", ":not()", ":has()",
	"main:has(:is(.deep, .odd))", "section:has(.deep b + i)", "p:nth-child(1), p:nth-child(2)", "a|b", "*|p", "|p",
	"html body main", "body > :nth-child(3 of p)", "button:disabled", "option:checked", "select:disabled option",
	"legend input:enabled", "textarea:read-write", "p:first-line", "p::first-line", "p::nonsense", "p:-nonsense",
	"p::-webkit-nonsense", "/* c */ p", "p/**/:empty", "h1 em, /* c */ b", ":target", ":first-child:last-child",
	"div:has(> div > .deep)", "section:has(:has(b))", "section:has(:is(:has(b)))", ":not(:has(:not(b)))",
}

// matchesOf are the numbers of the elements that each selector matches, in the document's order;
// nil where it is wrong.
func matchesOf(t *testing.T, text string, asked []string) map[string][]int {
	t.Helper()
	d, err := Parse(source.NewFile("page.html", text))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]int{}
	elements := d.Elements()
	for _, q := range asked {
		list, err := cascade.ParseSelectors(q, nil)
		if err != nil {
			out[q] = nil
			continue
		}
		m := cascade.Matcher{Quirks: d.Quirks, Work: 1 << 20}
		found := []int{}
		for i, e := range elements {
			if slices.ContainsFunc(list, func(s *cascade.Selector) bool {
				return s.Pseudo == "" && m.Matches(s, e, nil)
			}) {
				found = append(found, i)
			}
		}
		out[q] = found
	}
	return out
}

// browserMatches asks a real browser.
func browserMatches(t *testing.T, text string, asked []string) (out map[string][]int) {
	t.Helper()
	list, err := json.Marshal(asked)
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "page.html")
	script := `<script>addEventListener("DOMContentLoaded", () => { document.currentScript?.remove();
		for (const s of document.querySelectorAll("script")) s.remove();
		const all = [...document.querySelectorAll("*")], out = {};
		for (const q of ` + string(list) + `) {
			try { out[q] = [...document.querySelectorAll(q)].map(e => all.indexOf(e)) } catch (e) { out[q] = null }
		}
		document.body.replaceChildren(); document.body.textContent = "<<" + JSON.stringify(out) + ">>" })</script>`
	if err := os.WriteFile(path, []byte(strings.Replace(text, "</head>", script+"</head>", 1)), 0o600); err != nil {
		t.Fatal(err)
	}
	shoot.Answer(t, path, &out)
	return out
}

// Selectors match what they match in a real browser; elsewhere what one said is committed.
func TestSelectorsMatchAsInABrowser(t *testing.T) {
	const facts = "testdata/selectors.json"
	for _, quirks := range []bool{false, true} {
		name, text := "standard", selectorPage
		if quirks {
			name, text = "quirks", strings.TrimPrefix(text, "<!doctype html>\n")
		}
		known := map[string]map[string][]int{}
		data, err := os.ReadFile(facts)
		if err == nil {
			err = json.Unmarshal(data, &known)
		}
		if shoot.Browser() != "" {
			known[name] = browserMatches(t, text, selectors)
			if os.Getenv("TOURMALINE_FACTS") == "write" {
				data, _ := json.Marshal(known)
				err = os.WriteFile(facts, append(data, '\n'), 0o644)
			}
		}
		if err != nil {
			t.Fatal(err)
		}
		for q, got := range matchesOf(t, text, selectors) {
			want, ok := known[name][q]
			if !ok {
				t.Errorf("%s: nothing is known of %s", name, q)
			}
			if fmt.Sprint(got) != fmt.Sprint(want) || (got == nil) != (want == nil) {
				t.Errorf("%s: %s matches %v, in a browser %v", name, q, got, want)
			}
		}
	}
}
