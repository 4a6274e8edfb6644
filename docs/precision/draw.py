#!/usr/bin/env python3
"""Draws findings of the shipped packs for judging.

    docs/precision/draw.py FOLDER OUTPUT [--each 30] [--swage target/release/swage]

FOLDER holds a folder for each package, and in it one for each of its releases, named by its version. Each pair of
consecutive releases is compared as a change with all packs on. Of the new findings of each pack that has any, a sample is
drawn with a fixed seed and written to OUTPUT as JSON lines with the code around each. Packs that found fewer new ones than
are wanted get the rest from what they find in the newest release of each package as it stands. A judge adds `"verdict"`
to each: `useful`, `useless` (true, and nobody would act on it) or `false`. Then

    docs/precision/draw.py --table OUTPUT

prints the tables of docs/precision.md.
"""

import argparse
import collections
import json
import pathlib
import random
import re
import subprocess
import sys
import tempfile

SEED = 20261123
# Most findings of one rule in one package, so that no package speaks for all: of changes, and of whole releases.
MOST_ALIKE = {"change": 5, "whole": 2}
# A release is no change that somebody offers in one piece.
NOT_OF_RELEASES = {"large-change"}
# What these say can't be judged in an archive that leaves tests out.
NEEDS_TESTS = {"code-without-tests"}


def ships_tests(release):
    tests = (path for path in release.rglob("*") if "test" in path.name.lower() and path.is_file())
    return sum(1 for _ in zip(range(10), tests)) == 10


def lines_around(release, finding, context=3):
    """The code of a finding, for those of whole releases, which come without."""
    anchor = finding["anchor"] or {}
    path, line = anchor.get("path"), anchor.get("start_line")
    if not path or not line or finding["excerpt"]:
        return finding["excerpt"]
    lines = (release / path).read_text(encoding="utf-8", errors="replace").splitlines()
    first = max(0, line - 1 - context)
    return [{"text": text} for text in lines[first : anchor["end_line"] + context]]


def version(path):
    return [int(part) for part in re.findall(r"\d+", path.name)]


def packs(swage):
    """The rules of each pack, by the pages that the program makes."""
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run([swage, "rules", "pages", folder], check=True, stdout=subprocess.DEVNULL)
        pages = [page for page in sorted(pathlib.Path(folder).iterdir()) if page.stem != "README"]
        return {rule: page.stem for page in pages for rule in re.findall(r"^## ([a-z0-9-]+)$", page.read_text(), re.M)}


def report(swage, config, *arguments):
    command = [swage, *map(str, arguments), "--config", str(config), "--format", "json"]
    return json.loads(subprocess.run(command, capture_output=True, check=True).stdout)["findings"]


def findings(swage, folder, rules):
    """By where they come from and by pack: the new findings over all pairs of releases, and all of the newest ones."""
    found = {"change": collections.defaultdict(list), "whole": collections.defaultdict(list)}

    def keep(origin, all_of_them, release, skipped):
        for finding in all_of_them:
            if finding["state"] == "new" and finding["rule"] in rules.keys() - skipped:
                finding["package"], finding["release"] = release.parent.name, release.name
                finding["excerpt"] = lines_around(release, finding)
                found[origin][rules[finding["rule"]]].append(finding)

    with tempfile.TemporaryDirectory() as temporary:
        config = pathlib.Path(temporary, "swage.toml")
        names = sorted(set(rules.values()) - {"allowances"})
        config.write_text(f"packs = {json.dumps(names)}\n")
        for package in sorted(folder.iterdir()):
            releases = sorted(package.iterdir(), key=version)
            for old, new in zip(releases, releases[1:]):
                skipped = NOT_OF_RELEASES | (set() if ships_tests(new) else NEEDS_TESTS)
                keep("change", report(swage, config, "compare", old, new), new, skipped)
            keep("whole", report(swage, config, "scan", "--tree", releases[-1]), releases[-1], NOT_OF_RELEASES)
    return found


def draw(arguments):
    rules = packs(arguments.swage)
    found = findings(arguments.swage, pathlib.Path(arguments.folder), rules)
    with open(arguments.output, "w", encoding="utf-8") as out:
        for pack in sorted(set(found["change"]) | set(found["whole"])):
            chosen = 0
            for origin, most_alike in MOST_ALIKE.items():
                all_of_pack = found[origin][pack]
                all_of_pack.sort(key=lambda f: (f["package"], f["release"], f["key"]))
                random.Random(SEED).shuffle(all_of_pack)
                taken = collections.Counter()
                for finding in all_of_pack:
                    kind = finding["package"], finding["rule"]
                    taken[kind] += 1
                    if taken[kind] > most_alike or chosen >= arguments.each:
                        continue
                    chosen += 1
                    keys = ("package", "release", "rule", "message", "anchor", "related", "excerpt")
                    row = {"pack": pack, "of": len(all_of_pack), "from": origin, **{key: finding[key] for key in keys}}
                    out.write(json.dumps(row) + "\n")


def table(path):
    rows = [json.loads(line) for line in open(path, encoding="utf-8")]
    for title, key in (("pack", "pack"), ("rule", "rule")):
        counts = collections.defaultdict(collections.Counter)
        for row in rows:
            counts[row[key]][row["verdict"]] += 1
        print(f"| {title} | judged | useful | true, useless | false |\n|---|---|---|---|---|")
        for name, count in sorted(counts.items()):
            cells = [sum(count.values()), count["useful"], count["useless"], count["false"]]
            print(f"| `{name}` | " + " | ".join(map(str, cells)) + " |")
        print()


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--table", metavar="OUTPUT", help="print the tables of a judged sample")
    parser.add_argument("--each", type=int, default=30, help="most findings of a pack (30)")
    parser.add_argument("--swage", default="target/release/swage", help="the program")
    parser.add_argument("folder", nargs="?")
    parser.add_argument("output", nargs="?")
    arguments = parser.parse_args()
    if arguments.table:
        table(arguments.table)
    elif arguments.folder and arguments.output:
        draw(arguments)
    else:
        parser.error("give FOLDER and OUTPUT, or --table OUTPUT")


if __name__ == "__main__":
    sys.exit(main())
