//! Comments that are code that was switched off, and those that only look like it.

mod common;

use std::collections::BTreeMap;

use common::{found, rule_saying};
use swage_core::config::packs::PACKS;
use swage_core::lang::{LANGUAGES, Language};

/// A comment in each language, and whether it is code.
#[test]
fn comments_that_are_code() {
    let cases: &[(&str, &[&str], &[&str])] = &[
        (
            "a.py",
            &[
                "# x = load(path)",
                "# for row in rows:\n#     use(row)",
                "# import csv",
                "# return rows[0]",
                "# board.show('text')",
                "# self.show(text)",
                "# if late:\n#     raise Late(boat)",
                "# note = 'it is there for all of us'",
                "# late = True",
                "# box = boat.box",
                "# box(of, two\n# low = -1.35 * tide(1)\n# high = 0.03 * tide(2)",
                "# board.show('text')\nshow(tide)  # the low one",
            ],
            &[
                "# It's the board's own (see show())",
                "# rows = load(path)  # what isn't there yet comes later",
                "# rows = load(path) #Left out since the new table came",
                "# rows = load(path)  # what isn't there yet\n# show(rows)",
                "# https://example.org/quay/35\n# with shards(\n#     rows, format=late\n# ) as rows:",
                "# quay, depth=3, tide=0, level=0,\n# wind=0x80, which is high",
                "# box = (left, top, right, bottom)",
                "# dd = -a",
                "# checker:disable=too-many-branches,protected-access",
                "# x = [[1, 2], [3, 4]]",
                "# wave (not used, but here for later tables of tides)\n# low = -1.35 * tide(1)\n# high = 0.03 * tide(2)",
                "## TODO :: Take the ['low'] from there when it is there.\n#low = load(path, 'low')",
                "# board.show('text')\nshow(tide)  # until the new gauge works everywhere",
                "# the rows = what is shown",
                "# 3 (or 4) of [12",
                "# doesn't matter; load(path) is called later",
                "# The rows, in order.",
                "# Note: keep this",
                "# see load (below)",
                "# type: ignore",
                "# return early",
                "# a, b and c",
                "# 12:30",
                "#!/usr/bin/env python",
                "# -*- coding: utf-8 -*-",
                "# (optional)",
                "# rows first",
                "# transpose()",
                "# math.atan2(-0, x)",
                "# (sin(x), cos(x))",
                "# coding=utf-8",
                "# name=value (optional)",
                "# The rows, as in\n#     rows = load(path)\n# and so on.",
            ],
        ),
        (
            "a.ts",
            &[
                "// const x = load(path);",
                "// if (late) {\n//   warn();\n// }",
                "/* x = 1; */",
                "// import { a } from \"./a\";",
                "// boats.push(boat);",
            ],
            &[
                "// Loads the path; then returns.",
                "// see load(path)",
                "/** const x = load(path); */",
                "// quay-checker: off for the next line",
                "// { }",
                "// e.g. 3 boats; or 4",
                "// TODO later",
                "// a; b",
                "/// <reference path=\"x\" />",
            ],
        ),
        (
            "A.java",
            &["// int x = load(path);", "// private int berths;", "/* warn(boat); */"],
            &["// Loads the path.", "/** int x; */", "// the end;", "// berths; boats"],
        ),
        (
            "a.go",
            &["// x := load(path)", "// if late {\n// \twarn()\n// }"],
            &[
                "// Load loads a path.",
                "//go:build linux",
                "// see Load",
                "// a list (of boats)",
                "// The parts of a ticket:\n//\n//\tpier, berth := split(\"north/4\")\n//\n// Either may be empty.",
            ],
        ),
        (
            "a.rs",
            &["// let x = load(path)?;", "// use std::fs;", "// fn f() {}"],
            &["// Loads the path.", "/// let x = load(path);", "//! let x = 1;", "// SAFETY: it is never null;"],
        ),
        (
            "a.c",
            &[
                "// best = load(path);",
                "/* if (late) {\n   warn(boat);\n} */",
                "// static const unsigned long berths = 12;",
                "/*\n * for (i = 0; i < count; i++)\n *     sum += level[i];\n */",
            ],
            &[
                "// best = level[i] > best ? level[i] : best; // isn't read where the gauge is off",
                "// Loads the path; the caller's copy (if any) is freed.",
                "/* It isn't known whether the gauge's reading (in cm)\n   is above the sill; see level(). */",
                "/*\n * Copyright of the line, all rights reserved;\n * \"as is\", without any warranty.\n */",
                "// the tide;",
                "// }",
                "// (see `level`); 3 m",
                "/** best = load(path); */",
                "struct boat {\n    // unsigned int spare;\n    int berth;\n};",
                "// long moor(int berth, const char *name);",
                "// ```\n// best = load(path);\n// ```",
            ],
        ),
        (
            "a.cpp",
            &["// auto boat = fleet.find(name);", "void f() {\n    // std::vector<int> berths(12);\n}"],
            &["// The fleet's boats; each has a name.", "// so (boats) and (berths);"],
        ),
        (
            "A.cs",
            &["// var boat = fleet.Find(name);", "// if (late) { Warn(boat); }"],
            &["// Finds the boat; it's null when there is none.", "/// <summary>var boat;</summary>"],
        ),
        (
            "a.kt",
            &["// val boat = fleet.find(name)", "// fun warn(boat: Boat) { log(boat) }"],
            &["// Finds the boat (if any)", "/** val boat = fleet.find(name) */"],
        ),
        (
            "a.php",
            &["// $boat = find($name);", "# return $rows[0];"],
            &["// Finds the boat; it's null otherwise.", "/** $boat = find($name); */"],
        ),
        (
            "a.rb",
            &["# boat = fleet.find(name)", "# def warn(boat)\n#   log(boat)\n# end"],
            &["# Finds the boat (or nil)", "# frozen_string_literal: true", "# it's = to the other"],
        ),
        (
            "a.scala",
            &["// val boat = fleet.find(name)", "// def warn(boat: Boat) = log(boat)"],
            &["// Finds the boat (if any)", "/** val boat = fleet.find(name) */"],
        ),
        (
            "a.swift",
            &["// let boat = fleet.find(name)", "// guard let boat = fleet.find(name) else { return }"],
            &["// Finds the boat (if any)", "/// let boat = fleet.find(name)"],
        ),
    ];
    for (path, code, prose) in cases {
        let language = Language::of(path.as_bytes(), b"").expect("a language");
        let keys = format!("languages = ['{}']\nmatch = {{ commented_code = true }}", language.name);
        let rule = rule_saying("m", &keys);
        let around = |comment: &str| match language.name {
            "php" => format!("<?php\n{comment}\n$a = 1;\n"),
            "ruby" => format!("{comment}\na = 1\n"),
            "c" | "cpp" => format!("{comment}\nint a = 1;\n"),
            "csharp" => format!("class A {{\n{comment}\nint a;\n}}\n"),
            "kotlin" | "scala" => format!("{comment}\nval a = 1\n"),
            "swift" => format!("{comment}\nlet a = 1\n"),
            "go" => format!("package p\n\n{comment}\nvar a = 1\n"),
            "java" => format!("class A {{\n{comment}\nint a;\n}}\n"),
            "rust" => format!("{comment}\nstatic A: u8 = 1;\n"),
            "python" => format!("{comment}\na = 1\n"),
            _ => format!("{comment}\nlet a = 1;\n"),
        };
        for (comments, expected) in [(code, 1), (prose, 0)] {
            for comment in *comments {
                let found = found(&rule, path, &around(comment));
                assert_eq!(found.split(", ").filter(|f| !f.is_empty()).count(), expected, "{path}: {comment}");
            }
        }
    }
}

