//! The tricks, each with the same bad code without it.

use super::common::Sandbox;

/// What is done to the repository.
pub type Edit = fn(&Sandbox);

/// Adds to the end of a file.
pub fn append(s: &Sandbox, path: &str, text: &str) {
    s.write(path, s.read(path) + text);
}

fn utf16(text: &str) -> Vec<u8> {
    std::iter::once(0xfeff).chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect()
}

/// The name, the change with its trick, the same without it, and how both end.
pub const ATTACKS: &[(&str, Edit, Edit, &str, &str)] = &[
    (
        "its own target: HEAD",
        |s| {
            s.write("swage.toml", s.read("swage.toml").replace("\"main\"", "\"HEAD\""));
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "its own target: its branch",
        |s| {
            s.write("swage.toml", s.read("swage.toml").replace("\"main\"", "\"topic\""));
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "its own rules",
        |s| {
            s.write("swage.toml", "packs = []\n");
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a rule switched off by a rule file of its own",
        |s| {
            s.write(".swage/rules/x.toml", "[[adjust]]\nrule = \"no-eval\"\noff = true\n");
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "limits of its own",
        |s| {
            s.write("swage.toml", format!("{}[limits]\nfile_size = \"1 B\"\n", s.read("swage.toml")));
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "what programs make, by its own word",
        |s| {
            s.write("swage.toml", format!("generated = [\"**\"]\n{}", s.read("swage.toml")));
            append(s, "b.py", "drop(boat)\n");
        },
        |s| append(s, "b.py", "drop(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "deleted in one file, written in another",
        |s| {
            s.write("a.py", s.read("a.py").replace("eval(tide.now)\n", ""));
            append(s, "b.py", "\n\ndef later(tide):\n    if tide:\n        eval(tide.now)\n");
        },
        |s| append(s, "b.py", "\n\ndef later(tide):\n    if tide:\n        eval(tide.now)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "deleted at the top of a file, written at its end",
        |s| {
            let rest = s.read("a.py").replace("eval(tide.now)\n", "");
            s.write("a.py", rest + "\n\nfor boat in tide.boats:\n    eval(tide.now)\n");
        },
        |s| append(s, "a.py", "\n\nfor boat in tide.boats:\n    eval(tide.now)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "deleted in one function, written in another of the same file",
        |s| {
            let text = s.read("a.py").replace("return eval(quay.low)", "return quay.low");
            s.write("a.py", text.replace("return quay.high", "return eval(quay.low)"));
        },
        |s| s.write("a.py", s.read("a.py").replace("return quay.high", "return eval(quay.low)")),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "between lines that are in both files",
        |s| {
            s.write("a.py", s.read("a.py").replace("    return eval(quay.low)\n", "    return quay.low\n"));
            s.write("b.py", s.read("b.py").replace("    return quay.free(boat)\n", "    return eval(quay.low)\n"));
        },
        |s| s.write("b.py", s.read("b.py").replace("    return quay.free(boat)\n", "    return eval(quay.low)\n")),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a function moved with one more inside",
        |s| {
            let def = "def low(quay):\n    return eval(quay.low)\n";
            s.write("a.py", s.read("a.py").replace(def, ""));
            append(s, "b.py", "\n\ndef low(quay):\n    eval(quay)\n    return eval(quay.low)\n");
        },
        |s| append(s, "b.py", "\n\ndef low(quay):\n    eval(quay)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a no-break space before the bracket of a call",
        |s| s.write("c.js", "export const low = (quay) => eval\u{a0}(quay.low);\n"),
        |s| s.write("c.js", "export const low = (quay) => eval(quay.low);\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a name with an escape in it",
        |s| s.write("c.js", "export const low = (quay) => \\u0065val(quay.low);\n"),
        |s| s.write("c.js", "export const low = (quay) => eval(quay.low);\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a name in letters of another width",
        |s| append(s, "b.py", "\u{ff45}val(boat)\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "parentheses around the name of what is called",
        |s| append(s, "b.py", "(eval)(boat)\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a line that is joined with the next inside of a call",
        |s| append(s, "b.py", "eval\\\n(boat)\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a call that is made only if there is something to call",
        |s| s.write("c.js", "export const low = (quay) => eval?.(quay.low);\n"),
        |s| s.write("c.js", "export const low = (quay) => eval(quay.low);\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a call in the body of a macro",
        |s| s.write("c.c", "#define LOW(quay) run(quay)\n"),
        |s| s.write("c.c", "int low(int quay) { return run(quay); }\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a name on two lines that are joined",
        |s| s.write("c.c", "int low(int quay) { return ru\\\nn(quay); }\n"),
        |s| s.write("c.c", "int low(int quay) { return run(quay); }\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a copy of what is there",
        |s| s.write("copy.py", s.read("a.py")),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a renamed file with one more",
        |s| {
            s.git(&["mv", "a.py", "tides.py"]);
            append(s, "tides.py", "eval(boat)\n");
        },
        |s| append(s, "a.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "two that swap their names, one with one more",
        |s| {
            let (a, b) = (s.read("a.py"), s.read("b.py"));
            s.write("a.py", b);
            s.write("b.py", a + "eval(boat)\n");
        },
        |s| append(s, "a.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a rule's own words, taken out of the rule file",
        |s| {
            s.write("swage.toml", s.read("swage.toml").replace("^key=TOKEN_[A-Z]+|^EXPORT_", "x+"));
            append(s, "settings.env", "key=TOKEN_ABC\n");
        },
        |s| append(s, "settings.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "source code called binary by an attribute",
        |s| {
            s.write(".gitattributes", "*.py binary\n");
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a script that is known by its first line, without a diff",
        |s| {
            s.write(".gitattributes", "tools/* -diff\n");
            append(s, "tools/check", "sudo tide\n");
        },
        |s| append(s, "tools/check", "sudo tide\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "settings without a diff, by attributes in a folder",
        |s| {
            s.write("etc/.gitattributes", "*.env -diff\n");
            s.write("etc/more.env", "key=TOKEN_ABC\n");
        },
        |s| s.write("etc/more.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a NUL at the end of a script",
        |s| append(s, "tools/check", "sudo tide\nexit 0\n\0"),
        |s| append(s, "tools/check", "sudo tide\nexit 0\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a NUL far down in a script that is new",
        |s| s.write("tools/new", format!("#!/bin/sh\nsudo tide\nexit 0\n{}\0", "x".repeat(9000))),
        |s| s.write("tools/new", "#!/bin/sh\nsudo tide\nexit 0\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a NUL at the end of settings",
        |s| append(s, "settings.env", "key=TOKEN_ABC\n\0"),
        |s| append(s, "settings.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "settings in UTF-16",
        |s| s.write("settings.env", utf16("port=8417\nkey=TOKEN_ABC\n")),
        |s| append(s, "settings.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "source code in UTF-16",
        |s| s.write("new.py", utf16("eval(boat)\n")),
        |s| s.write("new.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a byte order mark before the beginning of a line",
        |s| s.write("new.env", "\u{feff}key=TOKEN_ABC\n"),
        |s| s.write("new.env", "key=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a lone CR after a comment",
        |s| append(s, "b.py", "# tide\reval(boat)\n"),
        |s| append(s, "b.py", "# tide\neval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a lone CR in settings",
        |s| append(s, "settings.env", "# tide\rkey=TOKEN_ABC\n"),
        |s| append(s, "settings.env", "# tide\nkey=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a line end that Java reads in a comment",
        |s| s.write("Quay.java", s.read("Quay.java").replace("int a = 1;", "// \\u000a run(boat);")),
        |s| s.write("Quay.java", s.read("Quay.java").replace("int a = 1;", "run(boat);")),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "an encoding that spells code otherwise",
        |s| s.write("new.py", "# coding: unicode_escape\n\\u0065val(boat)\n"),
        |s| s.write("new.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a conflict that an attribute of its own merges",
        |s| {
            s.git(&["checkout", "--quiet", "main"]);
            s.write("lib/c.py", "def lay(boat):\n    return boat.one\n");
            s.commit("main moves on");
            s.git(&["checkout", "--quiet", "topic"]);
            s.write(".gitattributes", "*.py merge=union\n");
            s.write("lib/c.py", "def lay(boat):\n    return boat.two\n");
        },
        |s| {
            s.git(&["checkout", "--quiet", "main"]);
            s.write("lib/c.py", "def lay(boat):\n    return boat.one\n");
            s.commit("main moves on");
            s.git(&["checkout", "--quiet", "topic"]);
            s.write("lib/c.py", "def lay(boat):\n    return boat.two\n");
        },
        "1 fail merges examined new.error new.warning new.note suppressions.error",
        "1 fail merges examined new.error new.warning new.note suppressions.error",
    ),
    (
        "a tag that is called like the target",
        |s| {
            append(s, "b.py", "eval(boat)\n");
            s.commit("bad");
            s.git(&["tag", "main", "topic"]);
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a tag that is called like the branch",
        |s| {
            s.git(&["tag", "topic", "main"]);
            append(s, "b.py", "eval(boat)\n");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "an author with a control character",
        |s| {
            s.git(&["commit", "--quiet", "--allow-empty", "--author=A\u{1}B <e@bad>", "-m", "tide"]);
        },
        |s| {
            s.git(&["commit", "--quiet", "--allow-empty", "--author=A <e@bad>", "-m", "tide"]);
        },
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "another argument on a line of its own",
        |s| s.write("run.py", s.read("run.py").replace("        small\n", "        large(request.body)\n")),
        |s| append(s, "run.py", "    run(large(request.body))\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a program made it, it says",
        |s| s.write("b.py", format!("# @generated\n{}drop(boat)\n", s.read("b.py"))),
        |s| append(s, "b.py", "drop(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "do not edit, it says, in a new file",
        |s| s.write("new.py", "# DO NOT EDIT\ndrop(boat)\n"),
        |s| s.write("new.py", "drop(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "do not edit, it says, where a warning is",
        |s| s.write("new.py", "# DO NOT EDIT\nshout(boat)\nshout(tide)\n"),
        |s| s.write("new.py", "shout(boat)\n"),
        "1 fail new.warning",
        "1 fail new.warning",
    ),
    (
        "a licence of others beside it, where a warning is",
        |s| {
            s.write("LICENSE", "Copyright (c) 2031 The Ferry Line\n");
            s.write("lib/LICENSE", "Copyright (c) 2030 Pier Works\n");
            s.write("lib/new.py", "shout(boat)\nshout(tide)\n");
        },
        |s| s.write("lib/new.py", "shout(boat)\n"),
        "1 fail new.warning",
        "1 fail new.warning",
    ),
    (
        "do not edit, it says, where notes are: the gate counts them although they aren't listed",
        |s| s.write("new.py", "# DO NOT EDIT\nwhisper(boat)\nwhisper(tide)\n"),
        |s| s.write("new.py", "whisper(boat)\n"),
        "1 fail new.note",
        "1 fail new.note",
    ),
    (
        "one long string",
        |s| append(s, "board.js", &format!("var a = \"{}\";\ndrop(boat);\n", "tide ".repeat(500))),
        |s| append(s, "board.js", "drop(boat);\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a new folder for what is built",
        |s| {
            std::fs::create_dir(s.root.join("dist")).expect("a folder");
            s.git(&["mv", "b.py", "dist/b.py"]);
            append(s, "dist/b.py", "drop(boat)\n");
        },
        |s| append(s, "b.py", "drop(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a comment that suppresses an error",
        |s| append(s, "b.py", "eval(boat)  # swage: allow no-eval because the tide wants it\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail suppressions.error",
        "1 fail new.error",
    ),
    (
        "a comment that suppresses a locked rule",
        |s| append(s, "b.py", "trace(boat)  # swage: allow no-trace because the tide wants it\n"),
        |s| append(s, "b.py", "trace(boat)\n"),
        "1 fail new.warning",
        "1 fail new.warning",
    ),
    (
        "one comment for two findings",
        |s| append(s, "b.py", "trace(trace(boat))  # swage: allow no-trace because the tide wants it\n"),
        |s| append(s, "b.py", "trace(boat)\n"),
        "1 fail new.warning",
        "1 fail new.warning",
    ),
    (
        "a file that becomes a link to the same code",
        |s| {
            s.write("data/b.txt", s.read("b.py") + "eval(boat)\n");
            std::fs::remove_file(s.root.join("b.py")).expect("it was there");
            std::os::unix::fs::symlink("data/b.txt", s.root.join("b.py")).expect("a link");
        },
        |s| append(s, "b.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a new link to code under another name",
        |s| {
            s.write("data/b.txt", "eval(boat)\n");
            std::os::unix::fs::symlink("data/b.txt", s.root.join("new.py")).expect("a link");
        },
        |s| s.write("new.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a folder that becomes a link",
        |s| {
            s.write("data/c.py.txt", "eval(boat)\n");
            std::fs::remove_dir_all(s.root.join("lib")).expect("it was there");
            std::os::unix::fs::symlink("data", s.root.join("lib")).expect("a link");
        },
        |s| append(s, "lib/c.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a folder that becomes a submodule",
        |s| {
            std::fs::remove_dir_all(s.root.join("lib")).expect("it was there");
            s.git(&["rm", "-r", "--quiet", "--cached", "lib"]);
            let commit = s.git(&["rev-parse", "HEAD"]);
            s.git(&["update-index", "--add", "--cacheinfo", &format!("160000,{commit},lib")]);
            std::fs::create_dir(s.root.join("lib")).expect("a folder");
        },
        |s| append(s, "lib/c.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a file that doesn't parse any more",
        |s| append(s, "b.py", "class ((\n  eval (boat\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a file that is too large",
        |s| append(s, "b.py", &format!("eval(boat)\n{}", "# tide\n".repeat(400_000))),
        |s| append(s, "b.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a file that nests too deep",
        |s| append(s, "b.py", &format!("eval({}boat{})\n", "(".repeat(20_000), ")".repeat(20_000))),
        |s| append(s, "b.py", "eval(boat)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "more brackets in a string than one byte counts",
        |s| {
            let (open, close) = ("(".repeat(256), ")".repeat(256));
            s.write("tide.rb", format!("quay = %Q({open}#{{low}}) # {close}; run(quay)\n"));
        },
        |s| s.write("tide.rb", "quay = %Q((#{low}) # ); run(quay)\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a word that ends a document and is longer than one byte counts",
        |s| {
            let word = "LOW".repeat(86);
            let document = |inner: &str| format!("show(<<{word})\n{inner}\n{word}\n");
            s.write("tide.rb", format!("{}run(quay)\n{}", document("%q("), document(")")));
        },
        |s| s.write("tide.rb", "show(<<LOW)\n%q(\nLOW\nrun(quay)\nshow(<<LOW)\n)\nLOW\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "more signs before a string than one byte counts",
        |s| {
            let (dollars, open, close) = ("$".repeat(257), "{".repeat(257), "}".repeat(257));
            let string = format!("{dollars}\"\"\"\n{open}run(quay){close}\n\"\"\"");
            s.write("Tide.cs", format!("class Tide {{ void Lay() {{ var low = {string}; }} }}\n"));
        },
        |s| {
            let string = "$$\"\"\"\n{{run(quay)}}\n\"\"\"";
            s.write("Tide.cs", format!("class Tide {{ void Lay() {{ var low = {string}; }} }}\n"));
        },
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "more empty lines than two bytes count",
        |s| {
            s.write(
                "Tide.scala",
                format!("object Tide {{ def lay() = {{\n  low(1){}  run(2)\n}} }}\n", "\n".repeat(32_768)),
            )
        },
        |s| s.write("Tide.scala", "object Tide { def lay() = {\n  low(1)\n\n  run(2)\n} }\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "more lines than two bytes count",
        |s| s.write("tide.yaml", format!("quay:\n{}  door: open\n", "  low: 1\n".repeat(98_303))),
        |s| s.write("tide.yaml", "quay:\n  low: 1\n  door: open\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "more columns than two bytes count",
        |s| s.write("tide.yaml", format!("quay:\n{}door: open\n", " ".repeat(32_768))),
        |s| s.write("tide.yaml", "quay:\n  door: open\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a name in capitals",
        |s| s.write("NEW.PY", "eval(boat)\n"),
        |s| s.write("new.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a name with a line end, quotes and blanks",
        |s| s.write("new \"quay\"\n +.py", "eval(boat)\n"),
        |s| s.write("new.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "white space, comments and brackets inside",
        |s| append(s, "b.py", "(eval) (  # tide\n    boat\n)\neval ( boat )\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a command that other commands start",
        |s| s.write("sink.sh", "nohup timeout -k 5 30 env -u TIDE LOW=1 sink boat\n"),
        |s| s.write("sink.sh", "sink boat\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "assignments alone on a line, before a command inside of others",
        |s| s.write("sink.sh", "LOW=tide HIGH=quay # both\nif true; then sink boat; fi\n"),
        |s| s.write("sink.sh", "LOW=tide\nif true; then sink boat; fi\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "redirections alone on a line that leave no room for a sign",
        |s| s.write("sink.sh", "LOW=tide>low\nif true; then sink boat; fi\n"),
        |s| s.write("sink.sh", "LOW=tide\nif true; then sink boat; fi\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "a function after a comma",
        |s| s.write("c.js", "export const low = (quay) => (0, eval)(quay.low);\n"),
        |s| s.write("c.js", "export const low = (quay) => eval(quay.low);\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a function's own method that calls it",
        |s| s.write("c.js", "export const low = (quay) => eval['call'](null, quay.low);\n"),
        |s| s.write("c.js", "export const low = (quay) => eval(quay.low);\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a function through a pointer",
        |s| s.write("quay.c", "int lay(int boat) {\n  (*&run)(boat);\n  return boat;\n}\n"),
        |s| s.write("quay.c", "int lay(int boat) {\n  run(boat);\n  return boat;\n}\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "more that stays open than a scanner remembers",
        |s| s.write("low.yaml", format!("low: {}1{}\nkey=TOKEN_ABC\n", "[".repeat(300), "]".repeat(300))),
        |s| s.write("low.yaml", "low: 1\nkey=TOKEN_ABC\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "words that explain the code",
        |s| append(s, "b.py", "# The quay is never closed to boats.\neval(boat)  # since the tide decides\n"),
        |s| append(s, "b.py", "eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a macro around a call, so that it doesn't parse",
        |s| s.write("quay.c", "#define END )\nint lay(int boat) {\n  run(boat END;\n  return boat;\n}\n"),
        |s| s.write("quay.c", "int lay(int boat) {\n  run(boat);\n  return boat;\n}\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a new file beside a vendored folder's name",
        |s| s.write("vendor.js", "drop(boat);\n"),
        |s| s.write("board.js", "drop(boat);\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "an empty comment in what a condition asks for",
        |s| append(s, "b.py", "lend(boats( #\n))\n"),
        |s| append(s, "b.py", "lend(boats())\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a comment that says what would let the code be",
        |s| append(s, "b.py", "lend(boats( # until=noon\n))\n"),
        |s| append(s, "b.py", "lend(boats())\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "an empty comment between what a query wants side by side",
        |s| s.write("quay.py", "import low\n#\nmoor(boat)\n"),
        |s| s.write("quay.py", "import low\nmoor(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a comment after a value in settings",
        |s| s.write("low.toml", "[door]\ncode = \"0000\"  #\n"),
        |s| s.write("low.toml", "[door]\ncode = \"0000\"\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "a star before the call",
        |s| append(s, "b.py", "boats = [], *eval(boat)\n"),
        |s| append(s, "b.py", "boats = [], eval(boat)\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "broken lines without end, past all of which a grammar looks",
        |s| s.write("new.py", format!("eval(boat)\nlow = 1{}\n", "\\\n".repeat(60_000))),
        |s| s.write("new.py", "eval(boat)\nlow = 1\\\n\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "comments that begin and don't end",
        |s| {
            s.write(
                "quay.c",
                format!("int lay(int boat) {{\n  run(boat);\n  return boat;\n}}\n{}", "/*\n".repeat(40_000)),
            )
        },
        |s| s.write("quay.c", "int lay(int boat) {\n  run(boat);\n  return boat;\n}\n/* */\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "errors at each of which a parser tries all that is open",
        |s| s.write("c.js", format!("eval(quay.low);\n{}", "case low:\n".repeat(40_000))),
        |s| s.write("c.js", "eval(quay.low);\n"),
        "3 incomplete examined",
        "1 fail new.error",
    ),
    (
        "an embedding that ends in another text than it begins in",
        |s| append(s, "b.py", "low = '\u{202a}' + boat + '\u{202c}'\n"),
        |s| append(s, "b.py", "low = '\u{202e}' + boat\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
    (
        "an override within an embedding that ends",
        |s| append(s, "b.py", "low = '\u{202a}\u{202e}boat\u{202c}'\n"),
        |s| append(s, "b.py", "low = '\u{202e}boat'\n"),
        "1 fail new.error",
        "1 fail new.error",
    ),
];
