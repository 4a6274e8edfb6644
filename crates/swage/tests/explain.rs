//! `swage explain`: what matched, how else, what was decided, and since when.

mod common;
use common::{CONFIG, Sandbox, without_dates};

fn key(s: &Sandbox, args: &[&str], line: u64) -> String {
    let json = s.swage(&[args, &["--format", "json"]].concat()).json();
    let all = json["findings"].as_array().cloned().unwrap_or_default();
    let found = all.iter().find(|f| f["anchor"]["start_line"] == line).expect("a finding in that line");
    found["key"].as_str().expect("a key").to_owned()
}

#[test]
fn findings_are_explained() {
    let example = "fix = { rewrite = \"good({ARGS})\" } }\n[[rule.examples]]\npath = \"quay.py\"\ncode = \"bad(1)\\ngood(2)\\n\"\nlines = [1]\nfixed = \"good(1)\\ngood(2)\\n\"\n";
    let config =
        CONFIG.replace("holes.ARGS = { many = true } }", &format!("holes.ARGS = {{ many = true }}, {example}"));
    let s =
        Sandbox::with(&[("swage.toml", &config), ("old.py", "def load(path):\n    bad(path, 2)\n    return path\n")]);
    s.branch("topic");
    // What was there before is followed to where it came from, through a rename.
    s.git(&["mv", "old.py", "a.py"]);
    s.write("a.py", s.read("a.py") + "\n\ndef save(path):\n    bad(path)\n");
    s.commit("work");
    let (old, new) = (key(&s, &["review"], 2), key(&s, &["review"], 7));
    insta::assert_snapshot!("new", s.swage(&["explain", &new[..9]]).rendered());
    assert_eq!(s.swage(&["settle", &new, "--as", "wrong", "--because", "save is right"]).code, 0);
    let rendered = s.swage(&["explain", &old]).rendered();
    let past = rendered.split_once("Decisions").map_or(rendered.as_str(), |(_, past)| past);
    insta::assert_snapshot!("old", without_dates(past));
    let json = s.swage(&["explain", &old, "--format", "json"]).json();
    assert_eq!((&json["since"]["path"], &json["holes"][0]["text"]), (&"old.py".into(), &"path, 2".into()));
    let none = s.swage(&["explain", "0123456789"]);
    assert!(none.code == 2 && none.stderr.contains("no finding has the key"), "{}", none.rendered());
}

/// What the repository knows of it: places that the rule accepts, by its filters and by its fix, and how it was fixed before.
#[test]
fn the_repository_answers_too() {
    let rule = |id: &str, more: &str| {
        format!(
            "[[rule]]\nid = \"{id}\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"m\"\nlanguages = [\"python\"]\n[rule.match]\n{more}\n"
        )
    };
    let opens = rule(
        "opens",
        "code = \"open(ARGS)\"\nholes.ARGS = { many = true }\nnot_enclosed_by = { code = \"closing(X)\", holes.X = {} }",
    );
    let waits = rule("waits", "code = \"wait(TIME)\"\nholes.TIME = {}\nfix = { rewrite = \"pause({TIME}, { })\" }");
    let s = Sandbox::with(&[
        ("swage.toml", &(opens + &waits)),
        ("far/a.py", "closing(open(1))\npause(3, {})\n"),
        ("near/b.py", "closing(open(2))\n"),
        ("near/c.py", "x = 1\nopen(0)\nwait(0)\ny = 2\n"),
        ("near/gone.py", "wait(8)\n"),
    ]);
    // One was fixed, and one went with its file.
    s.write("near/c.py", "x = 1\nclosing(open(0))\nwait(0)\ny = 2\n");
    s.git(&["rm", "-q", "near/gone.py"]);
    s.commit("Close what is opened");
    s.branch("topic");
    s.write("near/d.py", "open(5)\nwait(5)\n");
    s.commit("work");
    let rendered = |line: u64| {
        let rendered = s.swage(&["explain", &key(&s, &["review"], line)]).rendered();
        let from = rendered.find("Accepted here").unwrap_or(rendered.len());
        rendered[from..].to_owned()
    };
    insta::assert_snapshot!("accepted-and-fixed", without_dates(&rendered(1)));
    insta::assert_snapshot!("accepted-by-fix", without_dates(&rendered(2)));
    let json = s.swage(&["explain", &key(&s, &["review"], 1), "--format", "json"]).json();
    assert_eq!(
        (&json["accepted"][0]["path"], &json["fixed_before"][0]["subject"]),
        (&"near/b.py".into(), &"Close what is opened".into())
    );
}

/// An advisor is the user's or the target's, gets all that is known, and its word is marked as what it is.
#[test]
fn an_advisor_is_asked() {
    let advisor = |program: &str| format!("{CONFIG}\n[advisor]\ncommand = [\"{program}\"]\n");
    let secret = advisor("tools/advise").replace("severity = \"error\"", "severity = \"error\"\nsecret = true");
    let echo = "#!/bin/sh\nprintf 'heard\\033[31m\\n\\n'; grep -A2 -E '^  \"(question|rule|code)\"'\n";
    let cases = [
        ("the target's", advisor("tools/advise"), None),
        ("about a secret", secret, None),
        ("nobody", CONFIG.to_owned(), None),
        ("the user's", advisor("tools/advise"), Some("#!/bin/sh\necho mine; grep -c .\n")),
        ("one that fails", CONFIG.to_owned(), Some("#!/bin/sh\necho no idea >&2\nexit 4\n")),
        ("one that says nothing", CONFIG.to_owned(), Some("#!/bin/sh\n")),
        ("one that says no text", CONFIG.to_owned(), Some("#!/bin/sh\nprintf '\\377'\n")),
    ];
    let rendered = cases.map(|(what, config, own)| {
        let s = Sandbox::with(&[("swage.toml", &config), ("tools/advise", echo), ("a.py", "ok()\n")]);
        s.make_executable("tools/advise");
        s.commit("an advisor");
        s.branch("topic");
        // Whom the change would like to be asked isn't.
        s.write("tools/advise", "#!/bin/sh\necho all is well\n");
        s.write("swage.toml", config.replace("tools/advise", "tools/other"));
        s.write("tools/other", "#!/bin/sh\necho all is well\n");
        s.make_executable("tools/other");
        s.write("a.py", "ok()\nbad(1)\n");
        s.commit("work");
        if let Some(own) = own {
            s.write("../mine", own);
            s.make_executable("../mine");
            s.git(&["config", "swage.advisor", &s.root.join("../mine").to_string_lossy()]);
        }
        let ran = s.swage(&["explain", &key(&s, &["review"], 2), "--ask", "may \"I\"?"]);
        format!("# {what}\n{}\n", ran.rendered().replace(&*s.root.join("..").to_string_lossy(), "[folder]"))
    });
    insta::assert_snapshot!(rendered.join("\n"));
}
