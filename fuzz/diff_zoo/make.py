#!/usr/bin/env python3
"""Makes diffs of many forms with git, GNU diff, Subversion and Mercurial, and holds a built `swage` against each.

    fuzz/diff_zoo/make.py target/release/swage [FOLDER]

Each form comes from two real trees. It is reviewed with the tree before it and with the tree after it, and what Swage says
of its files must be what the trees say. Prints every form that is wrong, and how many were right. With FOLDER, the diffs
are kept there.
"""

import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ENV = {
    "PATH": os.environ["PATH"],
    "LC_ALL": "C",
    "TZ": "UTC",
    "GIT_CONFIG_GLOBAL": "/dev/null",
    "GIT_CONFIG_SYSTEM": "/dev/null",
    "HGRCPATH": "/dev/null",
    "HGUSER": "harbour-dev <harbour-dev@example.org>",
    **{f"GIT_{role}_{what}": value for role in ("AUTHOR", "COMMITTER") for what, value in
       (("NAME", "harbour-dev"), ("EMAIL", "harbour-dev@example.org"), ("DATE", "2031-03-01T09:00:00Z"))},
}

RULES = """packs = []
[[rule]]
id = "no-bad"
severity = "error"
title = "Nothing bad"
message = "bad"
match = { text = "bad\\\\(" }
"""

BEFORE = {
    "src/quay.py": "import tide\n\n\ndef quay(boat):\n    return boat.quay\n\n\ndef lay(boat):\n    bad(boat)\n    return boat\n",
    "src/tide.py": "".join(f"row_{n} = {n}\n" for n in range(40)),
    "src/gone.py": "bad(1)\ngone = 1\n",
    "src/old name.py": "".join(f"line {n}\n" for n in range(20)),
    "docs/read me.txt": "tides\n",
    "lib/data.bin": b"\0\1\2\3" * 40,
    "empty.txt": "",
    "run.sh": "#!/bin/sh\necho tide\n",
    "no newline.txt": "one\ntwo",
    "crlf.txt": "one\r\ntwo\r\nthree\r\n",
    "link": ("link", "src/quay.py"),
    "turns": "a file\n",
}

AFTER = {
    **{path: BEFORE[path] for path in ("docs/read me.txt", "empty.txt", "run.sh")},
    "src/quay.py": "import tide\n\n\ndef quay(boat):\n    bad(boat)\n    return boat.quay\n\n\ndef lay(boat):\n    bad(boat)\n    return boat\n",
    "src/tide.py": "".join(f"row_{n} = {n + (n in (3, 30))}\n" for n in range(40)) + "bad(9)\n",
    "src/new.py": "bad(2)\nnew = 1\n",
    "src/new name.py": "".join(f"line {n}\n" for n in range(20)) + "more\n",
    "lib/data.bin": b"\0\1\2\4" * 40,
    "no newline.txt": "one\ntwo\nthree",
    "crlf.txt": "one\r\n2\r\nthree\r\n",
    "added.bin": b"\0\7" * 30,
}


def run(folder, *command, ok=(0,), text=None):
    done = subprocess.run(command, cwd=folder, env=ENV, capture_output=True, input=text)
    if done.returncode not in ok:
        raise SystemExit(f"{command} in {folder}: {done.returncode}\n{done.stderr.decode(errors='replace')}")
    return done.stdout


def write(folder, files):
    for path, content in files.items():
        path = Path(folder, path)
        path.parent.mkdir(parents=True, exist_ok=True)
        if isinstance(content, tuple):
            path.symlink_to(content[1])
        else:
            path.write_bytes(content if isinstance(content, bytes) else content.encode())


def clear(folder):
    for entry in Path(folder).iterdir():
        if entry.name in (".git", ".hg", ".svn"):
            continue
        shutil.rmtree(entry) if entry.is_dir() and not entry.is_symlink() else entry.unlink()


