#!/usr/bin/env python3
"""Holds figures of Python functions against Python's own parser (parameters, and lines without decorators), and comments against its
tokenizer.

    fuzz/references/python.py target/release/swage FOLDER

Prints how many functions were compared and each that differs; exit code 1 when one does.
"""
import ast
import json
import pathlib
import subprocess
import sys
import tempfile
import tokenize

RULES = "".join(
    f'[[rule]]\nid = "{measure}"\nseverity = "note"\ntitle = "{measure}"\nmessage = "{{value}}"\nskip_generated = false\n'
    f'languages = ["python"]\n[rule.match]\nmeasure = "{measure}"\nover = 0\n'
    for measure in ("parameters", "lines")
)
RULES += """[[rule]]
id = "comments"
severity = "note"
title = "comments"
message = "comment"
skip_generated = false
languages = ["python"]
match = { text = "#", zones = ["comment"] }
"""


def expected(path):
    """The figures of each function by the line of its name, or None where Python refuses the file."""
    try:
        tree = ast.parse(path.read_bytes())
    except (SyntaxError, ValueError):
        return None
    figures = {}
    for node in ast.walk(tree):
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            a = node.args
            named = [*a.posonlyargs, *a.args, *a.kwonlyargs, *filter(None, (a.vararg, a.kwarg))]
            first = (*a.posonlyargs, *a.args)[:1]
            passed = bool(first) and first[0].arg in ("self", "cls")
            figures[node.lineno, node.name] = (len(named) - passed, node.end_lineno - node.lineno + 1)
    return figures


def expected_comments(path):
    """Line and column of each comment, 1-based, or None where Python refuses the file."""
    try:
        with open(path, "rb") as file:
            tokens = list(tokenize.tokenize(file.readline))
    except (SyntaxError, UnicodeDecodeError, tokenize.TokenError):
        return None
    return {(t.start[0], t.start[1] + 1) for t in tokens if t.type == tokenize.COMMENT}


def found(program, folder):
    with tempfile.NamedTemporaryFile("w", suffix=".toml") as rules:
        rules.write(RULES)
        rules.flush()
        command = [program, "scan", "--tree", folder, "--config", rules.name, "--format", "json", "--no-cache"]
        report = json.loads(subprocess.run(command, stdout=subprocess.PIPE, check=True).stdout)
    figures, comments = {}, {}
    for finding in report["findings"]:
        anchor = finding["anchor"]
        if finding["figure"]:
            place = (anchor["path"], anchor["start_line"])
            figures.setdefault(place, {})[finding["rule"]] = finding["figure"]["value"]
        elif finding["rule"] == "comments":
            comments.setdefault(anchor["path"], set()).add((anchor["start_line"], anchor["start_column"]))
    examined = {file["new_path"] for file in report["files"] if file["examined"] and not file["syntax_errors"]}
    return figures, comments, examined


def main(program, folder):
    ours, comments, examined = found(program, folder)
    compared = wrong = counted = 0
    for path in sorted(pathlib.Path(folder).rglob("*.py")):
        name = str(path.relative_to(folder))
        if name not in examined:
            continue
        for (line, function), (parameters, lines) in (expected(path) or {}).items():
            got = ours.get((name, line), {})
            if "lines" not in got:
                continue
            compared += 1
            if (got.get("parameters", 0), got["lines"]) != (parameters, lines):
                wrong += 1
                print(f"{path}:{line}: {function}: {parameters} parameters, {lines} lines; found {got}")
        theirs = expected_comments(path)
        if theirs is not None:
            counted += len(theirs)
            got = comments.get(name, set())
            starts = dict(theirs)
            # A comment may hold more of the sign.
            extra = {(line, column) for line, column in got if column < starts.get(line, column + 1)}
            for line, column in sorted((theirs - got) | extra):
                wrong += 1
                whose = "only Python's" if (line, column) in theirs else "only ours"
                print(f"{path}:{line}:{column}: a comment, {whose}")
    print(f"{compared} functions and {counted} comments compared, {wrong} different")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
