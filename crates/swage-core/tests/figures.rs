//! Figures of definitions, and the zones of a text, where grammars and readers count otherwise.

mod common;

use common::{found, rule, rule_saying};

/// Path, code, measure, and the figures of its functions in order.
#[test]
fn figures_are_those_that_a_reader_counts() {
    let cases = [
        ("a.c", "int f(void *p, int n) { return n; }\nint g(void) { return 1; }\n", "parameters", "2"),
        ("a.cpp", "int f(void *p) { return 1; }\nint g(void) { return 1; }\n", "parameters", "1"),
        ("a.kt", "fun f(a: Int, b: Int = 3, c: String = g(1, 2)) { }\n", "parameters", "3"),
        ("a.scala", "object A { def f[T, U](a: Int, b: T)(implicit c: U) = a }\n", "parameters", "3"),
        ("a.py", "def f(cls_name, self_x): pass\ndef g(self: A, x): pass\n", "parameters", "2 1"),
        ("a.py", "def f(a, \\\n      b):\n    return a\n", "parameters", "2"),
        ("a.py", "def f():\n    return 1\n    # behind it\n    # all\n\ndef g():\n    pass\n", "lines", "2 2"),
        ("a.js", "function f() {\n  // within\n  return 1; // beside\n  /* and\n     below */\n}\n", "lines", "3"),
        ("A.java", "class A {\n  @B\n  @C(1)\n  public void f() {\n  }\n  void g() {\n  }\n}\n", "lines", "2 2"),
        ("A.java", "class A {\n  @B public\n  void f() {\n  }\n}\n", "lines", "3"),
        ("A.cs", "class A {\n  [B]\n  void F() {\n  }\n}\n", "lines", "2"),
        ("a.kt", "@B\n@C(1)\nprivate fun f() {\n}\n", "lines", "2"),
        ("a.scala", "object A {\n  @b\n  def f() = {\n  }\n}\n", "lines", "2"),
        ("a.swift", "@b\nfunc f() {\n}\n", "lines", "2"),
        ("a.rs", "#[b]\nfn f() {\n}\n", "lines", "2"),
        ("a.py", "@b\ndef f():\n    pass\n", "lines", "2"),
        // What documents a function takes a line, and so does a short case.
        ("a.py", "def f():\n    '''Tides.\n    More.\n    '''\n    return 1\n", "lines", "3"),
        (
            "a.rs",
            "fn f(a: u8) -> u8 {\n    match a {\n        1 => {\n            2\n        }\n        _ => 3,\n    }\n}\n",
            "lines",
            "6",
        ),
        // A collection takes a line when nothing in it decides anything.
        (
            "a.py",
            "def f():\n    return [\n        g(1, [\n            2,\n        ]),\n        3,\n    ]\n",
            "lines",
            "2",
        ),
        (
            "a.py",
            "def f():\n    return [\n        (\n            1,\n        ),\n        lambda: 3,\n    ]\n",
            "lines",
            "5 1",
        ),
        ("a.ts", "function f() {\n  return {\n    a: 1,\n    b: [\n      2,\n    ],\n  };\n}\n", "lines", "3"),
        (
            "a.ts",
            "function f() {\n  return {\n    a: 1,\n    b() {\n      return 2;\n    },\n  };\n}\n",
            "lines",
            "6 3",
        ),
        ("a.go", "package a\n\nfunc f() []A {\n\treturn []A{\n\t\t{1},\n\t\t{2},\n\t}\n}\n", "lines", "3"),
        ("a.rs", "fn f() -> A {\n    A {\n        b: 1,\n        c: if d { 2 } else { 3 },\n    }\n}\n", "lines", "6"),
        ("a.php", "<?php\n#[B]\nfunction f() {\n}\n", "lines", "2"),
        ("a.ts", "class A {\n  @b\n  f() {\n  }\n}\n", "lines", "2"),
        // Functions with names inside are measured by themselves.
        (
            "a.js",
            "function f() {\n  function g() {\n    h();\n  }\n  each(() => {\n    go();\n  });\n}\n",
            "lines",
            "6 3 3",
        ),
        ("a.py", "def f():\n    def g():\n        pass\n    return g\n", "lines", "3 2"),
        // A chain of conditional expressions is as deep as one of them, what is in parentheses deeper.
        ("a.js", "function f() {\n  return a ? 1 : b ? 2 : c ? 3 : 4;\n}\n", "nesting", "1"),
        ("a.c", "int f(int a) { return a ? 1 : (a > 2 ? 3 : 4); }\n", "nesting", "2"),
        ("a.py", "def f():\n    return 1 if a else 2 if b else 3\n", "nesting", "1"),
        // A choice counts once with all its cases; what branches in one counts.
        (
            "a.c",
            "int f(int a) {\n  switch (a) {\n  case 1: return 2;\n  case 2:\n    g();\n    break;\n  case 3: return 4;\n  }\n  return 0;\n}\n",
            "branches",
            "1",
        ),
        (
            "a.rs",
            "fn f(a: u8) -> u8 {\n    match a {\n        1 => 2,\n        2 => match b {\n            3 => 4,\n            5 => 6,\n            _ => 7,\n        },\n        8 => 9,\n        10 => if c { 11 } else { 12 },\n        13 => 14,\n        _ => 15,\n    }\n}\n",
            "branches",
            "3",
        ),
        (
            "a.py",
            "def f(a):\n    if a == 1:\n        return 2\n    elif a == 2:\n        return 3\n    elif a == 3:\n        return 4\n    return 5\n",
            "branches",
            "2",
        ),
        // So is one short `if` after another, and an `else if` after an `if`, when nothing is between them.
        (
            "a.py",
            "def f(a):\n    if a == 1:\n        g()\n    if a == 2:\n        g()\n\n    if a == 3: h()\n",
            "branches",
            "1",
        ),
        ("a.py", "def f(a):\n    if a == 1:\n        g()\n    h()\n    if a == 2:\n        g()\n", "branches", "2"),
        (
            "a.py",
            "def f(a):\n    if a == 1:\n        for b in a:\n            g()\n    if a == 2:\n        g()\n",
            "branches",
            "3",
        ),
        ("a.py", "def f(a):\n    for b in a:\n        g()\n    for b in a:\n        g()\n", "branches", "2"),
        (
            "a.js",
            "function f(a) {\n  if (a == 1) {\n    g();\n  } else if (a == 2) {\n    h();\n  } else if (a == 3) i();\n  else {\n    j();\n  }\n}\n",
            "branches",
            "1",
        ),
        (
            "a.c",
            "int f(int a) {\n  if (a == 1)\n    return 2;\n  else if (a == 2)\n    return 3;\n  if (a > 3)\n    return 4;\n  return 5;\n}\n",
            "branches",
            "2",
        ),
        (
            "a.go",
            "package a\n\nfunc f(a int) {\n\tif a == 1 {\n\t\tg()\n\t} else if a == 2 {\n\t\th()\n\t}\n}\n",
            "branches",
            "1",
        ),
        (
            "a.java",
            "class A {\n  int f(int a) {\n    if (a == 1) {\n      return 2;\n    } else if (a == 2) {\n      return 3;\n    }\n    return 4;\n  }\n}\n",
            "branches",
            "1",
        ),
        (
            "a.rs",
            "fn f(a: u8) {\n    if a == 1 {\n        g();\n    } else if a == 2 {\n        h();\n    }\n    if a == 3 {\n        g();\n    }\n}\n",
            "branches",
            "2",
        ),
        (
            "a.cs",
            "class A {\n  int F(int a) {\n    if (a == 1) return 2;\n    if (a == 2) return 3;\n    return 4;\n  }\n}\n",
            "branches",
            "1",
        ),
        (
            "a.php",
            "<?php\nfunction f($a) {\n  if ($a == 1) { g(); }\n  if ($a == 2) { g(); }\n  h();\n  if ($a == 3) { g(); }\n}\n",
            "branches",
            "2",
        ),
        (
            "a.rb",
            "def f(a)\n  if a == 1\n    g\n  elsif a == 2\n    h\n  end\n  if a == 3\n    g\n  end\nend\n",
            "branches",
            "3",
        ),
        // A comment between them may part two tables.
        ("a.js", "function f(a) {\n  if (a == 1) g();\n  // and\n  if (a == 2) g();\n}\n", "branches", "2"),
        // Five lines are no row.
        (
            "a.js",
            "function f(a) {\n  if (a == 1) {\n    g();\n    h();\n    i();\n  }\n  if (a == 2) {\n    g();\n    h();\n    i();\n  }\n}\n",
            "branches",
            "2",
        ),
        // A class with macros before its name isn't a function.
        ("a.cpp", "class QUAY_EXPORT Berth {\n  int a;\n};\nint f() {\n  return 1;\n}\n", "lines", "3"),
        (
            "a.cpp",
            "class QUAY_EXPORT QUAY_ALIGNED(8) Berth final {\n  int a;\n};\nint f() {\n  return 1;\n}\n",
            "lines",
            "3",
        ),
        // What a grammar of C takes for a function in a function is a macro.
        (
            "a.cpp",
            "template <>\nQuay lay<Quay>(const Quay& a) {\n  static QUAY_DECLARE(low, 0.7f);\n  return a;\n}\n",
            "lines",
            "4",
        ),
    ];
    for (path, code, measure, expected) in cases {
        let rule = rule_saying("{value}", &format!("match = {{ measure = \"{measure}\", over = 0 }}"));
        let figures = found(&rule, path, code);
        let figures: Vec<&str> = figures.split(", ").filter_map(|place| place.split(' ').nth(1)).collect();
        assert_eq!(figures.join(" "), expected, "{measure} of {path}:\n{code}");
    }
    let zone = rule("match = { text = \"tide\", zones = [\"string\"] }");
    assert_eq!(found(&zone, "a.py", "x = ('a'\n     # tide\n     'tide')\ny = f'{tide}'\n"), "3:7 tide, 4:8 tide");
}