class Zoo:
    def __init__(self, program, keep):
        self.program, self.keep = Path(program).resolve(), keep
        self.right, self.wrong = 0, []
        self.home = Path(tempfile.mkdtemp(prefix="zoo-"))
        (self.home / "rules.toml").write_text(RULES)

    def check(self, name, diff, before, after, options=(), expected=None):
        """Holds what is said of a diff against the trees that it was made from."""
        if self.keep:
            Path(self.keep, name.replace("/", "-").replace(" ", "_") + ".diff").write_bytes(diff)
        expected = expected if expected is not None else changed(before, after)
        for side, files in (("before", before), ("after", after)):
            tree = Path(tempfile.mkdtemp(dir=self.home))
            write(tree, files)
            done = subprocess.run(
                [self.program, "review", "--config", "rules.toml", "--patch", "-", "--tree", tree, "--format", "json", *options],
                cwd=self.home, env=ENV, capture_output=True, input=diff)
            shutil.rmtree(tree)
            if done.returncode:
                self.wrong.append(f"{name}, {side}: refused: {done.stderr.decode(errors='replace').splitlines()[0]}")
                continue
            review = json.loads(done.stdout)
            said = {}
            for file in review["files"]:
                gone = file["kind"] == "deleted" or file["kind"] == "binary" and file["new_path"] not in after
                said.setdefault(file["old_path"] if gone else file["new_path"], []).append(file["old_path"])
            new = sorted((f["anchor"]["path"], f["anchor"]["start_line"]) for f in review["findings"] if f["state"] == "new")
            missing, more = sorted(set(expected) - set(said)), sorted(set(said) - set(expected))
            wanted = sorted(place for path in expected for place in bad_lines(path, before, after, said.get(path)))
            if missing or more:
                self.wrong.append(f"{name}, {side}: lacks {missing}, has {more} besides")
            elif new != wanted:
                self.wrong.append(f"{name}, {side}: new {new} instead of {wanted}")
            else:
                self.right += 1


def changed(before, after):
    return sorted(path for path in {*before, *after} if before.get(path) != after.get(path))


def bad_lines(path, before, after, olds):
    """The lines of new findings: the scenario's changes bring them in lines of their own."""
    content = after.get(path)
    if not isinstance(content, str):
        return []
    old = next((before[o] for o in [path, *(olds or [])] if isinstance(before.get(o), str)), "")
    had = old.count("bad(")
    lines = [n for n, line in enumerate(content.split("\n"), 1) if "bad(" in line]
    return [(path, n) for n in lines[:max(0, len(lines) - had)]] if path != "src/quay.py" else [(path, 5)][:len(lines) - had]


def only(paths):
    return {p: c for p, c in BEFORE.items() if p in paths}, {p: c for p, c in AFTER.items() if p in paths}


TEXT = ["src/quay.py", "src/tide.py", "src/gone.py", "src/new.py", "no newline.txt", "crlf.txt", "docs/read me.txt", "empty.txt", "run.sh"]


