package check

import "tourmaline/core/finding"

var staleAccept = &Check{
	Name: "stale-accept", Group: Meaning, Level: finding.Warning,
	Line: "the plan accepts a finding that is not there",
	Long: `accept: says that a finding is known and meant. When the plan changes and nothing is left to
accept, the entry would hide the next finding of that kind.`,
	Remedy: "take the entry out of accept:",
	Fires: `accept: [{check: bare, reason: meant}]
boxes:
  - {name: b, height: 300px, layers: [{color: black}]}
`,
	Silent: `accept: [{check: bare, reason: meant}]
boxes:
  - name: hero
    height: 400px
    layers:
      - {image: photo.jpg, size: contain, repeat: no-repeat}
      - color: white
`,
}
