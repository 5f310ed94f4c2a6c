package cascade

import "tourmaline/core/source"

// agent is what browsers declare by themselves of the properties that are followed.
// Source: HTML, 15 Rendering; where it leaves choices, Chromium's.
const agent = `
html, body, div, p, section, main, header, footer, nav, article, aside, h1, h2, h3, h4, h5, h6, ul, ol, dl, dt, dd, form,
fieldset, figure, figcaption, blockquote, pre, hr, address, details, summary, hgroup, search, center, legend, optgroup,
option, dialog, menu, listing, xmp, plaintext, dir { display: block }
head, link, meta, script, style, title, base, template, noembed, noframes, param, rp, area, datalist,
[hidden] { display: none }
li, summary { display: list-item }
table { display: table } tr { display: table-row } td, th { display: table-cell }
thead { display: table-header-group } tbody { display: table-row-group } tfoot { display: table-footer-group }
caption { display: table-caption } col { display: table-column } colgroup { display: table-column-group }
input, select, button, textarea, meter, progress { display: inline-block }
h1 { font-size: 2em } h2 { font-size: 1.5em } h3 { font-size: 1.17em } h5 { font-size: .83em } h6 { font-size: .67em }
small, sub, sup { font-size: .8333em }
ul, ol, menu, dir { padding-left: 40px }
td, th { padding: 1px }
mark { background-color: #ff0; color: #000 }
a:any-link { color: #0000ee }
hr { color: gray; border: 1px inset }
fieldset { padding: .35em .75em .625em; border: 2px groove rgb(192, 192, 192) }
dialog { padding: 1em; border: 3px solid; background-color: #fff; color: #000 }
dialog:not([open]) { display: none }
input, textarea, select, button { font-size: 13.3333px; color: #000 }
input, textarea { background-color: #fff; border: 2px inset rgb(118, 118, 118); padding: 1px 2px }
textarea { border: 1px solid rgb(118, 118, 118); padding: 2px }
select { background-color: rgb(239, 239, 239); border: 1px solid rgb(118, 118, 118) }
button, input:is([type=button], [type=submit], [type=reset]) {
  background-color: rgb(239, 239, 239); border: 2px outset rgb(0, 0, 0); padding: 1px 6px }
input:is([type=checkbox], [type=radio], [type=range], [type=image], [type=hidden], [type=file], [type=color]) {
  background-color: transparent; border: none; padding: 0 }
option { padding: 0 2px 1px }
button:disabled, select:disabled, input:disabled, textarea:disabled { color: rgba(16, 16, 16, .3) }
input:disabled, textarea:disabled { background-color: rgba(239, 239, 239, .3); color: rgb(84, 84, 84) }
`

// AddAgent takes in what browsers declare by themselves: before all else.
func (s *Styles) AddAgent() error {
	sheet, err := ParseSheet(source.NewFile("the browser's own", agent))
	if err != nil {
		return err
	}
	return s.add(context{sheet: sheet, layer: s.root, agent: true}, "")
}