def git_forms(zoo):
    def repository(before, after):
        folder = Path(tempfile.mkdtemp(dir=zoo.home))
        run(folder, "git", "init", "-q", "-b", "main")
        for files, message in ((before, "before"), (after, "after")):
            clear(folder)
            write(folder, files)
            run(folder, "git", "add", "-A")
            run(folder, "git", "commit", "-q", "--allow-empty", "-m", message)
        return folder

    scenes = {"all": (BEFORE, AFTER), "text": only(TEXT)}
    options = {
        "plain": [], "no prefix": ["--no-prefix"], "other prefixes": ["--src-prefix=was/here/", "--dst-prefix=is/here/"],
        "no context": ["-U0"], "long context": ["-U99"], "full index": ["--full-index"], "binary": ["--binary"],
        "renames": ["-M"], "no renames": ["--no-renames"], "copies": ["-C", "--find-copies-harder"], "rewrites": ["-B"],
        "function context": ["-W"], "patience": ["--patience"], "stat and patch": ["--stat", "-p"], "raw": ["--raw", "-p"],
        "irreversible": ["-D"], "text": ["--text"], "mnemonic": ["-c:diff.mnemonicPrefix=true"], "relative": ["--relative"],
        "interhunk": ["--inter-hunk-context=9"], "word-like hunks": ["-c:diff.suppressBlankEmpty=true"],
    }
    for scene, (before, after) in scenes.items():
        folder = repository(before, after)
        for name, args in options.items():
            if name == "irreversible" and scene == "all":
                continue
            config = [a[3:] for a in args if a.startswith("-c:")]
            args = [a for a in args if not a.startswith("-c:")]
            command = ["git", *(x for c in config for x in ("-c", c)), "diff", *args, "HEAD~1", "HEAD"]
            diff = run(folder, *command)
            sides = (before, after)
            expected = changed(before, after)
            if name in ("plain", "renames", "copies", "rewrites") or "-M" in args or not {"--no-renames"} & set(args):
                expected = [p for p in expected if p != "src/old name.py"]
            if name == "irreversible":
                zoo.check(f"git {scene} {name}", diff, *sides, expected=expected)
                continue
            zoo.check(f"git {scene} {name}", diff, *sides, expected=expected)
        expected = [p for p in changed(before, after) if p != "src/old name.py"]
        for name, command in {
            "log": ["log", "-p", "-1"], "log oneline": ["log", "-p", "-1", "--oneline"], "log reverse": ["log", "-p", "-1", "--reverse"],
            "log empty format": ["log", "-p", "-1", "--format="], "log raw": ["log", "-p", "-1", "--format=raw"],
            "log fuller": ["log", "-p", "-1", "--format=fuller"], "log email": ["log", "-p", "-1", "--format=email"],
            "show": ["show"], "show stat": ["show", "--stat", "-p"], "format-patch": ["format-patch", "--stdout", "-1"],
            "format-patch attach": ["format-patch", "--stdout", "-1", "--attach"], "format-patch inline": ["format-patch", "--stdout", "-1", "--inline"],
            "format-patch no stat": ["format-patch", "--stdout", "-1", "--no-stat", "-N"],
            "diff-tree": ["diff-tree", "-p", "-M", "HEAD"], "diff-tree no id": ["diff-tree", "-p", "-M", "--no-commit-id", "-r", "HEAD"],
        }.items():
            zoo.check(f"git {scene} {name}", run(folder, "git", *command), before, after, expected=expected)

    # Several commits over the same files, in every order and dress.
    folder = Path(tempfile.mkdtemp(dir=zoo.home))
    run(folder, "git", "init", "-q", "-b", "main")
    steps = [
        {"a.py": "one\ntwo\nthree\n", "b.py": "x\n"},
        {"a.py": "one\n2\nthree\n", "b.py": "x\n"},
        {"a.py": "one\n2\nthree\nfour\nbad(1)\n", "c.py": "x\n"},
        {"a.py": "zero\none\n2\nthree\nfour\nbad(1)\n", "c.py": "x\ny\n"},
    ]
    for n, files in enumerate(steps):
        clear(folder)
        write(folder, files)
        run(folder, "git", "add", "-A")
        run(folder, "git", "commit", "-q", "-m", f"step {n}")
    first, last = steps[0], steps[-1]
    for name, command in {
        "log": ["log", "-p"], "log reverse": ["log", "-p", "--reverse"], "log oneline": ["log", "-p", "--oneline"],
        "log oneline reverse": ["log", "-p", "--oneline", "--reverse"], "log empty": ["log", "-p", "--format="],
        "log empty reverse": ["log", "-p", "--format=", "--reverse"], "log own": ["log", "-p", "--format=== %h by %an =="],
        "log raw": ["log", "-p", "--format=raw"], "log email": ["log", "-p", "--format=email"], "log no renames": ["log", "-p", "--no-renames"],
        "format-patch": ["format-patch", "--stdout"], "format-patch thread": ["format-patch", "--stdout", "--thread", "--cover-letter"],
        "show": ["show"],
    }.items():
        revisions = ["HEAD", "HEAD~1", "HEAD~2"] if command[0] == "show" else ["HEAD~3.." if command[0] == "format-patch" else "HEAD~3..HEAD"]
        expected = ["a.py", "c.py"] if "--no-renames" not in command else ["a.py", "b.py", "c.py"]
        zoo.check(f"git series {name}", run(folder, "git", *command, *revisions), first, last, expected=expected)

    # Links, modes, submodules, swapped names.
    links = {
        "link added": ({"a.py": "x\n"}, {"a.py": "x\n", "l": ("link", "a.py")}),
        "link removed": ({"a.py": "x\n", "l": ("link", "a.py")}, {"a.py": "x\n"}),
        "link renamed": ({"a.py": "x\n", "l": ("link", "a.py")}, {"a.py": "x\n", "m": ("link", "a.py")}),
        "link retargeted": ({"a.py": "x\n", "b.py": "x\n", "l": ("link", "a.py")}, {"a.py": "x\n", "b.py": "x\n", "l": ("link", "b.py")}),
        "link becomes a file": ({"a.py": "x\n", "l": ("link", "a.py")}, {"a.py": "x\n", "l": "bad(1)\n"}),
        "file becomes a link": ({"a.py": "x\n", "l": "y\n"}, {"a.py": "x\n", "l": ("link", "a.py")}),
        "names swapped": ({"a.py": "".join(f"a {n}\n" for n in range(30)), "b.py": "".join(f"b {n}\n" for n in range(30))},
                          {"b.py": "".join(f"a {n}\n" for n in range(30)), "a.py": "".join(f"b {n}\n" for n in range(30))}),
        "names in a ring": ({f"{c}.py": "".join(f"{c} {n}\n" for n in range(30)) for c in "abc"},
                            {f"{'bca'['abc'.index(c)]}.py": "".join(f"{c} {n}\n" for n in range(30)) for c in "abc"}),
        "strange names": ({"a \"b\".py": "x\n", "h\u00e4fen\t1.py": "x\n", "-x.py": "x\n", "a b/c d.py": "x\n"},
                          {"a \"b\".py": "bad(1)\n", "h\u00e4fen\t1.py": "y\n", "-x.py": "y\n", "a b/c d.py": "y\n", "b/b/b": "y\n", "a/a.py": "y\n"}),
    }
    for name, (before, after) in links.items():
        folder = repository(before, after)
        for args in ([], ["-M", "-B"], ["--no-prefix"], ["-U0"], ["--no-renames"]):
            diff = run(folder, "git", "diff", *args, "HEAD~1", "HEAD")
            expected = changed(before, after)
            if name == "link renamed" and args != ["--no-renames"]:
                expected = ["m"]
            zoo.check(f"git {name} {' '.join(args)}", diff, before, after, expected=expected)

    # Without a repository.
    for scene, (before, after) in scenes.items():
        folder = Path(tempfile.mkdtemp(dir=zoo.home))
        for side, files in (("x.orig", before), ("x", after)):
            (folder / side).mkdir()
            write(folder / side, files)
        expected = [p for p in changed(before, after) if p != "src/old name.py"]
        for name, args in {"no-index": [], "no-index no prefix": ["--no-prefix"]}.items():
            diff = run(folder, "git", "diff", "--no-index", *args, "x.orig", "x", ok=(0, 1))
            zoo.check(f"git {scene} {name}", diff, before, after, expected=expected)


