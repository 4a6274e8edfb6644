//! Repositories of every shape, made with git itself.

use std::path::Path;
use std::process::Command;

use swage_core::change::{ChangedFile, Content, Nature, Tree};
use swage_core::config::FileReader;
use swage_git::{DiffSource, GitError, Head, Merge, Repository};

fn git(folder: &Path, args: &[&str]) -> String {
    let mut command = Command::new("git");
    command.arg("-C").arg(folder).args(["-c", "user.name=harbour-dev", "-c", "user.email=harbour-dev@example.org"]);
    command.args(["-c", "init.defaultBranch=main"]).args(args);
    command.env("GIT_CONFIG_GLOBAL", "/dev/null").env("GIT_CONFIG_SYSTEM", "/dev/null");
    let output = command.output().expect("git runs");
    assert!(output.status.success(), "git {args:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).trim().to_owned()
}

fn commit(folder: &Path, files: &[(&str, &[u8])]) -> String {
    for (path, content) in files {
        let path = folder.join(path);
        std::fs::create_dir_all(path.parent().expect("a folder")).expect("made");
        std::fs::write(path, content).expect("written");
    }
    git(folder, &["add", "--all"]);
    git(folder, &["commit", "--quiet", "--allow-empty", "-m", "m"]);
    git(folder, &["rev-parse", "HEAD"])
}

fn repository() -> (tempfile::TempDir, Repository) {
    let dir = tempfile::tempdir().expect("a folder");
    git(dir.path(), &["init", "--quiet"]);
    let rules = [(".swage/rules/x.toml", &b""[..]), (".swage/rules/deep/y.toml", b"")];
    commit(dir.path(), &[&[("a.txt", &b"a\n"[..]), ("sub/b.txt", b"b\n")], &rules[..]].concat());
    let repository = Repository::discover(&dir.path().join("sub")).expect("found");
    (dir, repository)
}

#[test]
fn targets_are_found_in_order() {
    let (dir, repository) = repository();
    let names = |r: &Repository, named: Option<&str>| {
        named
            .map_or_else(|| r.usual_target(), |name| r.target(name, "the test"))
            .map(|t| t.name)
            .map_err(|e| e.to_string())
    };
    assert_eq!(names(&repository, None), Ok("main".into()));
    git(dir.path(), &["branch", "stable"]);
    assert_eq!(names(&repository, Some("stable")), Ok("stable".into()));
    assert!(matches!(repository.target("nowhere", "the test"), Err(GitError::NoSuchTarget { .. })));

    // A clone has the remote's default branch, under whatever name.
    git(dir.path(), &["branch", "-m", "main", "trunk"]);
    let clone = dir.path().join("clone");
    git(dir.path(), &["clone", "--quiet", ".", "clone"]);
    git(&clone, &["checkout", "--quiet", "-b", "topic"]);
    git(&clone, &["branch", "-D", "trunk"]);
    let cloned = Repository::discover(&clone).expect("found");
    assert_eq!(names(&cloned, None), Ok("origin/trunk".into()));
    assert_eq!(names(&cloned, Some("stable")), Ok("origin/stable".into()));
    git(dir.path(), &["branch", "-D", "stable"]);
    assert!(repository.usual_target().is_err(), "neither main nor master nor a remote");
}

#[test]
fn revisions_and_ancestors() {
    let (dir, repository) = repository();
    let first = repository.head().expect("it is read").expect("a commit");
    git(dir.path(), &["tag", "-a", "v1", "-m", "an annotated tag"]);
    assert_eq!(repository.commit("v1").expect("peeled to its commit"), first);
    let second = commit(dir.path(), &[("c.txt", b"c\n")]);
    assert_eq!(repository.commit("HEAD~1").expect("a revision"), first);
    assert_eq!(repository.merge_base(&first, &second).expect("an ancestor"), first);
    for wrong in ["nowhere", "HEAD~9", "", "HEAD:a.txt", "--all", "v1..HEAD"] {
        assert!(matches!(repository.commit(wrong), Err(GitError::BadRevision(_))), "{wrong}");
    }
    git(dir.path(), &["checkout", "--quiet", "--orphan", "alone"]);
    let alone = commit(dir.path(), &[]);
    let none = repository.merge_base(&alone, &first);
    assert!(matches!(none, Err(GitError::NoMergeBase { shallow: false, .. })));
    assert!(matches!(Repository::discover(Path::new("/")), Err(GitError::NoRepository(_))));
}

#[test]
fn files_of_a_commit_are_read_without_a_checkout() {
    let (dir, repository) = repository();
    std::os::unix::fs::symlink("a.txt", dir.path().join("link")).expect("a link");
    let id = commit(dir.path(), &[]);
    std::fs::remove_file(dir.path().join("a.txt")).expect("removed");
    let files = repository.files(&id).expect("its files");
    let listed = |at: usize| (String::from_utf8_lossy(&files.files[at].path).into_owned(), files.files[at].nature);
    assert_eq!(listed(2), ("a.txt".into(), Nature::Text));
    assert_eq!(listed(3), ("link".into(), Nature::Symlink));
    assert!(matches!(files.content(2), Content::Whole { bytes, .. } if bytes == b"a\n"));
    // As configuration: one folder deep, never through links, beside the repository for `../`.
    assert_eq!(files.list(".swage/rules"), Ok(vec!["x.toml".to_owned()]));
    assert_eq!(files.read("sub/b.txt"), Ok(Some(b"b\n".to_vec())));
    assert_eq!(files.read("nowhere"), Ok(None));
    assert!(files.read("link").is_err());
    assert_eq!(files.read("../nowhere-at-all.toml"), Ok(None));
}

#[test]
fn contents_are_old_ones_with_the_hunks_applied() {
    let (dir, repository) = repository();
    let base = repository.head().expect("it is read").expect("a commit");
    git(dir.path(), &["config", "core.autocrlf", "true"]);
    std::fs::write(dir.path().join("a.txt"), "a\r\nmore\r\n").expect("written");
    git(dir.path(), &["mv", "sub/b.txt", "sub/moved.txt"]);
    std::fs::write(dir.path().join("new.txt"), "new\r\n").expect("written");
    let read = repository.diff(DiffSource::WorkingTree { base: Some(base) }).expect("a diff");
    let rendered = read.with(|change, contents| {
        let text = |c: Content| match c {
            Content::Whole { bytes, .. } => format!("{:?}", String::from_utf8_lossy(&bytes)),
            other => format!("{other:?}"),
        };
        let file = |(i, f): (usize, &ChangedFile)| {
            let sides = contents.sides(i);
            let path = String::from_utf8_lossy(&f.new_path);
            format!("{path} {:?} {} -> {}", f.kind, text(sides.old), text(sides.new))
        };
        change.files.iter().enumerate().map(file).collect::<Vec<_>>().join("\n")
    });
    // The checkout's CR LF is none of the content's business.
    insta::assert_snapshot!(rendered.expect("read"), @r#"
    a.txt Modified "a\n" -> "a\nmore\n"
    new.txt Added Absent -> "new\n"
    sub/moved.txt Renamed "b\n" -> "b\n"
    "#);
    let index = git(dir.path(), &["diff", "--cached", "--name-status"]);
    assert_eq!(index, "R100\tsub/b.txt\tsub/moved.txt", "the index was touched");
}

/// A file that is written twice within a tick of the clock, as long as before, looks the same from outside.
#[test]
fn files_that_only_their_content_tells_apart_are_read() {
    let (dir, repository) = repository();
    let base = repository.head().expect("it is read").expect("a commit");
    let tick = std::time::SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(1_700_000_000);
    let set = |path: &str| {
        let file = std::fs::File::options().write(true).open(dir.path().join(path)).expect("opened");
        file.set_modified(tick).expect("its time is set");
    };
    // No test can set the time at which a file's own record was changed.
    git(dir.path(), &["config", "core.trustctime", "false"]);
    set("a.txt");
    git(dir.path(), &["update-index", "--really-refresh"]);
    set(".git/index");
    std::fs::write(dir.path().join("a.txt"), "b\n").expect("written");
    set("a.txt");
    let read = repository.diff(DiffSource::WorkingTree { base: Some(base) }).expect("a diff");
    assert_eq!(read.with(|change, _| change.files.len()).expect("read"), 1, "the diff");
    let target = repository.usual_target().expect("a target");
    let merge = repository.merge(&target, &Head::WorkingTree).expect("merged");
    assert_eq!(merge.change.with(|change, _| change.files.len()).expect("read"), 1, "the merge");
}

#[test]
fn merges_leave_nothing_behind() {
    let (dir, repository) = repository();
    git(dir.path(), &["checkout", "--quiet", "-b", "topic"]);
    commit(dir.path(), &[("a.txt", b"topic\n"), ("t.txt", b"t\n")]);
    git(dir.path(), &["checkout", "--quiet", "main"]);
    commit(dir.path(), &[("m.txt", b"m\n")]);
    let objects = git(dir.path(), &["count-objects"]);
    let target = repository.usual_target().expect("a target");
    let paths = |merge: &Merge<'_>| {
        let path = |f: &ChangedFile| String::from_utf8_lossy(&f.new_path).into_owned();
        merge.change.with(|c, _| c.files.iter().map(path).collect::<Vec<_>>()).expect("read")
    };
    let topic = Head::Commit(repository.commit("topic").expect("a commit"));
    let merge = repository.merge(&target, &topic).expect("merged");
    assert_eq!((paths(&merge), merge.conflicts.len()), (vec!["a.txt".into(), "t.txt".into()], 0));

    std::fs::write(dir.path().join("a.txt"), "unsaved\n").expect("written");
    let unsaved = repository.merge(&target, &Head::WorkingTree).expect("merged");
    assert_eq!(paths(&unsaved), ["a.txt"]);
    assert!(paths(&repository.merge(&target, &Head::Index).expect("merged")).is_empty());
    assert_eq!(git(dir.path(), &["count-objects"]), objects, "objects were written");

    commit(dir.path(), &[]);
    let target = repository.usual_target().expect("a target");
    let merge = repository.merge(&target, &topic).expect("merged");
    assert_eq!(merge.conflicts, ["a.txt"]);
}

/// What can't be read is distinguished from what doesn't exist.
#[test]
fn repositories_that_lack_something() {
    let (dir, repository) = repository();
    let id = repository.head().expect("it is read").expect("a commit");
    let bare = dir.path().join("bare.git");
    git(dir.path(), &["clone", "--quiet", "--bare", ".", "bare.git"]);
    let stored = Repository::discover(&bare).expect("found");
    let target = stored.usual_target().expect("a target");
    let refused = stored.merge(&target, &Head::WorkingTree).err();
    assert!(matches!(refused, Some(GitError::Bare)), "{refused:?}");
    let outside = stored.files(&id).expect("its files").read("../beside.toml");
    insta::assert_snapshot!(outside.unwrap_err(), @"../beside.toml lies outside the repository, and a bare one has no place beside it");

    git(dir.path(), &["checkout", "--quiet", "--orphan", "fresh"]);
    let target = repository.target("main", "the test").expect("a target");
    let refused = repository.merge(&target, &Head::WorkingTree).err();
    assert!(matches!(refused, Some(GitError::NoMergeBase { shallow: false, .. })), "{refused:?}");
    git(dir.path(), &["checkout", "--quiet", "--force", "main"]);

    // A blob that a partial clone left away, and one that a disk has spoilt.
    let object = |path: &str| {
        let blob = git(dir.path(), &["rev-parse", &format!("HEAD:{path}")]);
        dir.path().join(format!(".git/objects/{}/{}", &blob[..2], &blob[2..]))
    };
    std::fs::remove_file(object("a.txt")).expect("removed");
    let spoilt = object("sub/b.txt");
    std::fs::remove_file(&spoilt).expect("removed");
    std::fs::write(&spoilt, "spoilt").expect("written");
    let files = repository.files(&id).expect("its files");
    let why = |path: &str| {
        let index = files.files.iter().position(|f| f.path == path.as_bytes()).expect("a file");
        match files.content(index) {
            Content::Unavailable(why) => why,
            other => panic!("{path}: {other:?}"),
        }
    };
    assert_eq!(why("a.txt"), "its content isn't in this clone (shallow or partial)");
    assert!(why("sub/b.txt").starts_with("its content can't be read: "), "{}", why("sub/b.txt"));
    assert!(files.read("a.txt").is_err_and(|why| why.starts_with("a.txt: its content isn't in this clone")));
    std::fs::write(dir.path().join("a.txt"), "changed\n").expect("written");
    let refused = repository.diff(DiffSource::WorkingTree { base: Some(id) }).err();
    assert!(matches!(refused, Some(GitError::Failed { .. })), "{refused:?}");
}
