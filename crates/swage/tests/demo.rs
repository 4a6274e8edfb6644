//! The demo.

mod common;
use common::Sandbox;

#[test]
fn the_demo_tells_its_story_and_leaves_its_folder() {
    let s = Sandbox::bare_folder();
    let folder = s.root.join("ferry");
    let ran = s.swage(&["demo", "ferry"]);
    assert_eq!(ran.code, 0, "{}", ran.rendered());
    // The port of its host and the place of the program differ from run to run.
    let story: Vec<&str> = ran.stdout.lines().filter(|l| !l.contains("127.0.0.1") && !l.contains("alias")).collect();
    let story = story.join("\n").replace(&*folder.to_string_lossy(), "[folder]");
    // Merges have the time in them, and some steps are timed.
    let filters = vec![
        (r"\b[0-9a-f]{10}\b", "[commit]"),
        (r"\b20(2\d|30)-\d\d-\d\d\b", "[today]"),
        (r"\b\d+(\.\d+)?(µs|ms|s)\b|\d+\.\d s\b", "[time]"),
    ];
    insta::with_settings!({ filters => filters }, {
        insta::assert_snapshot!(story);
    });
    assert!(folder.join("swage.toml").is_file());
    // Its own folder may be made again, any other stays.
    assert_eq!(s.swage(&["demo", "ferry", "--again"]).code, 0);
    s.write("other/file", "mine");
    assert_eq!((s.swage(&["demo", "other"]).code, s.read("other/file")), (2, "mine".to_owned()));
}

#[test]
fn a_demo_is_regenerated_only_when_nobody_changed_it() {
    let s = Sandbox::bare_folder();
    assert_eq!(s.swage(&["demo", "ferry"]).code, 0);
    let again = s.swage(&["demo", "ferry"]);
    assert!(again.code == 2 && again.stderr.contains("holds a demo already"), "{}", again.rendered());
    assert_eq!(s.swage(&["demo", "ferry", "--again"]).code, 0);
    let in_demo = |args: &[&str]| s.git(&[&["-C", "ferry"], args].concat());
    let changes: [fn(&Sandbox); 3] = [
        |s| s.write("ferry/notes.txt", "mine\n"),
        |s| _ = s.git(&["-C", "ferry", "branch", "mine"]),
        |s| s.write("ferry/.git/hooks/pre-commit", "#!/bin/sh\n"),
    ];
    for change in changes {
        change(&s);
        let again = s.swage(&["demo", "ferry", "--again"]);
        assert!(again.code == 2 && again.stderr.contains("has been changed"), "{}", again.rendered());
        std::fs::remove_file(s.root.join("ferry/notes.txt")).ok();
        std::fs::remove_file(s.root.join("ferry/.git/hooks/pre-commit")).ok();
        if in_demo(&["branch", "--list", "mine"]).contains("mine") {
            in_demo(&["branch", "-D", "mine"]);
        }
    }
    assert_eq!(s.swage(&["demo", "ferry", "--again"]).code, 0, "as it was");
}