def submodule_forms(zoo):
    folder = Path(tempfile.mkdtemp(dir=zoo.home))
    run(folder, "git", "init", "-q", "-b", "main")
    write(folder, {"a.py": "x\n"})
    run(folder, "git", "add", "-A")
    run(folder, "git", "commit", "-q", "-m", "one")
    one = run(folder, "git", "rev-parse", "HEAD").decode().strip()
    run(folder, "git", "commit", "-q", "--allow-empty", "-m", "two")
    two = run(folder, "git", "rev-parse", "HEAD").decode().strip()
    def commit(entry):
        run(folder, "git", "rm", "-q", "--cached", "--ignore-unmatch", "-r", "lib")
        if entry:
            run(folder, "git", "update-index", "--add", "--cacheinfo", entry)
        run(folder, "git", "commit", "-q", "--allow-empty", "-m", "x")
        return run(folder, "git", "rev-parse", "HEAD").decode().strip()
    blob = run(folder, "git", "hash-object", "-w", "--stdin", text=b"bad(1)\n").decode().strip()
    states = {"none": commit(None), "one": commit(f"160000,{one},lib"), "two": commit(f"160000,{two},lib"), "file": commit(f"100644,{blob},lib")}
    tree = {"none": {}, "one": {}, "two": {}, "file": {"lib": "bad(1)\n"}}
    for old in states:
        for new in states:
            if old == new:
                continue
            for args in ([], ["--submodule=log"], ["--submodule=short"], ["-U0"]):
                diff = run(folder, "git", "diff", *args, states[old], states[new])
                both = {"a.py": "x\n"}
                zoo.check(f"git submodule {old} to {new} {' '.join(args)}", diff, {**both, **tree[old]}, {**both, **tree[new]}, expected=["lib"])
    dirty = run(folder, "git", "diff", states["one"], states["two"]).replace(two.encode(), one.encode() + b"-dirty")
    zoo.check("git submodule dirty", dirty, {"a.py": "x\n"}, {"a.py": "x\n"}, expected=["lib"])


