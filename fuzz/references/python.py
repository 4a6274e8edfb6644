#!/usr/bin/env python3
"""Holds figures of Python functions against Python's own parser: parameters, and lines without decorators.

    fuzz/references/python.py target/release/swage FOLDER

Prints how many functions were compared and each that differs; exit code 1 when one does.
"""
import ast
import json
import pathlib
import subprocess
import sys
import tempfile

RULES = "".join(
    f'[[rule]]\nid = "{measure}"\nseverity = "note"\ntitle = "{measure}"\nmessage = "{{value}}"\nskip_generated = false\n'
    f'languages = ["python"]\n[rule.match]\nmeasure = "{measure}"\nover = 0\n'
    for measure in ("parameters", "lines")
)


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


def found(program, folder):
    with tempfile.NamedTemporaryFile("w", suffix=".toml") as rules:
        rules.write(RULES)
        rules.flush()
        command = [program, "scan", "--tree", folder, "--config", rules.name, "--format", "json", "--no-cache"]
        report = json.loads(subprocess.run(command, stdout=subprocess.PIPE, check=True).stdout)
    figures = {}
    for finding in filter(lambda finding: finding["figure"], report["findings"]):
        anchor = finding["anchor"]
        name = (finding.get("scope") or "").split(".")[-1]
        place = (anchor["path"], anchor["start_line"])
        figures.setdefault(place, {})[finding["rule"]] = finding["figure"]["value"]
    return figures


def main(program, folder):
    ours = found(program, folder)
    compared = wrong = 0
    for path in sorted(pathlib.Path(folder).rglob("*.py")):
        for (line, name), (parameters, lines) in (expected(path) or {}).items():
            got = ours.get((str(path.relative_to(folder)), line), {})
            if "lines" not in got:
                continue
            compared += 1
            if (got.get("parameters", 0), got["lines"]) != (parameters, lines):
                wrong += 1
                print(f"{path}:{line}: {name}: {parameters} parameters, {lines} lines; found {got}")
    print(f"{compared} functions compared, {wrong} different")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
