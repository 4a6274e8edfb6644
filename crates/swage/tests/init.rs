//! Setting up a repository, and its hooks.

mod common;
use common::{CONFIG, Sandbox};

#[test]
fn init_writes_a_configuration_that_works_and_overwrites_nothing() {
    let s = Sandbox::with(&[("src/a.ts", "export const a = 1;\n"), ("b.py", "b = 1\n"), ("README.md", "text\n")]);
    insta::assert_snapshot!(s.swage(&["init"]).rendered());
    let written = s.read("swage.toml");
    let listed = s.swage(&["rules", "list"]);
    assert_eq!((listed.code, listed.stdout.contains("too-many-parameters")), (0, true), "{}", listed.rendered());
    assert_eq!(s.swage(&["rules", "test"]).code, 0);
    // The rule that is given as a suggestion works too.
    let example: String = written
        .lines()
        .skip_while(|l| *l != "# [[rule]]")
        .take_while(|l| l.starts_with('#'))
        .map(|l| format!("{}\n", l.trim_start_matches("# ")))
        .collect();
    s.write("swage.toml", written.clone() + &example);
    assert!(s.swage(&["rules", "list"]).stdout.contains("no-direct-store"));
    s.write("swage.toml", "# mine\n");
    let again = s.swage(&["init"]);
    assert!(again.stdout.contains("it stays as it is") && s.read("swage.toml") == "# mine\n", "{}", again.rendered());
}

#[test]
fn hooks_stand_beside_others() {
    let s = Sandbox::with(&[("swage.toml", CONFIG), ("a.py", "a = 1\n")]);
    let program = std::path::Path::new(env!("CARGO_BIN_EXE_swage")).parent().expect("a folder").display().to_string();
    let path = format!("{program}:{}", std::env::var("PATH").unwrap_or_default());
    s.write(".git/hooks/pre-commit", "#!/bin/sh\necho ran > .git/earlier\n");
    std::process::Command::new("chmod").arg("+x").arg(s.root.join(".git/hooks/pre-commit")).status().expect("chmod");
    for _ in 0..2 {
        assert_eq!(s.swage_in(".", &["init", "--hook", "commit"], "", &[("PATH", &path)]).code, 0);
    }
    let commit = |text: &str| {
        s.write("a.py", text);
        s.git(&["add", "a.py"]);
        let mut command = std::process::Command::new("git");
        command.current_dir(&s.root).env("PATH", &path).env("GIT_CONFIG_GLOBAL", "/dev/null").args([
            "-c",
            "user.name=x",
            "-c",
            "user.email=x@example.org",
            "commit",
            "-m",
            "m",
        ]);
        let output = command.output().expect("git runs");
        (output.status.success(), String::from_utf8_lossy(&output.stderr).into_owned())
    };
    let (done, said) = commit("a = 1\nbad(2)\n");
    assert!(!done && said.contains("a.py:2:1: error: `bad(2)` is bad. [no-bad]"), "{said}");
    assert_eq!(s.read(".git/earlier"), "ran\n");
    let (done, said) = commit("a = 2\n");
    assert!(done, "{said}");
}

#[test]
fn a_branch_of_any_name_is_set_up() {
    let s = Sandbox::bare_folder();
    s.git(&["init", "--quiet", "--initial-branch=trunk"]);
    s.write("a.py", "x = 1\n");
    s.commit("base");
    let alone = s.swage(&["review"]);
    assert!(alone.code == 2 && alone.stderr.contains("git config swage.target"), "{}", alone.rendered());
    assert_eq!(s.swage(&["init"]).code, 0);
    assert_eq!(s.git(&["config", "swage.target"]), "trunk");
    assert!(s.read("swage.toml").contains("target = \"trunk\""));
    s.commit("set up");
    s.branch("topic");
    s.write("a.py", "x = 1\nbreakpoint()\n");
    for args in [&["review"][..], &["gate"]] {
        let ran = s.swage(args);
        assert!(ran.stdout.contains("trunk") && ran.code < 2, "{}", ran.rendered());
    }
    // Another clone has nothing but its branches to go by.
    s.commit("work");
    s.git(&["clone", "--quiet", "--no-local", ".", "../clone"]);
    let elsewhere = s.swage_in("../clone", &["gate", "--committed"], "", &[]);
    assert!(elsewhere.code == 2 || elsewhere.stdout.contains("trunk"), "{}", elsewhere.rendered());
}
