//! Whether a program made a file, or it was released elsewhere, recognised by its contents: rules that skip such files leave it
//! alone, and the result names it, so that nothing is left out in silence.

use std::sync::LazyLock;

use regex::bytes::Regex;

use crate::lang::Language;

/// A length of lines, in bytes, that nobody writes by hand.
const LONG_LINE: usize = 400;

/// How much of a file's beginning is looked at.
const HEAD: usize = 1024;

/// How much of its end.
const TAIL: usize = 400;

/// Whether a program seems to have made a file: it says so at its beginning, it was put together or compiled from other
/// files, or it is packed into lines that nobody writes.
pub(crate) fn looks_generated(content: &[u8], language: Option<&'static Language>) -> bool {
    // Text of no known language isn't judged.
    let Some(language) = language else { return false };
    let head = &content[..content.len().min(HEAD)];
    let tail = &content[content.len().saturating_sub(TAIL)..];
    // Only these are bundled or packed.
    let script = matches!(language.name, "javascript" | "typescript" | "tsx" | "css");
    says_so(head)
        || language.name == "html" && has_generator(content)
        || matches!(language.name, "c" | "cpp" | "javascript" | "css") && is_released_source(head)
        || script && (is_released(head) || is_bundled(head) || joins_modules(content) || has(tail, b"sourceMappingURL=") || is_compiled(head, content))
        // Prose may well have a paragraph in a line.
        || !matches!(language.name, "markdown" | "json" | "yaml" | "toml") && has_long_lines(content)
}

/// What programs write at the top of what they make.
fn says_so(head: &[u8]) -> bool {
    static WORDS: LazyLock<Option<Regex>> = LazyLock::new(|| {
        // What is generated must be the file, and not what it is about.
        let words = r"(?i-u)(?:(?:^|[^\w\s])\s*|\b(?:code|file|is|was|been|implementation|lexer|parser) +)generated (?:by|from) |@generated|auto[- ]?generated|automatically generated|do not edit";
        Regex::new(words).ok()
    });
    // Only the very first lines describe the file as a whole.
    let end = memchr::memchr_iter(b'\n', head).nth(9).unwrap_or(head.len());
    WORDS.as_ref().is_some_and(|words| words.is_match(&head[..end]))
}

/// A banner that is kept when the file is packed, with the version that it was released as.
fn is_released(head: &[u8]) -> bool {
    let text = head.trim_ascii_start();
    let banner = if text.starts_with(b"/*!") {
        memchr::memmem::find(text, b"*/").map_or(text, |end| &text[..end])
    } else if text.starts_with(b"//!") {
        text.split(|b| *b == b'\n').next().unwrap_or_default()
    } else {
        return false;
    };
    // `3.2`, as part of any version number.
    let version = |w: &[u8]| w[0].is_ascii_digit() && w[1] == b'.' && w[2].is_ascii_digit();
    banner.windows(3).any(version)
}

/// The head of a library that is one file: its version in the first lines, and its licence beside it.
fn is_released_source(head: &[u8]) -> bool {
    static VERSION: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?i-u)\bv[0-9]+\.[0-9]+(\.[0-9]+)?\b|\bis an amalgamation of ").ok());
    static LICENCE: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?i-u)copyright|licen[cs]e|public domain").ok());
    let text = head.trim_ascii_start();
    let comment = text.starts_with(b"/*") || text.starts_with(b"//");
    // The version is in the first lines, the licence may be further down.
    let end = memchr::memchr_iter(b'\n', text).nth(4).unwrap_or(text.len());
    let has = |regex: &Option<Regex>, text: &[u8]| regex.as_ref().is_some_and(|regex| regex.is_match(text));
    comment && has(&VERSION, &text[..end]) && has(&LICENCE, text)
}

/// The head with which programs that put modules together begin: for every way of loading the file, or with their helpers.
fn is_bundled(head: &[u8]) -> bool {
    let start = &head[..head.len().min(400)];
    // People write such heads, too, and put a blank after their `if`.
    let by_hand = has(start, b"if (typeof exports");
    has(start, b"typeof exports") && !by_hand
        || has(head, b"var __create = Object.create;") || has(head, b"var __defProp = Object.defineProperty;")
        // Helpers of compilers, which nobody imports by hand.
        || has(head, b"babel-runtime/helpers/") || has(head, b"@babel/runtime/helpers/")
        || has(start, b"/******/ ")
        // Classes of another language, compiled.
        || has(start, b"Clazz.declarePackage (") || has(start, b"Clazz.load (")
        // What stands in for `require` says so when a module isn't in the bundle.
        || has(head, b"MODULE_NOT_FOUND") && start.starts_with(b"(function")
}

/// What compilers to JavaScript write: how they mark a module, and the helpers that they put into a file.
fn is_compiled(head: &[u8], content: &[u8]) -> bool {
    static HELPERS: LazyLock<Option<Regex>> = LazyLock::new(|| {
        let names = "classCallCheck|createClass|defineProperties|inherits(?:Loose)?|interopRequire(?:Default|Wildcard)|possibleConstructorReturn|toConsumableArray";
        Regex::new(&format!(r"(?-u)\bfunction _(?:{names})\(")).ok()
    });
    has(head, b"(exports, \"__esModule\"")
        || has(head, b"exports.__esModule = true;")
        || has(head, b" = (this && this.__")
        || HELPERS.as_ref().is_some_and(|helpers| helpers.is_match(content))
}

