//! Lists of work and Markdown: what they say, and that nothing of a change becomes markup.

mod common;
use common::{CONFIG, Sandbox};
use pulldown_cmark::{Event, Options, Parser, Tag};

#[test]
fn work_is_handed_over() {
    let config = CONFIG.replace(
        "holes.ARGS = { many = true } }",
        "holes.ARGS = { many = true }, fix = { rewrite = \"good({ARGS})\" } }",
    );
    let s = Sandbox::with(&[("swage.toml", &config), ("a.py", "bad(0)\n")]);
    s.branch("topic");
    s.write("a.py", "bad(0)\n\n\ndef load(path, start, end):\n    bad(path)\n");
    s.commit("work");
    insta::assert_snapshot!("list", s.swage(&["handoff"]).rendered());
    let json = s.swage(&["handoff", "--all", "--format", "json"]).json();
    let items = json["items"].as_array().expect("items");
    let rendered: Vec<String> =
        items.iter().map(|i| format!("{} {} {}", i["rule"], i["span"]["start_line"], i["fix"]["title"])).collect();
    insta::assert_snapshot!("items", rendered.join("\n"));
    insta::assert_snapshot!("gate", s.swage(&["gate", "--format", "markdown"]).rendered());
    let scan = s.swage(&["scan", "--format", "markdown"]).stdout;
    assert!(scan.contains("2 errors, 1 warning, 0 notes"), "{scan}");
}

/// What is written with Markdown's own signs stays text, by the standard's own rules for them.
#[test]
fn nothing_of_a_change_becomes_markup() {
    let rule = "\n[[rule]]\nid = \"says\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"{match}\"\nmatch = { text = 'say .*' }\n";
    let texts = [
        "say <script>alert(1)</script> <b onclick=x>",
        "say [click](https://evil.example.org) ![x](y) <https://evil.example.org>",
        "say https://evil.example.org www.evil.example.org @maintainer #12 &lt;b&gt;",
        "say `code` **bold** _it_ ~~no~~ | cell | \\",
        "say ``` ```` end",
        "say # heading",
    ];
    let names = ["a`b.txt", "c|d.txt", "<img src=x>.txt", "[x](y).txt", "- e.txt"];
    let s = Sandbox::with(&[("swage.toml", &(CONFIG.to_owned() + rule)), ("x.py", "x = 1\n")]);
    s.branch("<b>topic</b>");
    names.iter().for_each(|name| s.write(name, format!("{}\n```\n</code>\n", texts.join("\n"))));
    s.commit("work");
    for args in [&["review", "--format", "markdown"][..], &["gate", "--format", "markdown"], &["handoff"]] {
        let ran = s.swage(args);
        assert!(ran.stdout.len() > 5000, "{}", ran.rendered());
        let mut fences = 0;
        for event in Parser::new_ext(&ran.stdout, Options::all()) {
            match event {
                Event::Html(_) | Event::InlineHtml(_) => panic!("HTML: {event:?}\n{}", ran.stdout),
                Event::Start(
                    Tag::Link { .. } | Tag::Image { .. } | Tag::Emphasis | Tag::Strikethrough | Tag::HtmlBlock,
                ) => {
                    panic!("{event:?}\n{}", ran.stdout)
                }
                Event::Start(Tag::CodeBlock(_)) => fences += 1,
                _ => {}
            }
        }
        assert_eq!(fences, names.len() * texts.len(), "{args:?}: each finding has its code\n{}", ran.stdout);
        for bare in ["https://", "www.evil", " @maintainer"] {
            let outside = ran.stdout.lines().filter(|l| !l.starts_with(['+', '-', ' ']) && !l.contains('`'));
            assert!(outside.clone().all(|l| !l.contains(bare)), "{bare} in {:?}", outside.collect::<Vec<_>>());
        }
    }
}
