//! Diffs that other programs write, with the tree before them and with the tree after them: the same files and findings.
//! `fuzz/diff_zoo/make.py` holds the program against many more that the real programs make.

mod common;
use common::Sandbox;

const RULES: &str = "packs = []\n[[rule]]\nid = \"no-bad\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"m\"\nmatch = { text = \"bad\" }\n";

/// Files of a tree; `->` before the text makes a symbolic link.
type Tree = &'static [(&'static str, &'static str)];

/// The form, the tree before, the tree after, the diff, and what is reported.
const FORMS: &[(&str, Tree, Tree, &str, &str)] = &[
    (
        "two files trade their names",
        &[("a", "one\ntwo\n"), ("b", "bad\n")],
        &[("b", "one\ntwo\n"), ("a", "bad\nbad\n")],
        "diff --git a/b b/a\nsimilarity index 90%\nrename from b\nrename to a\n--- a/b\n+++ b/a\n@@ -1 +1,2 @@\n bad\n+bad\ndiff --git a/a b/b\nsimilarity index 100%\nrename from a\nrename to b\n",
        "renamed b->a, renamed a->b; a:2",
    ),
    (
        "a link leads elsewhere",
        &[("q", "x\n"), ("l", "->q")],
        &[("q", "x\n"), ("l", "->bad")],
        "diff --git a/l b/l\nindex 1111111..2222222 120000\n--- a/l\n+++ b/l\n@@ -1 +1 @@\n-q\n\\ No newline at end of file\n+bad\n\\ No newline at end of file\n",
        "modified l->l; ",
    ),
    (
        "a file becomes a link",
        &[("q", "x\n"), ("l", "y\n")],
        &[("q", "x\n"), ("l", "->q")],
        "diff --git a/l b/l\ndeleted file mode 100644\n--- a/l\n+++ /dev/null\n@@ -1 +0,0 @@\n-y\ndiff --git a/l b/l\nnew file mode 120000\n--- /dev/null\n+++ b/l\n@@ -0,0 +1 @@\n+q\n\\ No newline at end of file\n",
        "deleted l->l, added l->l; ",
    ),
    (
        "submodules that are only named",
        &[("q", "x\n")],
        &[("q", "bad\n")],
        "Submodule lib one 1234567...89abcde:\nSubmodule more/lib 0000000...89abcde (new submodule)\nSubmodule lib 1234567..89abcde:\n  > tides\ndiff --git a/q b/q\n--- a/q\n+++ b/q\n@@ -1 +1 @@\n-x\n+bad\n",
        "modified lib->lib, modified lib one->lib one, added more/lib->more/lib, modified q->q; q:1",
    ),
    (
        "a submodule that moves",
        &[("q", "x\n")],
        &[("q", "x\n")],
        "diff --git a/lib b/lib\nindex 1111111..2222222 160000\n--- a/lib\n+++ b/lib\n@@ -1 +1 @@\n-Subproject commit 1111111\n+Subproject commit 2222222-dirty\n",
        "modified lib->lib; ",
    ),
    (
        "a log of one line a commit, newest first",
        &[("q", "one\n")],
        &[("q", "zero\none\nbad\n")],
        "2222222 Second\ndiff --git a/q b/q\n--- a/q\n+++ b/q\n@@ -1,2 +1,3 @@\n+zero\n one\n bad\n1111111 First\ndiff --git a/q b/q\n--- a/q\n+++ b/q\n@@ -1 +1,2 @@\n one\n+bad\n",
        "modified q->q; q:3",
    ),
    (
        "a log without anything between its commits, oldest first",
        &[("q", "one\n")],
        &[("q", "zero\none\nbad\n")],
        "diff --git a/q b/q\n--- a/q\n+++ b/q\n@@ -1 +1,2 @@\n one\n+bad\ndiff --git a/q b/q\n--- a/q\n+++ b/q\n@@ -1,2 +1,3 @@\n+zero\n one\n bad\n",
        "modified q->q; q:3",
    ),
    (
        "two folders whose names are before the paths",
        &[("lib/f.c", "x\n"), ("lib/gone.c", "y\n")],
        &[("lib/f.c", "bad\n"), ("lib/new.c", "bad\n")],
        "--- x.orig/lib/f.c\n+++ x/lib/f.c\n@@ -1 +1 @@\n-x\n+bad\n--- /dev/null\n+++ x/lib/new.c\n@@ -0,0 +1 @@\n+bad\n--- x.orig/lib/gone.c\n+++ /dev/null\n@@ -1 +0,0 @@\n-y\n",
        "modified lib/f.c->lib/f.c, deleted lib/gone.c->lib/gone.c, added lib/new.c->lib/new.c; lib/f.c:1 lib/new.c:1",
    ),
    (
        "files that come and go without times",
        &[("f.c", "x\n"), ("gone.c", "y\n")],
        &[("f.c", "bad\n"), ("new.c", "bad\n")],
        "--- old/f.c\n+++ new/f.c\n@@ -1 +1 @@\n-x\n+bad\n--- old/gone.c\n+++ new/gone.c\n@@ -1 +0,0 @@\n-y\n--- old/new.c\n+++ new/new.c\n@@ -0,0 +1 @@\n+bad\n",
        "modified f.c->f.c, deleted gone.c->gone.c, added new.c->new.c; f.c:1 new.c:1",
    ),
    (
        "prefixes that all names share, but for those of a rename",
        &[("q", "x\n"), ("a b", "one\ntwo\n")],
        &[("q", "bad\n"), ("c", "one\ntwo\n")],
        "diff --git was/here/q is/here/q\n--- was/here/q\n+++ is/here/q\n@@ -1 +1 @@\n-x\n+bad\ndiff --git was/here/a b is/here/c\nsimilarity index 100%\nrename from a b\nrename to c\n",
        "renamed a b->c, modified q->q; q:1",
    ),
    (
        "a new file, a property and a copy of what goes, in another system's words",
        &[("old.py", "one\n"), ("tides", "low\n")],
        &[("new.py", "one\n"), ("n.py", "bad\n"), ("tides", "low\n")],
        "Index: n.py\n===================================================================\n--- n.py\t(nonexistent)\n+++ n.py\t(working copy)\n@@ -0,0 +1 @@\n+bad\nIndex: tides\n===================================================================\n--- tides\t(revision 1)\n+++ tides\t(working copy)\n\nProperty changes on: tides\n___________________________________________________________________\nAdded: note\n## -0,0 +1 ##\n+bad\nIndex: new.py\n===================================================================\ndiff --git a/old.py b/new.py\ncopy from old.py\ncopy to new.py\nIndex: old.py\n===================================================================\ndiff --git a/old.py b/old.py\ndeleted file mode 100644\n--- a/old.py\t(revision 1)\n+++ /dev/null\t(working copy)\n@@ -1 +0,0 @@\n-one\n",
        "added n.py->n.py, renamed old.py->new.py, modified tides->tides; n.py:1",
    ),
    (
        "a file that is only named, and a name that contradicts the header",
        &[("q", "x\n"), ("p.bin", "1\n")],
        &[("q", "bad\n"), ("p.bin", "2\n")],
        "Binary file p.bin has changed\ndiff --git a/q b/q\n--- a/other\n+++ b/q\n@@ -1 +1 @@\n-x\n+bad\n",
        "binary p.bin->p.bin, modified q->q; q:1",
    ),
];

