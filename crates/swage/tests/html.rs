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
    assert_eq!((ran.code, ran.stdout.as_str()), (1, ""), "{}", ran.rendered());
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

/// The lines of each file on a page, as `marker old new text`, hunks parted by `@`.
fn lines_on(page: &str) -> Vec<(String, Vec<String>)> {
    let plain = |html: &str| {
        let mut out = String::new();
        html.split('<').for_each(|piece| out += piece.split_once('>').map_or(piece, |(_, text)| text));
        let entities =
            [("&lt;", "<"), ("&gt;", ">"), ("&quot;", "\""), ("&#x27;", "'"), ("&#x2f;", "/"), ("&amp;", "&")];
        entities.iter().fold(out, |text, (entity, sign)| text.replace(entity, sign))
    };
    let files = page.split("<details class=\"card file\"").skip(1);
    let file = |part: &str| {
        let path = part.split("data-path=\"").nth(1).and_then(|rest| rest.split('"').next()).unwrap_or_default();
        let rows = part.lines().filter_map(|line| {
            if line.starts_with("<div class=\"gap\"") {
                return Some("@".to_owned());
            }
            let rest = line.strip_prefix("<div class=\"l")?;
            let marker = rest
                .strip_prefix(' ')
                .and_then(|rest| rest.chars().next())
                .map_or(' ', |c| if c == 'a' { '+' } else { '-' });
            let mut numbers = rest.split("<i>").skip(1).map(|piece| piece.split('<').next().unwrap_or_default());
            let (old, new) = (numbers.next()?, numbers.next()?);
            let code = rest.split_once("<code>")?.1.split("</code>").next()?;
            Some(format!("{marker} {old} {new} {}", plain(code)))
        });
        (path.to_owned(), rows.collect())
    };
    files.map(file).collect()
}

/// The same from git's own diff.
fn lines_of(diff: &str) -> Vec<(String, Vec<String>)> {
    let mut files: Vec<(String, Vec<String>)> = Vec::new();
    let (mut old, mut new) = (0, 0);
    for line in diff.lines() {
        if let Some(path) = line.strip_prefix("+++ b/") {
            files.push((path.to_owned(), Vec::new()));
        } else if let Some(hunk) = line.strip_prefix("@@ -") {
            let number = |text: &str| text.split([',', ' ']).next().and_then(|n| n.parse::<u32>().ok()).unwrap_or(0);
            let (before, after) = hunk.split_once(" +").unwrap_or_default();
            (old, new) = (number(before), number(after));
            let rows = &mut files.last_mut().expect("a file").1;
            if !rows.is_empty() {
                rows.push("@".to_owned());
            }
        } else if let Some((_, rows)) = files
            .last_mut()
            .filter(|_| !line.starts_with("diff ") && !line.starts_with("index ") && !line.starts_with("--- "))
        {
            let (marker, text) = line.split_at(1);
            match marker {
                "+" => rows.push(format!("+  {new} {text}")),
                "-" => rows.push(format!("- {old}  {text}")),
                _ => rows.push(format!("  {old} {new} {text}")),
            }
            old += u32::from(marker != "+");
            new += u32::from(marker != "-");
        }
    }
    files
}

/// A page shows the lines that git's diff shows, with the same numbers, in the same hunks: on files that were edited at random.
#[test]
fn the_lines_of_a_page_are_those_of_the_diff() {
    let mut state = 0x2545_f491_4f6c_dd1d_u64;
    let mut random = move |below: u64| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state % below
    };
    let words = ["if a < b && c > 'd':", "x = \"<b>\" # why", "\tindented", "", "return f(x, 7)", "}", "end & go"];
    let line = |random: &mut dyn FnMut(u64) -> u64| format!("{} {}", words[random(7) as usize], random(9));
    let mut before: Vec<(String, Vec<String>)> = Vec::new();
    for n in 0..24 {
        let ending = ["py", "js", "txt", "rs"][n % 4];
        let lines = (0..random(60)).map(|_| line(&mut random)).collect();
        before.push((format!("f{n:02}.{ending}"), lines));
    }
    let text = |lines: &[String]| lines.iter().map(|line| format!("{line}\n")).collect::<String>();
    let mut s = Sandbox::with(&[("swage.toml", CONFIG)]);
    before.iter().for_each(|(path, lines)| s.write(path, text(lines)));
    s.commit("before");
    s.branch("topic");
    for (path, lines) in &mut before {
        for _ in 0..=random(5) {
            let at = random(lines.len() as u64 + 1) as usize;
            let gone = (random(4) as usize).min(lines.len() - at);
            let fresh: Vec<String> = (0..random(4)).map(|_| line(&mut random)).collect();
            lines.splice(at..at + gone, fresh);
        }
        s.write(path, text(lines));
    }
    s.commit("after");
    let page = s.swage(&["review", "main...topic", "--format", "html"]).stdout;
    let diff = s.git(&["diff", "--no-color", "-U3", "main", "topic"]);
    let mut expected = lines_of(&diff);
    expected.retain(|(_, rows)| !rows.is_empty());
    assert!(expected.len() > 15, "{}", expected.len());
    assert_eq!(lines_on(&page), expected);
    s = harbour();
    assert!(!lines_on(&s.swage(&["review", "--format", "html"]).stdout).is_empty(), "control");
}
