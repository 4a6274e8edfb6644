// Holds figures of Go functions against Go's own parser: parameters and lines.
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

type figures struct{ parameters, lines int }

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
		all[place{name, at.Line, at.Column}] = figures{parameters, last - first + 1}
	}
	return all
}

// What the program finds, and the files that parse whole for it.
func found(program, folder string) (map[place]figures, map[string]bool) {
	config, err := os.CreateTemp("", "*.toml")
	check(err)
	defer os.Remove(config.Name())
	for _, measure := range []string{"parameters", "lines"} {
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
		if finding.Rule == "parameters" {
			own.parameters = finding.Figure.Value
		} else {
			own.lines = finding.Figure.Value
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
