#!/usr/bin/env node
// Holds figures of JavaScript functions against an independent parser: parameters and lines. It needs acorn and acorn-walk:
//
//     npm install --prefix /tmp/parser acorn acorn-walk
//     NODE_PATH=/tmp/parser/node_modules fuzz/references/javascript.mjs target/release/swage FOLDER
//
// Prints how many functions were compared and each that differs; exit code 1 when one does.
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join, relative } from "node:path";

const require = createRequire(join(process.env.NODE_PATH ?? ".", "here.js"));
const acorn = require("acorn");
const walk = require("acorn-walk");

const [program, folder] = process.argv.slice(2);
const rules = ["parameters", "lines"].map((measure) => `[[rule]]
id = "${measure}"
severity = "note"
title = "${measure}"
message = "{value}"
skip_generated = false
languages = ["javascript"]
[rule.match]
measure = "${measure}"
over = 0
`);

/** The figures of each named function by line and name, or null where the parser refuses the file. */
function expected(path) {
  const text = readFileSync(path, "utf8");
  for (const sourceType of ["module", "script"]) {
    try {
      const tree = acorn.parse(text, { ecmaVersion: "latest", sourceType, locations: true, allowHashBang: true, allowReturnOutsideFunction: true });
      const figures = new Map();
      walk.full(tree, (node) => {
        if (node.type === "FunctionDeclaration" && node.id) {
          const lines = node.loc.end.line - node.loc.start.line + 1;
          const place = node.id.loc.start;
          figures.set(`${place.line}:${place.column + 1}`, [node.params.length, lines, node.id.name]);
        }
      });
      return figures;
    } catch {
      // The other kind of source, or none.
    }
  }
  return null;
}

const config = join(mkdtempSync(join(tmpdir(), "references-")), "swage.toml");
writeFileSync(config, rules.join(""));
const command = ["scan", "--tree", folder, "--config", config, "--format", "json", "--no-cache"];
const report = JSON.parse(execFileSync(program, command, { maxBuffer: 2 ** 31 }));
const ours = new Map();
for (const { anchor, rule, figure } of report.findings.filter((finding) => finding.figure)) {
  const place = `${anchor.path}:${anchor.start_line}:${anchor.start_column}`;
  ours.set(place, { ...ours.get(place), [rule]: figure.value });
}

let compared = 0;
let wrong = 0;
for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
  const path = join(entry.parentPath ?? entry.path, entry.name);
  if (!entry.isFile() || !/\.[cm]?js$/.test(entry.name)) continue;
  for (const [place, [parameters, lines, name]] of expected(path) ?? []) {
    const got = ours.get(`${relative(folder, path)}:${place}`);
    if (!got) continue;
    compared += 1;
    if ((got.parameters ?? 0) !== parameters || got.lines !== lines) {
      wrong += 1;
      console.log(`${path}:${place}: ${name}: ${parameters} parameters, ${lines} lines; found ${JSON.stringify(got)}`);
    }
  }
}
console.log(`${compared} functions compared, ${wrong} different`);
process.exit(wrong ? 1 : 0);
