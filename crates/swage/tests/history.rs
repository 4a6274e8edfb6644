//! What past runs left: the trend of the target, the list of runs, and what people make of each rule.

mod common;
use common::{Ran, Sandbox};

const CONFIG: &str = "packs = [\"leftovers\"]\n\n[[rule]]\nid = \"no-bad\"\nseverity = \"error\"\ntitle = \"t\"\nmessage = \"{match}\"\nlanguages = [\"python\"]\nskip_paths = [\"old/**\"]\nmatch = { code = \"bad(X)\", holes.X = {} }\n";

/// Text with times of day masked.
fn rendered(ran: &Ran) -> String {
    let mut out = String::new();
    for line in ran.rendered().lines() {
        let is_time = line.len() > 16 && line.as_bytes()[13] == b':' && line.starts_with("20");
        out += if is_time { &line[16..] } else { line };
        out.push('\n');
    }
    out
}

/// Three commits on main: one error, then three, then two.
fn harbour() -> Sandbox {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "bad(1)\n")]);
    s.write("b.py", "bad(2)\nbad(3)\n");
    s.commit("Two more");
    s.write("a.py", "good(1)\n");
    s.commit("One less");
    s
}

#[test]
fn the_target_is_shown_commit_by_commit() {
    let s = harbour();
    insta::assert_snapshot!("nothing-yet", s.swage(&["trend"]).rendered());
    s.swage(&["scan", "main"]);
    s.swage(&["scan", "--no-cache", "main~1"]);
    insta::assert_snapshot!("scanned", s.swage(&["trend"]).rendered());
    let first = s.git(&["rev-list", "--max-parents=0", "HEAD"]);
    let filled = s.swage(&["trend", "--since", first.trim(), "--plot", "plot.svg"]);
    insta::assert_snapshot!("filled", filled.rendered());
    let plot = s.read("plot.svg");
    let document = roxmltree::Document::parse(&plot).expect("well-formed");
    let texts: Vec<&str> = document.descendants().filter_map(|n| n.text()).map(str::trim).collect();
    for text in ["Findings", "errors", "warnings", "notes", "New (up) and fixed (down) by commit"] {
        assert!(texts.contains(&text), "{text} in {texts:?}");
    }
    // Filling in again finds everything done.
    assert_eq!(s.swage(&["trend", "--since", first.trim()]).stdout, filled.stdout);
    // Under other rules the same commits have other figures, and the table says where.
    s.write("swage.toml", CONFIG.replace("bad(X)", "good(X)"));
    s.commit("Other rules");
    s.swage(&["scan", "HEAD"]);
    insta::assert_snapshot!("other-rules", s.swage(&["trend", "--rule", "no-bad"]).rendered());
    let json = s.swage(&["trend", "--format", "json"]).json();
    let rows = json["rows"].as_array().expect("rows").iter();
    let rows: Vec<String> =
        rows.map(|r| format!("{} {} {} {}", r["errors"], r["new"], r["fixed"], r["other_rules"])).collect();
    assert_eq!(rows, ["3 2 0 false", "2 0 1 false", "1 null null true"]);
}

#[test]
fn runs_are_listed_and_forgotten() {
    let s = harbour();
    s.branch("topic");
    s.write("c.py", "bad(4)\n");
    for args in [&["review"][..], &["review", "--no-cache"], &["scan", "main"]] {
        s.swage(args);
    }
    s.commit("work");
    s.swage(&["gate"]);
    insta::assert_snapshot!("runs", rendered(&s.swage(&["trend", "--runs"])));
    let json = s.swage(&["trend", "--runs", "--format", "json"]).json();
    assert_eq!(json["runs"][0]["counts"][0]["state"], "new");
    let calls: &[&[&str]] = &[
        &["trend", "--prune", "1999-12-31"],
        &["trend", "--prune", "2999-12-31"],
        &["trend", "--runs"],
        &["trend", "--prune", "soon"],
        &["trend", "--since", "nowhere"],
        &["trend", "--plot", "x.png"],
        &["trend", "--plot", "x.svg"],
    ];
    let all = calls.iter().map(|args| format!("$ swage {}\n{}", args.join(" "), s.swage(args).rendered()));
    insta::assert_snapshot!("prune", all.collect::<Vec<_>>().join("\n"));
    // Without a history that can be written, everything else works.
    s.write(".git/swage/history.db", "this is no database, and long enough to be looked at as one");
    let _ = std::fs::remove_file(s.root.join(".git/swage/history.db-wal"));
    assert_eq!(s.swage(&["review"]).code, 0);
    insta::assert_snapshot!("broken", s.swage(&["trend"]).rendered());
}

#[test]
fn rules_learn_from_their_answers() {
    let s = harbour();
    insta::assert_snapshot!("report-empty", s.swage(&["rules", "report"]).rendered());
    s.branch("topic");
    let body = |n: u32| (0..n).map(|i| format!("bad({i})\n")).collect::<String>();
    s.write("tools/a.py", body(3));
    s.write("src/a.py", body(4));
    s.write("src/b.py", "# swage: allow no-bad because it is as it is\nbad(9)\n");
    s.swage(&["review"]);
    // Two are fixed; a run on a part of the work says nothing of the rest.
    s.write("src/a.py", body(2));
    s.swage(&["review", "--staged"]);
    let open = s.swage(&["rules", "report", "--format", "json"]).json();
    assert_eq!((&open["rules"][0]["found"], &open["rules"][0]["fixed"]), (&8.into(), &0.into()), "{open}");
    let review = s.swage(&["review", "--format", "json"]).json();
    let findings = review["findings"].as_array().expect("findings");
    for f in findings.iter().filter(|f| f["anchor"]["path"].as_str().is_some_and(|p| p.starts_with("tools/"))) {
        let key = f["key"].as_str().expect("a key");
        let settled = s.swage(&["settle", key, "--as", "intended", "--because", "tools may"]);
        assert_eq!(settled.code, 0, "{}", settled.rendered());
    }
    let report = s.swage(&["rules", "report"]);
    insta::assert_snapshot!("report", report.rendered());
    let json = s.swage(&["rules", "report", "--format", "json"]).json();
    assert_eq!(json["rules"][0]["proposals"][0]["adjust"]["skip_paths"][0], "tools/**", "{json}");
    // What is proposed can be written, keeps the file as it is, and has an effect.
    insta::assert_snapshot!("applied", s.swage(&["rules", "report", "--apply", "1"]).rendered());
    let config = s.read("swage.toml");
    assert!(config.starts_with(CONFIG), "{config}");
    insta::assert_snapshot!("adjusted", &config[CONFIG.len()..]);
    s.write(".swage/decisions.toml", "");
    let after = s.swage(&["review", "--format", "json"]).json();
    let paths: Vec<&str> =
        after["findings"].as_array().expect("findings").iter().filter_map(|f| f["anchor"]["path"].as_str()).collect();
    assert!(!paths.is_empty() && !paths.iter().any(|path| path.starts_with("tools/")), "{paths:?}");
    insta::assert_snapshot!("no-such-proposal", s.swage(&["rules", "report", "--apply", "7"]).rendered());
}