def plain_forms(zoo):
    before, after = only([*TEXT, "lib/data.bin"])
    after["src/deep/er.py"] = "bad(4)\n"
    folder = Path(tempfile.mkdtemp(dir=zoo.home))
    for pair in (("x.orig", "x"), ("a", "b"), ("old/v1", "new/v2"), ("before", "after")):
        for side, files in zip(pair, (before, after)):
            (folder / side).mkdir(parents=True, exist_ok=True)
            clear(folder / side)
            write(folder / side, files)
        for name, args in {"ruN": ["-ruN"], "ruN no context": ["-rN", "-U0"], "ruNp": ["-ruNp"], "ruNa": ["-ruNa"], "ru": ["-ru"]}.items():
            diff = run(folder, "diff", *args, *pair, ok=(0, 1, 2))
            expected = changed(before, after)
            if "N" not in args[0]:
                expected = [p for p in expected if p in before and p in after]
                zoo.check(f"diff {name} {pair[0]}", diff, {p: c for p, c in before.items() if p in after}, {p: c for p, c in after.items() if p in before}, expected=expected)
                continue
            zoo.check(f"diff {name} {pair[0]}", diff, before, after, expected=expected)
            # Programs that leave the times out.
            bare = b"\n".join(l.split(b"\t")[0] if l.startswith((b"--- ", b"+++ ")) and b"\t" in l else l for l in diff.split(b"\n"))
            text_before = {p: c for p, c in before.items() if c != ""}
            zoo.check(f"diff {name} {pair[0]} without times", bare, text_before, {p: c for p, c in after.items() if c != ""}, expected=expected)
    # One file, kept under another name.
    (folder / "q.py.orig").write_text("a\nb\n")
    (folder / "q.py").write_text("a\nbad(1)\n")
    diff = run(folder, "diff", "-u", "q.py.orig", "q.py", ok=(0, 1))
    zoo.check("diff of a kept copy", diff, {"q.py": "a\nb\n"}, {"q.py": "a\nbad(1)\n"})
    for label in ((b"(nonexistent)", b"(working copy)"), (b"(revision 0)", b"(revision 7)")):
        diff = b"Index: src/n.py\n" + b"=" * 67 + b"\n--- src/n.py\t" + label[0] + b"\n+++ src/n.py\t" + label[1] + b"\n@@ -0,0 +1 @@\n+bad(1)\n"
        zoo.check(f"new file {label[0].decode()}", diff, {"a.py": "x\n"}, {"a.py": "x\n", "src/n.py": "bad(1)\n"})