#[test]
fn forms_of_diffs_fit_both_trees() {
    for (name, before, after, diff, expected) in FORMS {
        for (side, files) in [("before", before), ("after", after)] {
            let s = Sandbox::bare_folder();
            s.write("rules.toml", RULES);
            for (path, text) in *files {
                match text.strip_prefix("->") {
                    Some(target) => std::os::unix::fs::symlink(target, s.root.join("tree").join(path)).expect("a link"),
                    None => s.write(&format!("tree/{path}"), text),
                }
            }
            let args = ["review", "--config", "rules.toml", "--patch", "-", "--tree", "tree", "--format", "json"];
            let ran = s.swage_in(".", &args, diff, &[]);
            assert_eq!(ran.code, 0, "{name}, {side}: {}", ran.rendered());
            let json = ran.json();
            let text = |value: &serde_json::Value| value.as_str().unwrap_or_default().to_owned();
            let files = json["files"].as_array().expect("files").iter();
            let files =
                files.map(|f| format!("{} {}->{}", text(&f["kind"]), text(&f["old_path"]), text(&f["new_path"])));
            let new = json["findings"].as_array().expect("findings").iter().filter(|f| f["state"] == "new");
            let new = new.map(|f| format!("{}:{}", text(&f["anchor"]["path"]), f["anchor"]["start_line"]));
            let rendered = format!("{}; {}", files.collect::<Vec<_>>().join(", "), new.collect::<Vec<_>>().join(" "));
            assert_eq!(rendered, *expected, "{name}, {side}");
        }
    }
}