/// Whether several modules with names are in one file, each at the beginning of a line: people write one a file, and without
/// its name (Asynchronous Module Definition, section 1.1).
fn joins_modules(content: &[u8]) -> bool {
    let names_module = |at: usize| {
        // A bundle may have its own object for it: `quay.define(`.
        let line = memchr::memrchr(b'\n', &content[..at]).map_or(0, |end| end + 1);
        let begins =
            content[line..at].strip_suffix(b".").unwrap_or(&content[line..at]).iter().all(u8::is_ascii_alphanumeric);
        begins && matches!(content.get(at + 7..at + 9), Some([b'"' | b'\'', name]) if name.is_ascii_alphanumeric())
    };
    memchr::memmem::find_iter(content, b"define(").filter(|at| names_module(*at)).nth(1).is_some()
}

/// Pages name what made them (HTML Standard, section 4.2.5.1).
fn has_generator(content: &[u8]) -> bool {
    let head = content[..content.len().min(4 * HEAD)].to_ascii_lowercase();
    has(&head, b"name=\"generator\"") || has(&head, b"name='generator'")
}

/// Whether most of a file's bytes are in lines that nobody writes: one long string doesn't make it so.
fn has_long_lines(content: &[u8]) -> bool {
    // In a file this short one line proves nothing.
    if content.len() <= 2 * LONG_LINE {
        return false;
    }
    let (mut start, mut long) = (0, 0);
    for end in memchr::memchr_iter(b'\n', content).chain([content.len()]) {
        let length = end - start;
        long += if length > LONG_LINE { length } else { 0 };
        start = end + 1;
    }
    long > content.len() / 2
}

/// Whether a text contains a word.
fn has(text: &[u8], word: &[u8]) -> bool {
    memchr::memmem::find(text, word).is_some()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn generated_files_are_recognised() {
        let long = format!("a = 1;{}", "b(c);".repeat(300));
        let cases: &[(&str, &str, bool)] = &[
            ("javascript", "export const tide = 1;\n", false),
            ("javascript", "/*!\n * Tides 3.2 (c) ferry line */\nvar a;\n", true),
            ("javascript", "/*! Tides of the line */\nvar a = 3.2;\n", false),
            ("javascript", "//! tides.js 2.0\n;(function () {})();\n", true),
            ("javascript", "var a;\n//# sourceMappingURL=tides.js.map\n", true),
            ("javascript", "\"use strict\";\nObject.defineProperty(exports, \"__esModule\", { value: true });\n", true),
            ("javascript", "\"use strict\";\nexports.__esModule = true;\nvar quay = require(\"./quay\");\n", true),
            ("javascript", "/*! Quays (c) */\nvar __extends = (this && this.__extends) || (function () {})();\n", true),
            ("javascript", "var quay = 1;\nfunction _inheritsLoose(to, from) { to.prototype = from; }\n", true),
            ("javascript", "var quay = 1;\nfunction _berthLoose(to, from) { to.prototype = from; }\n", false),
            ("javascript", "/* parser generated by the timetable 0.4 */\nvar quay = 1;\n", true),
            ("javascript", ";(function (g, f) { typeof exports === 'object' ? f() : 0;\n", true),
            ("javascript", "(function (take) {\n  if (typeof exports == 'object') take(module);\n", false),
            ("javascript", "var __create = Object.create;\nvar __defProp = Object.defineProperty;\n", true),
            ("javascript", "var Tides = (() => {\n  var __create = Object.create;\n", true),
            ("javascript", "import _createClass from \"babel-runtime/helpers/createClass\";\n", true),
            ("javascript", "/******/ (() => { // tides\n", true),
            ("javascript", "Clazz.declarePackage (\"tides\");\nClazz.load (null, \"tides.Quay\", null);\n", true),
            ("javascript", "(function(){function r(e,n){throw a.code=\"MODULE_NOT_FOUND\",a}return r})()({1:[\n", true),
            ("javascript", "const made = Object.create;\nvar tide = 1;\n", false),
            ("javascript", "define(\"quay/a\",[], function () {});\n\ndefine(\"quay/b\",[], function () {});\n", true),
            ("javascript", "define(\"quay/a\", [], function () {});\n", false),
            ("javascript", "a.define('quay/a', [], f);\na.define('quay/b', [], f);\n", true),
            ("javascript", "define([\"quay/b\"], function () {});\ndefine([], function () {});\n", false),
            ("javascript", &long, true),
            ("markdown", &long, false),
            ("c", "/* tides - v2.27 - public domain levels of the tide\n   no warranty */\nint level;\n", true),
            ("c", "/* This file is an amalgamation of many files. Public domain. */\nint level;\n", true),
            (
                "c",
                "/* Copyright the ferry line. Licence: version 2 of the\n   Licence of the line */\nint level;\n",
                false,
            ),
            ("python", "# tides v2.1\n# Copyright the ferry line\nimport os\n", false),
            ("python", "# Generated by the timetable\nROWS = []\n", true),
            ("python", "# This file was generated by the timetable\nROWS = []\n", true),
            ("python", "\"\"\"Reads sailings generated by old timetables.\"\"\"\nROWS = []\n", false),
            ("python", "def made():\n    return 1\n\n\n\n\n\n\n\n\n# generated by hand\n", false),
            ("go", "// Code generated from tides.proto. DO NOT EDIT.\n\npackage tides\n", true),
            ("html", "<!DOCTYPE html>\n<html>\n<head>\n<meta name=\"generator\" content=\"x\">\n", true),
            ("html", "<!DOCTYPE html>\n<html>\n<head>\n<meta name=\"author\" content=\"x\">\n", false),
        ];
        for (language, content, expected) in cases {
            let language = Language::by_name(language).expect("a known language");
            assert_eq!(looks_generated(content.as_bytes(), Some(language)), *expected, "{language:?}: {content}");
        }
    }
}
