package plan

import (
	"maps"
	"slices"
)

// texts are what the keys of the plan say, by where they stand: the manual has them in its
// tables, and editors show them.
var texts = map[string]map[string]string{
	"plan": {
		"tourmaline": "the version of the plan's format",
		"site":       "a name, for titles",
		"pictures":   "the folder of the sources, seen from the plan; `url()` looks here, then beside the plan",
		"output":     "the folder that cut and build write to",
		"measured":   "the file of heights that `tourmaline measure` took from a browser",
		"viewports":  "the windows you care for",
		"canvas":     "the whole window, behind everything (`body`)",
		"page":       "the column that the boxes lie on",
		"boxes":      "the boxes, one below the other",
		"budget":     "the most each named viewport may fetch, as in `phone: 150 KB`",
		"files":      "what `cut` makes: see \"What cut makes\"",
		"accept": "findings that are known and meant: a list of `check`, `reason`, and where wanted `box` and " +
			"`widths`",
	},
	"viewports": {
		"widths":    "every whole window width that is looked at, as in `320-2560`",
		"heights":   "the window heights, as in `600-1400`",
		"densities": "device pixels per CSS pixel, as in `[1, 2]`, or with the widths each is seen at",
		"named":     "windows with a name: `390x844@3`, or `size`, `share` of the visitors and `touch`",
		"modes":     "the shares of the visitors who have a mode on, as in `dark: 35%`",
	},
	"box": {
		"name":     "the name in reports",
		"selector": "the CSS selector in the stylesheet (left out: `.name`)",
		"width":    "of the border box, in any CSS length, or `measured`",
		"height": "of the border box, in any CSS length, `measured`, or a table of heights measured at window " +
			"widths",
		"offset":         "`measured`: where the page has the box; else it lies below the one before it",
		"min-width":      "the least width of the border box",
		"max-width":      "the most width of the border box",
		"min-height":     "the least height of the border box",
		"max-height":     "the most height of the border box",
		"aspect-ratio":   "`16 / 9`; gives the side that is not given; `auto`: none does",
		"layers":         "what fills the box; first is on top",
		"css":            "plain CSS declarations in place of layers, or over them",
		"text":           "where text lies: a list, or `measured`",
		"when":           "other values where a media query holds, as in `(width < 768px):`",
		"color":          "the text colour, which currentcolor refers to",
		"font-size":      "what em is of; that of the page is the root's, which rem is of",
		"padding":        "as in CSS",
		"padding-top":    "as in CSS",
		"padding-right":  "as in CSS",
		"padding-bottom": "as in CSS",
		"padding-left":   "as in CSS",
		"margin":         "as in CSS; margins of neighbours collapse",
		"margin-top":     "as in CSS",
		"margin-right":   "as in CSS",
		"margin-bottom":  "as in CSS",
		"margin-left":    "as in CSS",
		"border":         "as in CSS",
		"border-radius":  "as in CSS",
		"box-shadow":     "as in CSS",
	},
	"layer": {
		"image": "a picture, by its file name, or `url()`, `image-set()` or a gradient",
		"texture": "a picture that is meant to repeat, `auto from` one that does not tile yet, or a pattern to " +
			"draw: see \"Drawn textures\"",
		"video": "a silent video that loops behind what stands in the box, or several by type: MP4 and WebM; see " +
			"\"Videos\"",
		"poster": "the picture that is seen until the video plays: its first frame",
		"hide": "windows without the video, such as `(width < 768px)`: the layers below it are seen, and nothing of " +
			"it is fetched",
		"gradient":   "a gradient; `auto` is left to settle",
		"color":      "a colour; `auto` and `auto scrim` are left to settle",
		"size":       "`cover`, `contain`, `auto`, lengths, percentages",
		"position":   "keywords, percentages, lengths, edge offsets (`right 10px`), `calc()`; `auto` is left to settle",
		"repeat":     "`repeat`, `repeat-x`, `repeat-y`, `no-repeat`, `space`, `round`",
		"origin":     "as background-origin",
		"clip":       "as background-clip",
		"attachment": "as background-attachment",
		"blend":      "as background-blend-mode",
		"touch":      "what becomes of a fixed layer on touch screens: `fixed-layer`, `scroll`, `none`",
		"quality":    "of this picture's files, in place of the plan's: `high`, `normal`, `low` or a number",
		"filter": "`brightness() contrast() saturate() grayscale() sepia() invert() opacity() hue-rotate() " +
			"blur()`; the " +
			"stylesheet gives the layer a pseudo-element, so that text is not touched",
		"keep":    "the region that must stay visible: x, y, width, height in per cent of the picture",
		"focus":   "the one point that should be seen: x, y",
		"avoid":   "`text`: a settled position keeps `keep` out from under the text areas",
		"subject": "the share of the box that `keep` should take, as in `40%-70%`: see below",
		"description": "what the picture shows, where it carries meaning: `check` then says how to put it in the " +
			"markup",
	},
	"text": {
		"area":     "left, right, top, bottom, width, height, of the padding box",
		"color":    "of the text (left out: white)",
		"contrast": "the ratio that it needs (left out: 4.5)",
		"sample":   "what stands there in proofs and on the page to look at",
	},
	"files": {
		"quality": "`high` (no difference is seen flipping between the two), `normal` (no worse than one " +
			"1920 px JPEG of quality 80 in the same box), `low` (small damage is seen when compared), or " +
			"how alike files must look as a number: 100 is the same, 95 where a difference is just seen; also as a " +
			"key of one layer",
		"sharpness": "picture pixels for each device pixel, for all densities or as `{1: 1, 3: 0.75}`, each from " +
			"there up, and before it no more px than it needs",
		"most":    "files for each picture of a box",
		"worth":   "the share of its weight that one more file must save",
		"formats": "beside JPEG or PNG: `[avif, webp]`, one of them, or `[]`",
		"crop":    "`seen`, or `none` for whole pictures",
		"taller":  "how much taller than planned a box may grow before a picture that covers it is soft",
		"sharpen": "how much fine detail is added after scaling",
		"inline": "files of at most this weight, such as `1 KB`, stand in the stylesheet itself, as the one that " +
			"every browser knows: no request, but every window fetches them",
		"over-budget": "what may be given up where a viewport is over its `budget`, in this order: `crop` (more " +
			"files, each of less), `density` (half a pixel for each device pixel at density 3), `quality` (1.6 times " +
			"the difference)",
	},
}

