package cli

import (
	"encoding/json"
	"net/url"
	"path/filepath"
	"slices"
	"strings"

	"tourmaline/core/check"
	"tourmaline/core/finding"
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

// checkSARIF writes the findings on the plan's lines; what the plan accepts is
// suppressed in source.
func (s *session) checkSARIF(r *check.Report) error {
	run := sarifRun{ColumnKind: "unicodeCodePoints", Results: []sarifResult{}}
	run.Tool.Driver = sarifDriver{Name: "tourmaline"}
	if v := strings.TrimPrefix(Version, "v"); v != "" && v[0] >= '0' && v[0] <= '9' && strings.Count(v, ".") >= 2 {
		run.Tool.Driver.Version = v
	}
	for _, c := range check.Checks {
		run.Tool.Driver.Rules = append(run.Tool.Driver.Rules, sarifRule{c.Name, sarifText{sentence(c.Line) + "."}, sarifText{c.Long}, sarifText{"What to do: " + c.Remedy + "."}, sarifConfig{c.Level.String()}})
	}
	add := func(f *finding.Finding) {
		msg := f.Message
		for _, w := range f.Where {
			msg += "; at " + w.String()
		}
		msg += ". " + sentence(f.Remedy) + "."
		res := sarifResult{RuleID: f.Check, Level: f.Level.String(), Message: sarifText{msg},
			RuleIndex: slices.IndexFunc(check.Checks, func(c *check.Check) bool { return c.Name == f.Check })}
		uri := url.URL{Path: filepath.ToSlash(f.Pos.File)}
		res.Locations = []sarifLocation{{sarifPhysical{sarifArtifact{strings.TrimPrefix(uri.String(), "./")}, sarifRegion{max(f.Pos.Line, 1), f.Pos.Col}}}}
		res.Properties = map[string]any{"box": f.Box, "measured": f.Measured, "wanted": f.Wanted, "unit": f.Unit}
		if f.Accepted != "" {
			res.Suppressions = []sarifSuppression{{"inSource", f.Accepted}}
		}
		run.Results = append(run.Results, res)
	}
	for i := range r.Findings {
		add(&r.Findings[i])
	}
	for i := range r.Accepted {
		add(&r.Accepted[i])
	}
	enc := json.NewEncoder(s.out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(sarifLog{"https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json", "2.1.0", []sarifRun{run}})
}