/// Whatever is found is found by its number of lines, and by no other: on the examples of all packs, together and one by one.
#[test]
fn limits_of_lines_share_out_what_is_found() {
    let examples = PACKS.iter().flat_map(|pack| pack.rules()).flat_map(|rule| &rule.examples).flat_map(|e| e.files());
    let mut by_language = BTreeMap::<&str, String>::new();
    for file in examples {
        if let Some(language) = Language::of(file.path.as_bytes(), file.code.as_bytes()) {
            *by_language.entry(language.name).or_default() += &format!("{}\n\n", file.code);
        }
    }
    let mut seen = 0;
    for language in LANGUAGES.iter().filter(|language| !language.code_signs.is_empty()) {
        let Some(code) = by_language.get(language.name) else { continue };
        let path = format!("a.{}", language.extensions[0]);
        let lines = |limits: &str| {
            let rule = rule_saying(
                "m",
                &format!("languages = ['{}']\nmatch = {{ commented_code = true{limits} }}", language.name),
            );
            let found = found(&rule, &path, code);
            found.split(", ").filter(|f| !f.is_empty()).map(str::to_owned).collect::<Vec<_>>()
        };
        let all = lines("");
        let mut parts: Vec<String> = ["max_lines = 1", "min_lines = 2, max_lines = 2", "min_lines = 3"]
            .iter()
            .flat_map(|limits| lines(&format!(", {limits}")))
            .collect();
        assert_eq!(parts.len(), all.len(), "{}", language.name);
        parts.sort_by_key(|place| all.iter().position(|known| known == place));
        assert_eq!(parts, all, "{}", language.name);
        assert!(lines(", min_lines = 201").is_empty(), "{}", language.name);
        seen += all.len();
    }
    assert!(seen > 30, "{seen} comments");
}