#[test]
fn a_diff_alone_is_looked_at_by_rules_on_structure() {
    let s = Sandbox::bare_folder();
    let rule = |id: &str, rest: &str| {
        format!(
            "[[rule]]\nid = \"{id}\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"m\"\nlanguages = [\"python\", \"javascript\"]\n[rule.match]\n{rest}\n"
        )
    };
    let rules = [
        "packs = []\n".to_owned(),
        rule("bad", "code = \"bad(X)\"\nholes.X = {}"),
        rule("free", "code = \"free(X)\"\nholes.X = {}\nenclosed_by = { definition = \"function\" }"),
        rule("shut", "code = \"shut(X)\"\nholes.X = {}\nnot_preceded_by = { node = \"comment\" }"),
        rule("large", "measure = \"lines\"\nover = 2"),
        "[[rule]]\nid = \"names\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"m\"\nmatch = { names = \"undefined\" }\n".to_owned(),
    ];
    s.write("rules.toml", rules.concat());
    let diff = "\
--- a/q.py
+++ b/q.py
@@ -10,5 +10,6 @@ class Quay:
         bad(1)
         return tide
 
     def lay(self):
+        free(boat)
         bad(2)
@@ -40,2 +41,4 @@ def late():
-    shut(1)
+    shut(2)
+    x = 1
+    bad(3
     y = 2
--- a/q.js
+++ b/q.js
@@ -5,3 +5,6 @@
     lay(boat);
-  } else {
+  } else if (late) {
+    bad(4);
+    free(boat);
+    shut(boat);
     wait();
";
    let ran = s.swage_in(".", &["review", "--config", "rules.toml", "--patch", "-", "--format", "json"], diff, &[]);
    let json = ran.json();
    let findings = json["findings"].as_array().expect("findings");
    let rendered: Vec<String> = findings
        .iter()
        .map(|f| {
            format!("{} {} {}:{}", f["state"], f["rule"], f["anchor"]["path"], f["anchor"]["start_line"])
                .replace('"', "")
        })
        .collect();
    // What is in broken code, what something around it must be known for, and what is cut off isn't reported.
    let expected =
        ["new bad q.js:7", "new shut q.js:9", "unchanged bad q.py:10", "new free q.py:14", "unchanged bad q.py:15"];
    assert_eq!(rendered, expected, "{}", ran.rendered());
    assert!(findings.iter().all(|f| f["from_fragment"] == true));
    assert_eq!(json["not_run"][0]["rule"], "names");
    let human = s.swage_in(".", &["review", "--config", "rules.toml", "--patch", "-"], diff, &[]).stdout;
    assert_eq!(human.matches("rules that need whole files").count(), 1, "{human}");
}

/// A file that the diff adds is known whole, so that rules on files run on it; a string that a hunk begins or ends in hides
/// neither what is around it, nor is its text taken for code.
#[test]
fn a_diff_alone_shows_new_files_whole_and_text_as_text() {
    let s = Sandbox::bare_folder();
    let rule = |id: &str, rest: &str| {
        format!(
            "[[rule]]\nid = \"{id}\"\nseverity = \"warning\"\ntitle = \"t\"\nmessage = \"m\"\nskip_generated = true\n[rule.match]\n{rest}\n"
        )
    };
    let rules = [
        "packs = []\n".to_owned(),
        rule("bad", "languages = [\"python\"]\ncode = \"bad(X)\"\nholes.X = {}"),
        rule("names", "names = \"undefined\""),
    ];
    s.write("rules.toml", rules.concat());
    let new = |path: &str, lines: &str| {
        let added: String = lines.lines().map(|line| format!("+{line}\n")).collect();
        let count = lines.lines().count();
        format!(
            "diff --git a/{path} b/{path}\nnew file mode 100644\n--- /dev/null\n+++ b/{path}\n@@ -0,0 +1,{count} @@\n{added}"
        )
    };
    let old = |start: u32, lines: &str| {
        let count = |gone: char| lines.lines().filter(|line| !line.starts_with(gone)).count();
        format!("--- a/q.py\n+++ b/q.py\n@@ -{start},{} +{start},{} @@\n{lines}", count('+'), count('-'))
    };
    let cases = [
        ("whole", new("q.py", "def lay():\n    return quay\n"), "names q.py:2"),
        // The same lines in a file of which the rest isn't shown.
        ("part", old(1, "+def lay():\n+    return quay\n     pass\n"), ""),
        // One that a later patch changes isn't known whole.
        (
            "added and changed",
            format!(
                "{}diff --git a/q.py b/q.py\n{}",
                new("q.py", "def lay():\n    return quay\n"),
                old(1, "+quay = 1\n def lay():\n     return quay\n")
            ),
            "",
        ),
        // What looks generated is counted, as it is with a tree.
        ("built", new("third_party/q.py", "def bad(x): pass\nbad(1)\n"), "1 unlisted"),
        ("built by no name", new("party/q.py", "def bad(x): pass\nbad(1)\n"), "bad party/q.py:2"),
        // The end of a text, and the beginning of one.
        (
            "text before",
            old(9, "         Says bad(1), and so it is.\n         \"\"\"\n+        bad(2)\n         x = 1\n"),
            "bad q.py:11",
        ),
        ("text after", old(9, "+    bad(1)\n     x = \"\"\"Says\n     bad(2), and so it is\n"), "bad q.py:9"),
        ("text alone", old(9, "     Says this\n+    bad(1)\n     when it is said so\n     to all of them\n"), ""),
        ("code alone", old(9, "     lay(1)\n+    bad(1)\n     lay(2)\n     lay(3)\n"), "bad q.py:10"),
        // Broken code looks like text.
        ("broken", old(9, "+From here [31m\n+    bad(1)\n     x = 1\n"), ""),
        // A handler that comes after the hunk, and arguments of a call before it.
        ("unhandled", old(9, "     try:\n+        bad(1)\n         lay(2)\n"), "bad q.py:10"),
        ("arguments", old(9, "         tide=low,\n+        boat=bad(1),\n         quay=2,\n"), "bad q.py:10"),
    ];
    for (name, diff, expected) in cases {
        let ran =
            s.swage_in(".", &["review", "--config", "rules.toml", "--patch", "-", "--format", "json"], &diff, &[]);
        let json = ran.json();
        let findings = json["findings"].as_array().expect("findings").iter().filter(|f| f["state"] == "new");
        let mut found: Vec<String> = findings
            .map(|f| format!("{} {}:{}", f["rule"], f["anchor"]["path"], f["anchor"]["start_line"]).replace('"', ""))
            .collect();
        if let Some(unlisted) = json["files"][0]["unlisted"]["warning"].as_u64().filter(|number| *number > 0) {
            found.push(format!("{unlisted} unlisted"));
        }
        assert_eq!(found.join(" "), expected, "{name}: {}", ran.rendered());
        // What may be text may as well be code that doesn't parse.
        let is_doubtful = ["text alone", "broken"].contains(&name);
        assert_eq!(json["notes"].to_string().contains("parse without the rest"), is_doubtful, "{name}");
        // Only what is known in part is a fragment, and only then a rule is idle.
        let is_partial = diff.contains("--- a/");
        assert_eq!(!json["not_run"].as_array().expect("a list").is_empty(), is_partial, "{name}");
    }
}

/// A mail of a series, as git writes one.
fn mail(subject: &str, text: &str, diff: &str) -> String {
    format!(
        "From 1111111 Mon Sep 17 00:00:00 2001\nFrom: Harbour <harbour-dev@example.org>\nDate: Fri, 27 Nov 2026 10:00:00 +0000\nSubject: {subject}\nMessage-ID: <{}@example.org>\n\n{text}\n---\n{diff}-- \n2.45\n\n",
        subject.len()
    )
}

/// Files and folders are one series in order, each finding names its mail, and rules on commits know the mails'
/// subjects, messages and authors.
#[test]
fn a_series_is_reviewed_mail_by_mail() {
    let rules = "\n[[rule]]\nid = \"unfinished\"\nseverity = \"warning\"\ntitle = \"t\"\nmessage = \"{match}\"\nmatch = { change = \"subject\", text = \"^WIP\" }\n[[rule]]\nid = \"by\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{match}\"\nmatch = { change = \"author\", text = \"^Quay <.*\" }\n[[rule]]\nid = \"why\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{match}\"\nmatch = { change = \"description\", text = \"autumn.*\" }\n[[rule]]\nid = \"told\"\nseverity = \"note\"\ntitle = \"t\"\nmessage = \"{match}\"\nmatch = { change = \"message\", text = \"(?m)^tides.*\" }\n";
    let first = "diff --git a/q b/q\n--- a/q\n+++ b/q\n@@ -1 +1,2 @@\n one\n+bad\n";
    let second = "diff --git a/q b/q\n--- a/q\n+++ b/q\n@@ -1,2 +1,4 @@\n+bad zero\n one\n bad\n+bad three\n";
    let mails = [
        ("0000-cover.patch", mail("[PATCH v2 0/2] Boats", "Wanted in autumn.", "")),
        ("0001-one.patch", mail("[PATCH v2 1/2] WIP: one", "tides come\n", first)),
        ("0002-two.patch", mail("Re: [PATCH v2 2/2] two", "From: Quay <quay-dev@example.org>\n\ntext\n", second)),
    ];
    let s = Sandbox::with(&[("swage.toml", &format!("{RULES}{rules}")), ("q", "one\n")]);
    for (name, mail) in &mails {
        s.write(&format!("series/{name}"), mail);
    }
    s.write("series/notes.txt", "nothing");
    s.write("all.mbox", mails.iter().map(|(_, mail)| mail.as_str()).collect::<String>());
    s.write("plain/1.diff", first);
    s.write("plain/2.diff", second);
    let of = |args: &[&str]| {
        let run = s.swage(&[&["review", "--tree", ".", "--format", "json", "--patch"], args].concat());
        assert_eq!(run.code, 0, "{args:?}: {}", run.stderr);
        let rendered = run.json();
        let subjects: Vec<_> =
            rendered["series"].as_array().unwrap().iter().map(|p| p["subject"].to_string()).collect();
        let findings = rendered["findings"].as_array().unwrap().iter();
        let findings: Vec<_> = findings
            .map(|f| {
                format!("{}:{} {} {}", f["rule"].as_str().unwrap(), f["patch"], f["anchor"]["start_line"], f["message"])
            })
            .collect();
        format!("{}\n{}\n{}", subjects.join(" "), findings.join("\n"), rendered["notes"][0])
    };
    let whole = of(&["series"]);
    insta::assert_snapshot!("series", whole);
    let without_note = |text: &str| text.rsplit_once('\n').map(|(rest, _)| rest.to_owned());
    let paths: Vec<String> = mails.iter().map(|(name, _)| format!("series/{name}")).collect();
    let named: Vec<&str> = paths.iter().map(String::as_str).collect();
    assert_eq!(without_note(&of(&named)), without_note(&whole));
    assert_eq!(without_note(&of(&["all.mbox"])), without_note(&whole));
    // Nothing is known of commits that have no mail.
    assert_eq!(of(&["plain"]).lines().next(), Some("\"plain/1.diff\" \"plain/2.diff\""));
    assert!(of(&["plain"]).contains("no-bad:2 4"));
    // One mail by itself is no series, and its message is what is offered.
    s.write("q", "one\nbad\n");
    assert!(of(&["series/0002-two.patch"]).starts_with("\nby:null null"), "{}", of(&["series/0002-two.patch"]));
    for (args, wrong) in [
        (&["series/0000-cover.patch"][..], "there is no unified diff in here"),
        (&["plain", "empty.diff"], "there is no unified diff in here"),
        (&["none"], "there is no file none"),
        (&["lonely"], "lonely holds no diffs"),
    ] {
        s.write("empty.diff", "words\n");
        s.write("lonely/README", "words\n");
        let run = s.swage(&[&["review", "--tree", ".", "--patch"], args].concat());
        assert!(run.code == 2 && run.stderr.contains(wrong), "{args:?}: {} {}", run.code, run.stderr);
    }
}