// object is a JSON Schema of an object with these keys and no others.
func object(of string, kinds map[string]any, required ...string) map[string]any {
	props := map[string]any{}
	for k, text := range texts[of] {
		p := map[string]any{}
		if kind, ok := kinds[k].(map[string]any); ok {
			p = maps.Clone(kind)
		} else { // a value of CSS: texts and numbers alike
			p["type"] = []string{"string", "number"}
		}
		p["description"] = text
		props[k] = p
	}
	out := map[string]any{"type": "object", "additionalProperties": false, "properties": props}
	if len(required) > 0 {
		out["required"] = required
	}
	return out
}

func words(list ...string) map[string]any { return map[string]any{"enum": list} }

func listOf(item any) map[string]any { return map[string]any{"type": "array", "items": item} }

func ref(name string) map[string]any { return map[string]any{"$ref": "#/$defs/" + name} }

// Schema is the JSON Schema of a plan, for editors: keys, their texts, and values where they are
// words. What a value of CSS may be, only reading tells.
// Source: JSON Schema 2020-12 (https://json-schema.org/draft/2020-12).
func Schema() map[string]any {
	open := map[string]any{"type": "object"}
	number := map[string]any{"type": []string{"number", "string"}}
	box := func(required ...string) map[string]any {
		return object("box", map[string]any{"layers": listOf(ref("layer")), "text": map[string]any{
			"anyOf": []any{listOf(ref("text")), words("measured")}},
			"when":   map[string]any{"type": "object", "additionalProperties": ref("values")},
			"height": map[string]any{"type": []string{"string", "number", "object"}}}, required...)
	}
	values := box()
	for _, k := range []string{"name", "selector", "when"} {
		delete(values["properties"].(map[string]any), k)
	}
	canvas := box()
	for _, k := range notOfCanvas {
		delete(canvas["properties"].(map[string]any), k)
	}
	point := map[string]any{"type": "object", "additionalProperties": number}
	plan := object("plan", map[string]any{"tourmaline": map[string]any{"const": 1}, "viewports": ref("viewports"),
		"canvas": ref(
			"canvas",
		), "page": ref("page"), "boxes": listOf(ref("box")), "budget": open, "files": ref("files"),
		"accept": listOf(map[string]any{"type": "object", "required": []string{"check", "reason"}})}, "tourmaline")
	plan["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	plan["title"] = "A plan of tourmaline"
	plan["$defs"] = map[string]any{
		"viewports": object(
			"viewports",
			map[string]any{"densities": map[string]any{"type": []string{"array", "object"}},
				"named": open, "modes": open},
		),
		"box": box("name"), "page": box(), "canvas": canvas, "values": values,
		"layer": object("layer", map[string]any{"touch": words(touches[1:]...), "avoid": words("text"), "keep": point,
			"focus":      point,
			"attachment": words("scroll", "fixed", "local"),
			"texture":    map[string]any{"type": []string{"string", "object"}},
			"video":      map[string]any{"type": []string{"string", "array"}}}),
		"text": object("text", map[string]any{"area": point}),
		"files": object(
			"files",
			map[string]any{
				"formats":     listOf(words("avif", "webp")),
				"crop":        words("seen", "none"),
				"over-budget": listOf(words("crop", "density", "quality")),
				"sharpness":   map[string]any{"type": []string{"number", "object"}},
			},
		),
	}
	return plan
}

// Texts returns what each key of a part of the plan (plan, viewports, box, layer, text or files)
// says, by key.
func Texts(of string) map[string]string { return texts[of] }

// Keys are the parts of the plan that have texts.
func Keys() []string { return slices.Sorted(maps.Keys(texts)) }
