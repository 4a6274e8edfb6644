// Holds figures of Go functions against Go's own parser: parameters, lines, loops and branches, and how deep they nest.
//
//	go run fuzz/references/go.go target/release/swage FOLDER
//
// Prints how many functions were compared and each that differs; exit code 1 when one does.
package main

import (
	"encoding/json"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

const rule = `[[rule]]
id = "%s"
severity = "note"
title = "%[1]s"
message = "{value}"
skip_generated = false
languages = ["go"]
[rule.match]
measure = "%[1]s"
over = 0
`

// A function by its file and the place of its name, both counted from 1.
type place struct {
	path         string
	line, column int
}

type figures struct{ parameters, lines, branches, nesting int }

func main() {
	program, folder := os.Args[1], os.Args[2]
	ours, examined := found(program, folder)
	compared, wrong := 0, 0
	check(filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
		check(err)
		name, err := filepath.Rel(folder, path)
		check(err)
		if entry.IsDir() || !examined[name] {
			return nil
		}
		for at, theirs := range expected(path, name) {
			compared++
			if ours[at] != theirs {
				wrong++
				fmt.Printf("%s:%d:%d: %+v; found %+v\n", path, at.line, at.column, theirs, ours[at])
			}
		}
		return nil
	}))
	fmt.Printf("%d functions compared, %d different\n", compared, wrong)
	if wrong > 0 {
		os.Exit(1)
	}
}

// The figures of each function with a body; none where Go refuses the file.
func expected(path, name string) map[place]figures {
	files := token.NewFileSet()
	tree, err := parser.ParseFile(files, path, nil, 0)
	if err != nil {
		return nil
	}
	all := map[place]figures{}
	for _, declaration := range tree.Decls {
		function, ok := declaration.(*ast.FuncDecl)
		if !ok || function.Body == nil {
			continue
		}
		parameters := 0
		for _, field := range function.Type.Params.List {
			// Parameters without names stand alone.
			parameters += max(1, len(field.Names))
		}
		// Where it says it comes from doesn't count.
		at := files.PositionFor(function.Name.Pos(), false)
		first, last := files.PositionFor(function.Pos(), false).Line, files.PositionFor(function.End(), false).Line
		own := figures{parameters: parameters, lines: last - first + 1}
		// Packed functions have no figures of this kind.
		if int(function.End()-function.Pos()) <= 200*own.lines {
			branching{&own, 0, nil}.of(function)
		}
		all[place{name, at.Line, at.Column}] = own
	}
	return all
}

// Counts loops and branches, those of inner functions aside, and how deep they nest.
type branching struct {
	figures *figures
	depth   int
	parent  ast.Node
}

func (b branching) of(function *ast.FuncDecl) {
	ast.Walk(b, function)
}

func (b branching) Visit(node ast.Node) ast.Visitor {
	part, deeper := false, false
	switch node := node.(type) {
	case nil, *ast.FuncLit:
		return nil
	case *ast.CaseClause:
		part = node.List != nil
	case *ast.CommClause:
		part = node.Comm != nil
	case *ast.IfStmt:
		around, ok := b.parent.(*ast.IfStmt)
		part = ok && around.Else == ast.Stmt(node)
		deeper = !part
	case *ast.SwitchStmt, *ast.TypeSwitchStmt, *ast.SelectStmt, *ast.ForStmt, *ast.RangeStmt:
		deeper = true
	}
	depth := b.depth
	if deeper {
		depth++
		b.figures.nesting = max(b.figures.nesting, depth)
	}
	if part || deeper {
		b.figures.branches++
	}
	return branching{b.figures, depth, node}
}

// What the program finds, and the files that parse whole for it.
func found(program, folder string) (map[place]figures, map[string]bool) {
	config, err := os.CreateTemp("", "*.toml")
	check(err)
	defer os.Remove(config.Name())
	for _, measure := range []string{"parameters", "lines", "branches", "nesting"} {
		fmt.Fprintf(config, rule, measure)
	}
	check(config.Close())
	command := exec.Command(program, "scan", "--tree", folder, "--config", config.Name(), "--format", "json", "--no-cache")
	command.Stderr = os.Stderr
	out, err := command.Output()
	check(err)
	var report struct {
		Files []struct {
			Path     string `json:"new_path"`
			Examined bool
			Errors   int `json:"syntax_errors"`
		}
		Findings []struct {
			Rule   string
			Anchor struct {
				Path   string
				Line   int `json:"start_line"`
				Column int `json:"start_column"`
			}
			Figure *struct{ Value int }
		}
	}
	check(json.Unmarshal(out, &report))
	examined := map[string]bool{}
	for _, file := range report.Files {
		examined[file.Path] = file.Examined && file.Errors == 0 && strings.HasSuffix(file.Path, ".go")
	}
	all := map[place]figures{}
	for _, finding := range report.Findings {
		if finding.Figure == nil {
			continue
		}
		at := place{finding.Anchor.Path, finding.Anchor.Line, finding.Anchor.Column}
		own := all[at]
		switch value := finding.Figure.Value; finding.Rule {
		case "parameters":
			own.parameters = value
		case "lines":
			own.lines = value
		case "branches":
			own.branches = value
		case "nesting":
			own.nesting = value
		}
		all[at] = own
	}
	return all, examined
}

func max(a, b int) int {
	if a > b {
		return a
	}
	return b
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
}
