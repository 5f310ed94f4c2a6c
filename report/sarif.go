package report

import (
	"io"
	"net/url"
	"slices"
	"strings"

	"tourmaline/core/check"
)

// The parts of SARIF that are written.
// Source: SARIF 2.1.0 (https://docs.oasis-open.org/sarif/sarif/v2.1.0/sarif-v2.1.0.html).
type (
	sarifLog struct {
		Schema  string     `json:"$schema"`
		Version string     `json:"version"`
		Runs    []sarifRun `json:"runs"`
	}
	sarifRun struct {
		Tool       sarifTool     `json:"tool"`
		ColumnKind string        `json:"columnKind"`
		Results    []sarifResult `json:"results"`
	}
	sarifTool struct {
		Driver sarifDriver `json:"driver"`
	}
	sarifDriver struct {
		Name    string      `json:"name"`
		Version string      `json:"semanticVersion,omitempty"`
		Rules   []sarifRule `json:"rules"`
	}
	sarifRule struct {
		ID      string      `json:"id"`
		Short   sarifText   `json:"shortDescription"`
		Full    sarifText   `json:"fullDescription"`
		Help    sarifText   `json:"help"`
		Default sarifConfig `json:"defaultConfiguration"`
	}
	sarifConfig struct {
		Level string `json:"level"`
	}
	sarifText struct {
		Text string `json:"text"`
	}
	sarifResult struct {
		RuleID       string             `json:"ruleId"`
		RuleIndex    int                `json:"ruleIndex"`
		Level        string             `json:"level"`
		Message      sarifText          `json:"message"`
		Locations    []sarifLocation    `json:"locations"`
		Suppressions []sarifSuppression `json:"suppressions,omitempty"`
		Properties   map[string]any     `json:"properties,omitempty"`
	}
	sarifLocation struct {
		Physical sarifPhysical `json:"physicalLocation"`
	}
	sarifPhysical struct {
		Artifact sarifArtifact `json:"artifactLocation"`
		Region   sarifRegion   `json:"region"`
	}
	sarifArtifact struct {
		URI string `json:"uri"`
	}
	sarifRegion struct {
		Line   int `json:"startLine"`
		Column int `json:"startColumn,omitempty"`
	}
	sarifSuppression struct {
		Kind          string `json:"kind"`
		Justification string `json:"justification"`
	}
)

// SARIF writes the findings on the plan's lines; what the plan accepts is
// suppressed in source. version is the program's.
func (c *Check) SARIF(w io.Writer, version string) error {
	run := sarifRun{ColumnKind: "unicodeCodePoints", Results: []sarifResult{}}
	run.Tool.Driver = sarifDriver{Name: "tourmaline"}
	if v := strings.TrimPrefix(version, "v"); v != "" && v[0] >= '0' && v[0] <= '9' && strings.Count(v, ".") >= 2 {
		run.Tool.Driver.Version = v
	}
	for _, k := range check.Checks {
		run.Tool.Driver.Rules = append(run.Tool.Driver.Rules,
			sarifRule{ID: k.Name, Short: sarifText{Sentence(k.Line) + "."}, Full: sarifText{k.Long},
				Help: sarifText{"What to do: " + k.Remedy + "."}, Default: sarifConfig{k.Level.String()}})
	}
	for i := range c.Findings {
		run.Results = append(run.Results, c.Findings[i].sarif())
	}
	for i := range c.Accepted {
		run.Results = append(run.Results, c.Accepted[i].sarif())
	}
	return JSON(w, sarifLog{"https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json", "2.1.0", []sarifRun{run}})
}

func (f *Finding) sarif() sarifResult {
	msg := f.Message
	for _, w := range f.Where {
		msg += "; at " + w.Says
	}
	msg += ". " + Sentence(f.Remedy) + "."
	uri := url.URL{Path: f.File}
	res := sarifResult{RuleID: f.Check, Level: f.Level, Message: sarifText{msg},
		RuleIndex: slices.IndexFunc(check.Checks, func(c *check.Check) bool { return c.Name == f.Check }),
		Locations: []sarifLocation{{sarifPhysical{sarifArtifact{strings.TrimPrefix(uri.String(), "./")},
			sarifRegion{max(f.Line, 1), f.Column}}}},
		Properties: map[string]any{"box": f.Box, "measured": f.Measured, "wanted": f.Wanted, "unit": f.Unit}}
	if f.Accepted != "" {
		res.Suppressions = []sarifSuppression{{"inSource", f.Accepted}}
	}
	return res
}
