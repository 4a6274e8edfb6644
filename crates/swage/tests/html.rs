//! Pages: what they show, that nothing of a change runs or breaks out in a browser, and that they stay small enough.

mod common;
use std::process::Command;

use common::{CONFIG, Sandbox};

/// The page's body without the script, as text with its tags taken away.
fn text(page: &str) -> String {
    let body = page.split("<main>").nth(1).and_then(|rest| rest.split("</main>").next()).unwrap_or_default();
    let mut out = String::new();
    let mut inside = false;
    for c in body.chars() {
        match c {
            '<' => {
                inside = true;
                out.push(' ');
            }
            '>' => inside = false,
            c if !inside => out.push(c),
            _ => {}
        }
    }
    let lines = out.lines().map(|line| line.split_whitespace().collect::<Vec<_>>().join(" "));
    lines.filter(|line| !line.is_empty()).collect::<Vec<_>>().join("\n")
}

/// What a browser makes of a page; `None`, with a notice, where there is none.
fn in_browser(s: &Sandbox, path: &str) -> Option<String> {
    let profile = tempfile::tempdir().expect("a folder");
    if Command::new("chromium").arg("--version").output().is_err() {
        eprintln!("chromium isn't installed, so pages aren't tried in a browser");
        return None;
    }
    let output = Command::new("timeout")
        .args(["120", "chromium"])
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"])
        .args(["--disable-component-update", "--disable-sync", "--virtual-time-budget=5000", "--dump-dom"])
        .arg(format!("--user-data-dir={}", profile.path().display()))
        .arg(format!("file://{}", s.root.join(path).display()))
        .output()
        .expect("timeout runs");
    Some(String::from_utf8_lossy(&output.stdout).into_owned())
}

fn harbour() -> Sandbox {
    let s = Sandbox::with(&[
        ("swage.toml", CONFIG),
        ("load.py", "def load(path):\n    return open(path)\n"),
        ("b.py", "x = 1\n"),
    ]);
    s.branch("topic");
    s.write("load.py", "def load(path, start, end, step):\n    # each day\n    bad(path)\n    return open(path)\n");
    s.write("b.py", "from load import load\n\nx = load(\"a\", 1, 2, 3)\n");
    s.commit("Load some days");
    s
}

#[test]
fn pages_show_the_change_with_its_findings() {
    let s = harbour();
    let ran = s.swage(&["gate", "--format", "html", "--output", "gate.html"]);
    assert_eq!((ran.code, ran.stdout.as_str()), (1, ""), "{}", ran.told());
    let page = s.read("gate.html");
    insta::assert_snapshot!("gate", common::normal(&text(&page)));
    // Nothing is fetched from anywhere.
    for outside in ["http:", "https:", "src=", "@import", "url("] {
        let found = page.replace("http://www.w3.org/2000/svg", "").replace("url(#tip)", "");
        assert!(!found.contains(outside), "{outside}");
    }
    let names = ["review", "scan", "compare main topic", "brief"];
    for name in names {
        let args: Vec<&str> = name.split(' ').chain(["--format", "html"]).collect();
        let page = s.swage(&args).stdout;
        assert!(page.starts_with("<!doctype html>") && page.trim_end().ends_with("</html>"), "{name}: {page}");
        assert!(page.contains("no-bad") || name == "brief", "{name}");
    }
    let one = s.swage(&["review", "--format", "html", "--threads", "1", "--no-cache"]).stdout;
    assert_eq!(one, s.swage(&["review", "--format", "html", "--threads", "8"]).stdout);
    if let Some(dom) = in_browser(&s, "gate.html") {
        // The page's own script runs under the policy that it states.
        assert!(dom.contains("<body class=\"scripted\">") && dom.contains("2 of 2 files to read"), "{dom}");
    }
}

/// Names, code, messages and titles are whatever a change likes.
#[test]
fn nothing_of_a_change_runs() {
    let rule = "\n[[rule]]\nid = \"says\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"{match}\"\nmatch = { text = 'say .*' }\n";
    let s = Sandbox::with(&[("swage.toml", &(CONFIG.to_owned() + rule)), ("x.py", "x = 1\n")]);
    s.branch("topic");
    let attacks = [
        "<script>document.title='ow'+'ned'</script>",
        "<img src=x onerror=\"document.title='ow'+'ned'\">",
        "\" onmouseover=\"document.title='ow'+'ned'\" x=\"",
        "</code></div></main><script>document.title='ow'+'ned'</script>",
        "{{ 700 * 7 }} {% raw %} &lt;b&gt; ]]>",
        "</style></title><svg onload=document.title='ow'+'ned'>",
    ];
    for (index, attack) in attacks.iter().enumerate() {
        s.write(&format!("a{index}.txt"), format!("say {attack}\n"));
        s.write(&format!("f{index}.js"), format!("function f{index}() {{ return g('{attack}'); }} // {attack}\n"));
        let name = attack.replace('/', "\u{2215}");
        s.write(&format!("{name}.py"), "def go():\n    say \u{1b}[31m\u{202e}\n");
    }
    s.commit(&format!("{} {}", attacks[0], attacks[1]));
    for command in ["review", "gate", "brief", "scan"] {
        s.swage(&[command, "--format", "html", "--output", "page.html"]);
        let page = s.read("page.html");
        assert!(page.matches("<script>").count() == 1, "{command}");
        assert!(!page.contains('\u{1b}') && !page.contains('\u{202e}'), "{command}");
        assert!(!page.contains("4900"), "{command}: a template was carried out");
        if let Some(dom) = in_browser(&s, "page.html") {
            assert!(!dom.contains("<title>owned"), "{command}: {dom}");
            assert!(dom.contains("scripted") && dom.matches("<script").count() == 1, "{command}");
            for tag in dom.split('<').skip(1) {
                // A browser writes quotes in attributes as entities, so every other piece is a value.
                let names: String = tag.split('"').step_by(2).take_while(|piece| !piece.contains('>')).collect();
                let handler = names.split_whitespace().find(|name| name.starts_with("on") && name.contains('='));
                assert!(handler.is_none() && !tag.starts_with("img"), "{command}: {tag}");
            }
        }
    }
}

#[test]
fn secrets_are_masked_in_pages() {
    let rule = "\n[[rule]]\nid = \"key\"\nseverity = \"error\"\nsecret = true\ntitle = \"t\"\nmessage = \"A key.\"\nmatch = { text = 'key-[a-z]{8}' }\n";
    let s = Sandbox::with(&[("swage.toml", &(CONFIG.to_owned() + rule)), ("a.py", "a = 'key-abcdefgh'\nb = 1\n")]);
    s.branch("topic");
    s.write("a.py", "a = 'key-ijklmnop'\nb = 2\nc = 'key-ijklmnop'\n");
    s.commit("Other keys");
    for command in ["review", "gate", "brief"] {
        let page = s.swage(&[command, "--format", "html"]).stdout;
        assert!(page.contains("••••") && !page.contains("abcdefgh") && !page.contains("ijklmnop"), "{command}: {page}");
    }
}
