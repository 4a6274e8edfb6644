#!/usr/bin/env python3
"""Holds figures of Python functions against Python's own parser (parameters, lines without decorators, loops and branches, and how
deep they nest), and comments against its tokenizer.

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

MEASURES = ("parameters", "lines", "branches", "nesting")
RULES = "".join(
    f'[[rule]]\nid = "{measure}"\nseverity = "note"\ntitle = "{measure}"\nmessage = "{{value}}"\nskip_generated = false\n'
    f'languages = ["python"]\n[rule.match]\nmeasure = "{measure}"\nover = 0\n'
    for measure in MEASURES
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


DEEPER = (ast.If, ast.Match, ast.IfExp, ast.Try, ast.TryStar, ast.With, ast.AsyncWith, ast.For, ast.AsyncFor, ast.While)
FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda)


def branching(function):
    """Loops and branches of a function, those of inner functions aside, and how deep they nest."""
    count = deepest = 0
    open_nodes = [(child, 0, None) for child in inside(function)]
    while open_nodes:
        node, depth, parent = open_nodes.pop()
        if isinstance(node, FUNCTIONS):
            # What decorates it stands outside of it.
            open_nodes += [(child, depth, node) for child in getattr(node, "decorator_list", [])]
            continue
        # An `elif` stands where its `if` does.
        is_elif = isinstance(node, ast.If) and isinstance(parent, ast.If) and node.col_offset == parent.col_offset
        is_part = isinstance(node, (ast.ExceptHandler, ast.match_case)) or is_elif and node in parent.orelse
        deeper = isinstance(node, DEEPER) and not is_part
        count += deeper or is_part
        deepest = max(deepest, depth + deeper)
        open_nodes += [(child, depth + deeper, node) for child in ast.iter_child_nodes(node)]
    return count, deepest


def inside(function):
    decorators = getattr(function, "decorator_list", [])
    return [child for child in ast.iter_child_nodes(function) if child not in decorators]


def expected(path):
    """The figures of each function by the place of its name, 1-based, or None where Python refuses the file."""
    try:
        tree = ast.parse(path.read_bytes())
    except (SyntaxError, ValueError):
        return None
    text = path.read_bytes().splitlines()
    figures = {}
    for node in ast.walk(tree):
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            a = node.args
            named = [*a.posonlyargs, *a.args, *a.kwonlyargs, *filter(None, (a.vararg, a.kwarg))]
            first = (*a.posonlyargs, *a.args)[:1]
            has_default = len(a.defaults) == len(a.posonlyargs) + len(a.args)
            passed = bool(first) and first[0].arg in ("self", "cls") and not has_default
            lines = node.end_lineno - node.lineno + 1
            size = sum(map(len, text[node.lineno - 1 : node.end_lineno]))
            # Packed functions have no figures of this kind.
            branches = branching(node) if size <= 200 * lines else None
            # A default may hold a function on the same line.
            line = text[node.lineno - 1]
            column = line.find(node.name.encode(), line.find(b"def", node.col_offset) + 3) + 1
            figures[node.lineno, column, node.name] = (len(named) - passed, lines, branches)
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
            place = (anchor["path"], anchor["start_line"], anchor["start_column"])
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
        for (line, column, function), (parameters, lines, branches) in (expected(path) or {}).items():
            got = ours.get((name, line, column), {})
            if "lines" not in got:
                continue
            compared += 1
            theirs = (parameters, lines, *(branches or ()))
            if tuple(got.get(measure, 0) for measure in MEASURES[: len(theirs)]) != theirs:
                wrong += 1
                print(f"{path}:{line}: {function}: {dict(zip(MEASURES, theirs))}; found {got}")
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
