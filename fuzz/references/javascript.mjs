#!/usr/bin/env node
// Holds figures of JavaScript functions against an independent parser: parameters, lines, loops and branches, how deep
// they nest, and where comments stand. It needs acorn and acorn-walk:
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
const MEASURES = ["parameters", "lines", "branches", "nesting"];
const rules = MEASURES.map((measure) => `[[rule]]
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
rules.push(`[[rule]]
id = "comments"
severity = "note"
title = "comments"
message = "comment"
skip_generated = false
languages = ["javascript"]
match = { text = '//|/\\*', zones = ["comment"] }
`);

const DEEPER = /^(IfStatement|SwitchStatement|ConditionalExpression|For(In|Of)?Statement|(Do)?WhileStatement)$/;

/** Loops and branches of a function, those of inner functions aside, and how deep they nest. */
function branching(top) {
  let [count, deepest] = [0, 0];
  const visit = (node, depth, parent) => {
    if (!node || typeof node.type !== "string" || (node !== top && /Function/.test(node.type))) return;
    const isPart = (node.type === "SwitchCase" && node.test) || node.type === "CatchClause"
      || (node.type === "IfStatement" && parent?.type === "IfStatement" && parent.alternate === node);
    const deeper = DEEPER.test(node.type) && !isPart ? 1 : 0;
    count += deeper || isPart ? 1 : 0;
    deepest = Math.max(deepest, depth + deeper);
    for (const child of Object.values(node).flat()) visit(child, depth + deeper, node);
  };
  visit(top, 0, null);
  return [count, deepest];
}

/** The figures of each named function by the place of its name, and the comments; null where the parser refuses the file. */
function expected(path) {
  const text = readFileSync(path, "utf8");
  for (const sourceType of ["module", "script"]) {
    try {
      const comments = [];
      // The line that names an interpreter has a sign of its own.
      const onComment = (_block, _text, from, _end, start, end) => text.startsWith("#!", from) || comments.push({ start, end });
      const tree = acorn.parse(text, { onComment, ecmaVersion: "latest", sourceType, locations: true, allowHashBang: true, allowReturnOutsideFunction: true });
      const figures = new Map();
      walk.full(tree, (node) => {
        if (node.type === "FunctionDeclaration" && node.id) {
          const lines = node.loc.end.line - node.loc.start.line + 1;
          const place = node.id.loc.start;
          // Packed functions have no figures of the other kind.
          const branches = Buffer.byteLength(text.slice(node.start, node.end)) <= 200 * lines ? branching(node) : [];
          figures.set(`${place.line}:${place.column + 1}`, [node.id.name, node.params.length, lines, ...branches]);
        }
      });
      return { figures, comments };
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
// Comments may hold more of their signs; only their beginnings are looked at.
const ourComments = new Map();
for (const { anchor } of report.findings.filter((finding) => finding.rule === "comments")) {
  const places = ourComments.get(anchor.path) ?? [];
  places.push([anchor.start_line, anchor.start_column]);
  ourComments.set(anchor.path, places);
}
const whole = new Set(report.files.filter((file) => file.examined && !file.syntax_errors).map((file) => file.new_path));
const ours = new Map();
for (const { anchor, rule, figure } of report.findings.filter((finding) => finding.figure)) {
  const place = `${anchor.path}:${anchor.start_line}:${anchor.start_column}`;
  ours.set(place, { ...ours.get(place), [rule]: figure.value });
}

let compared = 0;
let counted = 0;
let wrong = 0;
for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
  const path = join(entry.parentPath ?? entry.path, entry.name);
  if (!entry.isFile() || !/\.[cm]?js$/.test(entry.name)) continue;
  const file = relative(folder, path);
  const { figures, comments } = expected(path) ?? { figures: [], comments: [] };
  if (whole.has(file)) {
    const found = ourComments.get(file) ?? [];
    const starts = new Set(found.map((place) => place.join(":")));
    counted += comments.length;
    const lost = comments.filter(({ start }) => !starts.has(`${start.line}:${start.column + 1}`));
    const inside = ([line, column]) => comments.some(({ start, end }) =>
      (line > start.line || (line === start.line && column > start.column))
      && (line < end.line || (line === end.line && column <= end.column)));
    const extra = comments.length || figures.size ? found.filter((place) => !inside(place)) : [];
    for (const place of [...lost.map(({ start }) => [start.line, start.column + 1]), ...extra]) {
      wrong += 1;
      console.log(`${path}:${place.join(":")}: a comment for one of the two only`);
    }
  }
  for (const [place, [name, ...theirs]] of figures) {
    const got = ours.get(`${file}:${place}`);
    if (!got) continue;
    compared += 1;
    if (theirs.some((value, index) => (got[MEASURES[index]] ?? 0) !== value)) {
      wrong += 1;
      console.log(`${path}:${place}: ${name}: ${theirs} (${MEASURES}); found ${JSON.stringify(got)}`);
    }
  }
}
console.log(`${compared} functions and ${counted} comments compared, ${wrong} different`);
process.exit(wrong ? 1 : 0);