def svn_forms(zoo):
    before, after = only([*TEXT, "lib/data.bin", "src/old name.py", "src/new name.py"])
    store, folder = Path(tempfile.mkdtemp(dir=zoo.home)), Path(tempfile.mkdtemp(dir=zoo.home))
    run(store, "svnadmin", "create", "repo")
    svn = lambda *a, ok=(0,): run(folder, "svn", "--non-interactive", "--config-dir", str(store / "config"), *a, ok=ok)
    svn("checkout", "-q", f"file://{store}/repo", ".")
    write(folder, before)
    svn("add", "-q", "--force", ".")
    svn("commit", "-q", "-m", "before")
    for path in set(before) - set(after):
        if path != "src/old name.py":
            svn("rm", "-q", path)
    svn("mv", "-q", "src/old name.py", "src/new name.py")
    write(folder, after)
    svn("add", "-q", "--force", ".")
    svn("propset", "-q", "svn:eol-style", "native", "src/tide.py")
    svn("propset", "-q", "note", "one\ntwo\n", "docs/read me.txt")
    svn("propset", "-q", "svn:ignore", "*.pyc", "src")
    both = {p for p in before if before[p] == after.get(p)}
    # Properties of a folder are told like those of a file.
    expected = sorted({*changed(before, after), "docs/read me.txt", "src"})
    for name, args in {"working copy": [], "show copies": ["--show-copies-as-adds"], "no context": ["-x", "-U0"], "ignore properties": ["--ignore-properties"], "git": ["--git"], "git copies": ["--git", "--show-copies-as-adds"]}.items():
        diff = svn("diff", *args)
        wanted = [p for p in expected if p not in ("docs/read me.txt", "src") or "--ignore-properties" not in args]
        if "--show-copies-as-adds" not in args:
            # The old name stands beside the new one, which shows what differs from it only.
            if "--git" not in args:
                continue
        zoo.check(f"svn {name}", diff, before, after, expected=wanted)
    svn("commit", "-q", "-m", "after")
    svn("update", "-q")
    for name, args in {"revisions": ["-r", "1:2"], "change": ["-c", "2"], "summary of a revision, git": ["--git", "-r", "1:2"]}.items():
        zoo.check(f"svn {name}", svn("diff", "--show-copies-as-adds", *args), before, after, expected=expected)


def hg_repository(zoo):
    folder = Path(tempfile.mkdtemp(dir=zoo.home))
    run(folder, "hg", "init")
    return folder, lambda *a: run(folder, "hg", *a)


def hg_history(zoo, before, after):
    """Mercurial in a repository of two revisions."""
    folder, hg = hg_repository(zoo)
    for files, message in ((before, "before"), (after, "after")):
        clear(folder)
        write(folder, files)
        hg("addremove", "-q", "--similarity", "60")
        hg("commit", "-q", "-m", message, "-d", "0 0")
    return hg


