//! What names of a file stand for, by tables.

use super::*;
use crate::lang::parse;

/// What names stand for, by the ways in which languages import them. Long because it is a table.
#[test]
fn names_stand_for_what_is_imported() {
    let cases = [
        ("python", "import subprocess as sp\n", "sp.run", "subprocess.run"),
        ("python", "import os.path as p, sys\n", "p.join", "os.path.join"),
        ("python", "def f():\n    from subprocess import (run, Popen as P)\n", "run", "subprocess.run"),
        ("python", "from subprocess import (run, Popen as P)\n", "P.wait", "subprocess.Popen.wait"),
        ("python", "from . import quay\n", "quay.book", "..quay.book"),
        ("python", "import subprocess\n", "subprocess.run", "subprocess.run"),
        ("python", "from a import *\n", "run", "run"),
        ("python", "import requests as r\ns = r.Session()\n", "s.get", "requests.Session().get"),
        ("python", "def f(self):\n    self.s = requests.Session()\n", "self.s.get", "requests.Session().get"),
        ("python", "with requests.Session() as s:\n    s\n", "s.get", "requests.Session().get"),
        ("python", "s = requests.Session()\ns = other\n", "s.get", "s.get"),
        ("python", "s = requests.Session()\nt = s.get()\n", "t.json", "requests.Session().get().json"),
        ("python", "import os\na = os.system\nb = a\nc = b\n", "c", "os.system"),
        ("python", "a = b\nb = a\n", "a", "a"),
        ("python", "a = a.strip()\n", "a", "a.strip()"),
        ("python", "import os\nrun = os.system\n", "run", "os.system"),
        ("python", "run = os.system\nrun = quay\n", "run", "run"),
        ("python", "", "__import__('os').system", "os.system"),
        ("python", "", "__import__( 'os' ).system", "os.system"),
        ("python", "", "importlib.import_module('os').system", "os.system"),
        ("python", "m = __import__('os')\n", "m.system", "os.system"),
        ("python", "m = importlib.import_module('os.path')\n", "m.join", "os.path.join"),
        ("python", "m = __import__('os').path\n", "m.join", "os.path.join"),
        ("javascript", "const cp = await import('child_process');", "cp.exec", "child_process.exec"),
        ("javascript", "const { exec: e } = await import(/* low */ 'child_process');", "e", "child_process.exec"),
        ("javascript", "const e = (await import('child_process')).exec;", "e", "child_process.exec"),
        ("javascript", "const e = await fetch('fs');", "e.rm", "e.rm"),
        ("java", "import java./* low */util\n  .Random;\n", "Random", "java.util.Random"),
        ("rust", "use std::/* low */process::Command;", "Command::new", "std::process::Command::new"),
        ("javascript", "const run = eval;", "run", "eval"),
        ("javascript", "", "require(\"node:fs\").rm", "fs.rm"),
        ("javascript", "", "await import('fs').rm", "fs.rm"),
        ("javascript", "const agent = new https.Agent({});", "agent", "https.Agent()"),
        ("javascript", "import { exec as run } from 'node:child_process';", "run", "child_process.exec"),
        ("javascript", "import * as cp from \"child_process\";", "cp.exec", "child_process.exec"),
        ("typescript", "import fs, { rm } from 'fs';", "fs.rm", "fs.rm"),
        ("typescript", "import fs, { rm } from 'fs';", "rm", "fs.rm"),
        ("javascript", "const { exec, spawn: s } = require('child_process');", "s", "child_process.spawn"),
        ("javascript", "const { exec, spawn: s } = require('child_process');", "exec", "child_process.exec"),
        ("javascript", "const run = require('child_process').exec;", "run", "child_process.exec"),
        ("javascript", "const fs = need('fs');", "fs", "need()"),
        ("go", "package a\nimport \"math/rand\"\n", "rand.Int", "math/rand.Int"),
        ("go", "package a\nimport (\n\tr \"math/rand/v2\"\n\t\"quay/v3\"\n)\n", "r.Int", "math/rand/v2.Int"),
        ("go", "package a\nimport (\n\tr \"math/rand/v2\"\n\t\"quay/v3\"\n)\n", "quay.Book", "quay/v3.Book"),
        ("java", "import java.util.Random;\n", "Random", "java.util.Random"),
        ("java", "import java.util.*;\n", "Random", "Random"),
        ("c", "#define A B\n#ifdef X\n#define B system\n#endif\n", "A", "system"),
        ("c", "#define B f(1)\n", "B", "B"),
        ("c", "int (*run)(const char *) = &system;\n", "run", "system"),
        ("c", "void f(void) {\n  int (*run)(const char *);\n  run = system;\n}\n", "run", "system"),
        ("cpp", "namespace a {\nvoid f() { auto run = std::system; }\n}\n", "run", "std::system"),
        ("rust", "use std::{fs::{self, write as put}, io};", "put", "std::fs::write"),
        ("rust", "use std::{fs::{self, write as put}, io};", "fs::rename", "std::fs::rename"),
        ("rust", "use std::process::Command;", "Command::new", "std::process::Command::new"),
    ];
    for (language, source, code, expected) in cases {
        let language = Language::by_name(language).expect("a language");
        let tree = parse(source.as_bytes(), language).expect("it is small");
        let imports = Imports::of(tree.root_node(), source.as_bytes(), language);
        assert_eq!(String::from_utf8_lossy(&imports.path_of(code.as_bytes())), expected, "{source}");
        let is_expected = |path: &[u8]| path == expected.as_bytes();
        assert!(imports.may_be(code.as_bytes(), source.len().saturating_sub(4), || true, is_expected), "{source}");
    }
}

