package e2e

import (
	"go/ast"
	"go/parser"
	"go/scanner"
	"go/token"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// House rules that a machine can see. What is exempt is a table or one idea, and says so.
const (
	longestFunction = 80  // lines
	longestTest     = 110 // lines: a test is mostly its table
	longestFile     = 600
	longestLine     = 120 // columns, a tab is four
	mostParameters  = 4   // beside a context
)

var longFunctions = map[string]string{
	"core/css/declaration.go init":                 "the table of all properties",
	"core/check/figures_test.go TestFiguresByHand": "a table of findings",
}

var longFiles = map[string]string{
	"core/css/declaration.go":       "the properties, a table and what reads each",
	"core/paint/gradient.go":        "gradients, one state for every kind",
	"core/codec/avifbox/avifbox.go": "the container of AVIF, taken over whole with the recipe of the codecs",
}

// manyParameters are functions that take more than four values, each with its reason.
var manyParameters = map[string]string{
	"cli/run.go Run":                   "the arguments and the three streams of a program",
	"core/sweep/sweep.go Each":         "a generic function has no receiver to hold the sweep",
	"core/paint/blend.go blendChannel": "the five numbers of the standard's formula, in the innermost loop",
	"core/paint/sample.go tap": "one axis of the innermost loop: a struct there costs a tenth of the " +
		"time",
	"core/paint/gradient.go linearRow":      "a row of px, in the innermost loop",
	"core/paint/paint.go outward":           "two axes side by side",
	"core/paint/paint.go tiles":             "what a layer is drawn with: see shader",
	"core/paint/paint.go vector":            "what a layer is drawn with: see shader",
	"core/paint/paint.go shader":            "what a layer is drawn with, handed on to tiles and vector",
	"core/paint/paint.go newPattern":        "where a pattern lies, and what fills it",
	"core/paint/paint.go tileAxis":          "one axis",
	"core/paint/sample.go pieceAxis":        "one axis",
	"core/picture/resize.go taps":           "one axis",
	"core/paint/blend.go blendNonSeparable": "two colours and the blend",
	"demo/generate.go put":                  "a px of a generated picture",
	"e2e/shoot/shoot.go Page":               "the test, the page and its window",
}

func TestHouseRules(t *testing.T) {
	t.Parallel()
	filepath.WalkDir("..", func(path string, d os.DirEntry, err error) error {
		codecs := strings.Contains(path, "codecs"+string(filepath.Separator)) // a recipe's own test program
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || codecs {
			return err
		}
		src, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		name := filepath.ToSlash(strings.TrimPrefix(path, ".."+string(filepath.Separator)))
		fset := token.NewFileSet()
		f, err := parser.ParseFile(fset, name, src, 0)
		if err != nil {
			t.Fatal(err)
		}
		lines := strings.Split(string(src), "\n")
		if _, ok := longFiles[name]; !ok && len(lines) > longestFile {
			t.Errorf("%s has %d lines", name, len(lines))
		}
		raw := rawLines(fset, src)
		for i, l := range lines {
			n := len([]rune(strings.ReplaceAll(l, "\t", "    ")))
			if n > longestLine && !raw[i+1] && !strings.Contains(l, "http") {
				t.Errorf("%s:%d: %d columns", name, i+1, n)
			}
		}
		for _, decl := range f.Decls {
			if fn, ok := decl.(*ast.FuncDecl); ok && fn.Body != nil {
				checkFunction(t, fset, name, fn)
			}
		}
		return nil
	})
}

func checkFunction(t *testing.T, fset *token.FileSet, file string, fn *ast.FuncDecl) {
	key := file + " " + fn.Name.Name
	most := longestFunction
	if strings.HasSuffix(file, "_test.go") {
		most = longestTest
	}
	if n := fset.Position(fn.End()).Line - fset.Position(fn.Pos()).Line + 1; n > most && longFunctions[key] == "" {
		t.Errorf("%s has %d lines", key, n)
	}
	n := 0
	for _, p := range fn.Type.Params.List {
		if s, ok := p.Type.(*ast.SelectorExpr); ok && s.Sel.Name == "Context" {
			continue
		}
		n += max(len(p.Names), 1)
	}
	if n > mostParameters && manyParameters[key] == "" && !strings.HasSuffix(file, "_test.go") {
		t.Errorf("%s takes %d values: name them in a struct", key, n)
	}
}

// rawLines are those that a raw string stands in: its text is what it is.
func rawLines(fset *token.FileSet, src []byte) map[int]bool {
	out := map[int]bool{}
	var s scanner.Scanner
	file := fset.AddFile("", fset.Base(), len(src))
	s.Init(file, src, nil, 0)
	for {
		pos, tok, lit := s.Scan()
		if tok == token.EOF {
			return out
		}
		if tok == token.STRING && lit[0] == '`' {
			first := fset.Position(pos).Line
			for i := range strings.Count(lit, "\n") + 1 {
				out[first+i] = true
			}
		}
	}
}