def hg_forms(zoo):
    before, after = BEFORE, AFTER
    before, after = ({p: c for p, c in side.items() if p != "turns"} for side in (before, after))
    hg = hg_history(zoo, before, after)
    everything = changed(before, after)
    renamed = [p for p in everything if p != "src/old name.py"]
    for name, args in {"git": ["--git"], "git no context": ["--git", "-U0"], "git dates": ["--git", "-p"]}.items():
        zoo.check(f"hg {name}", hg("diff", *args, "-r", "0", "-r", "1"), before, after, expected=renamed)
    zoo.check("hg export git", hg("export", "--git", "1"), before, after, expected=renamed)
    zoo.check("hg log git", hg("log", "-p", "--git", "-r", "1"), before, after, expected=renamed)
    # Its own form can tell of links and binary files only by name, and of empty files not at all.
    text_before, text_after = ({p: c for p, c in side.items() if p in TEXT and c != "" or "name.py" in p} for side in (before, after))
    hg = hg_history(zoo, text_before, text_after)
    everything = changed(text_before, text_after)
    for name, args in {"plain": [], "no dates": ["--nodates"], "no context": ["-U0"], "no prefix": ["--noprefix"]}.items():
        if name == "no prefix":
            args = ["--git", "--config", "diff.noprefix=True"]
        zoo.check(f"hg {name}", hg("diff", *args, "-r", "0", "-r", "1"), text_before, text_after, expected=everything if "--git" not in args else [p for p in everything if p != "src/old name.py"])
    zoo.check("hg export", hg("export", "1"), text_before, text_after, expected=everything)
    zoo.check("hg log", hg("log", "-p", "-r", "1"), text_before, text_after, expected=everything)
    # A series over one file.
    folder, hg = hg_repository(zoo)
    steps = ["one\ntwo\n", "one\n2\n", "one\n2\nbad(1)\n", "zero\none\n2\nbad(1)\n"]
    for n, text in enumerate(steps):
        write(folder, {"a.py": text})
        hg("commit", "-q", "-A", "-m", f"step {n}", "-d", f"{n} 0")
    pair = ({"a.py": steps[0]}, {"a.py": steps[-1]})
    for name, args in {"log": ["log", "-p", "-r", "3:1"], "log forwards": ["log", "-p", "-r", "1:3"], "export": ["export", "1", "2", "3"], "log git": ["log", "-p", "--git", "-r", "3:1"], "log one line": ["log", "-p", "-r", "3:1", "--template", "{rev} {desc}\\n"]}.items():
        zoo.check(f"hg series {name}", hg(*args), *pair)


def dressed(zoo):
    """Line ends, quoting and dashes that mailers, editors and tickets put around diffs."""
    before, after = {"a.py": "one\ntwo\n", "b.py": "x\n"}, {"a.py": "one\nbad(1)\n", "b.py": "y\n"}
    diff = b"diff --git a/a.py b/a.py\n--- a/a.py\n+++ b/a.py\n@@ -1,2 +1,2 @@\n one\n-two\n+bad(1)\ndiff --git a/b.py b/b.py\n--- a/b.py\n+++ b/b.py\n@@ -1 +1 @@\n-x\n+y\n"
    zoo.check("CR LF everywhere", diff.replace(b"\n", b"\r\n"), before, after)
    zoo.check("no last line end", diff[:-1], before, after)
    zoo.check("prose around", b"Dear harbour,\n\n" + diff + b"-- \nthe quay\n", before, after)
    zoo.check("a signature of dashes", diff + b"--\nquay\n", before, after)
    zoo.check("a header that contradicts the names", diff.replace(b"--- a/a.py", b"--- a/c.py", 1), before, after)
    zoo.check("empty lines between", diff.replace(b"diff --git a/b", b"\n\ndiff --git a/b"), before, after)
    named = b"Binary file x.bin has changed\n"
    zoo.check("only named", diff + named, {**before, "x.bin": b"\0"}, {**after, "x.bin": b"\0\0"})


def main():
    program, keep = sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else None
    if keep:
        Path(keep).mkdir(parents=True, exist_ok=True)
    zoo = Zoo(program, keep)
    try:
        for forms in (git_forms, submodule_forms, plain_forms, svn_forms, hg_forms, dressed):
            forms(zoo)
    finally:
        shutil.rmtree(zoo.home, ignore_errors=True)
    for line in zoo.wrong:
        print(line)
    print(f"{zoo.right} right, {len(zoo.wrong)} wrong")
    return 1 if zoo.wrong else 0


if __name__ == "__main__":
    sys.exit(main())