/// An assignment or an import in one function hides nothing in another.
#[test]
fn names_may_still_be_what_they_say() {
    // The code is where the sign is; what begins with `!` isn't among what it may be.
    let hidden = [
        ("python", "import os\n«\ndef f():\n    os = quay()\n", "os.system", "os.system"),
        ("python", "«\ndef f():\n    eval = quay()\n", "eval", "eval"),
        ("python", "«\ndef f():\n    from quay import eval\n", "eval", "eval"),
        ("python", "«\nfrom quay import eval\n", "eval", "!eval"),
        ("python", "from os import system as run\n«\ndef f():\n    from quay import moor as run\n", "run", "os.system"),
        ("python", "def f():\n    run = eval\n    «\ndef g():\n    run = quay\n", "run", "eval"),
        ("python", "def f():\n    run = eval\ndef g():\n    «\n    run = quay\n", "run", "!eval"),
        ("python", "run = eval\ndef f():\n    def g():\n        «\n    run = quay\n", "run", "eval"),
        (
            "python",
            "class A:\n    def f(self):\n        self.s = None\n        self.s = r.S()\n    def g(self):\n        «\n",
            "self.s.get",
            "r.S().get",
        ),
        ("python", "def f():\n    global run\n    run = eval\ndef g():\n    «\n", "run", "eval"),
        ("javascript", "let run;\nfunction f() {\n  run = eval;\n}\nfunction g() {\n  «\n}\n", "run", "eval"),
        ("javascript", "function f() {\n  const run = eval;\n}\nfunction g() {\n  «\n}\n", "run", "!eval"),
        ("python", "if (run := eval):\n    «\n", "run", "eval"),
        ("python", "def f():\n    a = b\n    b = a\n    «\n", "a", "a"),
        (
            "javascript",
            "import { exec as run } from 'child_process';\n«\nfunction f() {\n  const { run } = require('quay');\n}",
            "run",
            "child_process.exec",
        ),
        ("javascript", "later(() => {\n  const run = eval;\n  «\n});\n", "run", "eval"),
        ("c", "void f(void) { run = system; « }\nvoid g(void) { run = quay; }\n", "run", "system"),
    ];
    for (language, source, code, expected) in hidden {
        let language = Language::by_name(language).expect("a language");
        let (source, at) = (source.replace('«', "x;"), source.find('«').expect("a place"));
        let tree = parse(source.as_bytes(), language).expect("it is small");
        let imports = Imports::of(tree.root_node(), source.as_bytes(), language);
        let is_expected = |path: &[u8]| path == expected.trim_start_matches('!').as_bytes();
        let found = imports.may_be(code.as_bytes(), at, || true, is_expected);
        assert_eq!(found, !expected.starts_with('!'), "{source}");
    }
}
