//! What people are shown in terminals of three widths: no line is wider, and none is lost.

mod common;
#[path = "common/terminal.rs"]
mod terminal;
use std::io::Read;

use common::{CONFIG, Sandbox};
use terminal::in_terminal;
use unicode_width::UnicodeWidthStr;

/// What a command prints on a terminal, its colours left out.
fn printed(s: &Sandbox, args: &[&str], cols: u16) -> String {
    let (pair, command) = in_terminal(s, args, (24, cols));
    let mut child = pair.slave.spawn_command(command).expect("swage starts");
    drop(pair.slave);
    let mut reader = pair.master.try_clone_reader().expect("its output");
    let mut bytes = Vec::new();
    // The end of a terminal is an error on Linux.
    _ = reader.read_to_end(&mut bytes);
    child.wait().expect("it ends");
    String::from_utf8(anstream::adapter::strip_bytes(&bytes).into_vec()).expect("text")
}

#[test]
fn every_view_fits_its_terminal() {
    let path = "src/a/folder/with/a/rather/long/name/and-a-file-with-one-too.py";
    let wide = "def quay(a):\n    note = \"潮の満ち引きと船着き場の予約についての長い説明です\"\n    return a\n";
    let s = Sandbox::with(&[("swage.toml", CONFIG), (path, wide), ("a.py", "bad(0)\n")]);
    s.branch("a-branch-with-a-long-name");
    s.write(path, format!("{wide}\ndef {0}(b):\n    bad(b, \"{1}\")\n", "very_long_name".repeat(4), "x".repeat(300)));
    s.write("a.py", "bad(1)\n");
    s.commit("A subject that is about as long as people write them when they have much to say at once");
    let change = "main...HEAD";
    let views: [&[&str]; 22] = [
        &["review", change, "--all"],
        &["review", change, "--format", "lines"],
        &["gate", "main..HEAD"],
        &["compare", "main", "HEAD"],
        &["scan"],
        &["scan", "--summary"],
        &["brief", change],
        &["rules", "list"],
        &["rules", "list", "--languages"],
        &["rules", "show", "no-bad"],
        &["rules", "show", "no-bed"],
        &["rules", "test"],
        &["rules", "report"],
        &["rules", "replay", "no-bad"],
        &["rules", "try", "bad(ARGS)", "--language", "python", "a.py"],
        &["fix", change],
        &["handoff", change],
        &["trend"],
        &["trend", "--runs"],
        &["settle", "nothing", "--as", "intended", "--because", "x"],
        &["review", "nonsense-that-is-no-range-of-revisions-at-all"],
        &["inbox"],
    ];
    for args in views {
        let words = |text: &str| text.split_whitespace().collect::<String>();
        let mut all = Vec::new();
        for cols in [40, 80, 140] {
            let text = printed(&s, args, cols);
            assert!(!text.is_empty(), "{args:?} says nothing");
            // Progress is drawn over.
            let lines = text.lines().map(|line| line.rsplit('\r').next().unwrap_or_default());
            let too_wide: Vec<&str> = lines.filter(|line| line.width() > usize::from(cols)).collect();
            // Lines for programs stay whole, which shows that the width is looked at.
            let expected = args.contains(&"lines") && cols == 40;
            assert!(too_wide.is_empty() != expected || cols > 40, "{args:?} at {cols}:\n{}", too_wide.join("\n"));
            assert!(too_wide.is_empty() || args.contains(&"lines"), "{args:?} at {cols}:\n{}", too_wide.join("\n"));
            all.push(words(&text));
        }
        // Where nothing is cut or laid out again, the same is said.
        if matches!(args[0], "handoff" | "settle" | "inbox") {
            assert!(all.windows(2).all(|pair| pair[0] == pair[1]), "{args:?}: {all:#?}");
        }
    }
}
