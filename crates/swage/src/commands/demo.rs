//! `swage demo`: a small repository with four branches, and everything shown on it.

mod on_host;

use std::collections::BTreeMap;
use std::io::IsTerminal;
use std::path::PathBuf;
use std::process::{Command, ExitCode};

use include_dir::{Dir, include_dir};
use swage_core::diff::{Direction, Kind, ReadOptions, apply, read};

use self::on_host::People;
use crate::cli::DemoArgs;
use crate::failure::Failure;
use crate::output::print;
use crate::terminal::{Paint, width, wrap};

static DATA: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/../../demo");

/// Lies in the demo's `.git` and holds what the folder was like when the demo had made it.
const MARK: &str = "made-by-swage-demo";

/// The branches, their commit messages and who made them.
const BRANCHES: [(&str, &str, &str); 4] = [
    ("later-boats", "Show the next boat from a port", "harbour-dev"),
    ("quay-times", "Show a berth's times at the quay", "harbour-dev"),
    ("tidy-folders", "Move the boards into a place of their own", "maintainer"),
    ("winter-sailings", "Sail line 4 in winter, and no more to the market pier", "harbour-dev"),
];

pub fn run(args: &DemoArgs) -> Result<ExitCode, Failure> {
    let folder = args.folder.clone().unwrap_or_else(|| std::env::temp_dir().join("swage-demo"));
    let demo = Demo::prepare(folder, args.again || args.folder.is_none())?;
    demo.build()?;
    let people = demo.story()?;
    demo.mark()?;
    if args.keep_serving {
        people.keep_serving()?;
    }
    Ok(ExitCode::SUCCESS)
}

struct Demo {
    folder: PathBuf,
    program: PathBuf,
}

/// Findings of quay-times: in the route, and the function with too many parameters. Keys are the same in every run.
const ROUTE_FINDING: &str = "ff8062eeda3ffbf1";
const SELECT_FINDING: &str = "b5e81581f7bca765";

/// The series of mails that is answered.
const MAILS: &str = ".git/series.mbox";
/// Code that a rule is learned from: two places before and after somebody fixed them.
const FIXED: [(&str, &str); 4] = [
    ("board-before.py", "show(board, \"Full\", 3, 14, \"red\")\n"),
    ("board-after.py", "show(board, \"Full\", place(3, 14), \"red\")\n"),
    ("gate-before.py", "show(gate.board, closing(gate), row, 2, colour)\n"),
    ("gate-after.py", "show(gate.board, closing(gate), place(row, 2), colour)\n"),
];
/// A tag of main's first commit.
const FIRST: &str = "first";

type Files = BTreeMap<Vec<u8>, Vec<u8>>;

fn failed(what: &str, error: &dyn std::fmt::Display) -> Failure {
    Failure::unfinished(format!("the demo couldn't {what}: {error}"))
}

impl Demo {
    /// An empty folder. One that an earlier demo made is emptied when that is asked for and nothing in it was changed; any
    /// other stays as it is.
    fn prepare(folder: PathBuf, again: bool) -> Result<Self, Failure> {
        let program = std::env::current_exe().map_err(|e| failed("find its own program", &e))?;
        let filled = std::fs::read_dir(&folder).is_ok_and(|mut entries| entries.next().is_some());
        if filled || folder.is_file() {
            let earlier = Self { folder: folder.clone(), program: program.clone() };
            let made = std::fs::read_to_string(folder.join(".git").join(MARK)).ok();
            let left = |why: &str| Failure::wrong(format!("{} {why}, so nothing in it is changed", folder.display()));
            let empty = "Give `swage demo` a folder that is empty or doesn't exist yet.";
            match made {
                None => return Err(left("isn't empty").hint(empty)),
                Some(_) if !again => {
                    return Err(left("holds a demo already")
                        .hint(format!("{empty} With --again this one is recreated, unless it was changed.")));
                }
                Some(made) if earlier.state().ok().as_ref() != Some(&made) => {
                    return Err(left("holds a demo that has been changed").hint(empty));
                }
                Some(_) => std::fs::remove_dir_all(&folder).map_err(|e| failed("clear its old folder", &e))?,
            }
        }
        std::fs::create_dir_all(&folder).map_err(|e| failed("make its folder", &e))?;
        let folder = folder.canonicalize().map_err(|e| failed("make its folder", &e))?;
        Ok(Self { folder, program })
    }

    /// All that a user may have changed: refs, files, the git configuration and hooks.
    fn state(&self) -> Result<String, Failure> {
        let ask = |args: &[&str]| {
            let output = Command::new("git").arg("-C").arg(&self.folder).args(args).output();
            let output = output.map_err(|e| failed("run git", &e))?;
            if !output.status.success() {
                return Err(failed("look at its old folder", &String::from_utf8_lossy(&output.stderr)));
            }
            Ok(String::from_utf8_lossy(&output.stdout).into_owned())
        };
        let refs = ask(&["for-each-ref", "--format=%(objectname) %(refname)"])?;
        let files = ask(&["status", "--porcelain", "--ignored", "--untracked-files=all"])?;
        let (head, config) =
            (ask(&["rev-parse", "--symbolic-full-name", "HEAD"])?, ask(&["config", "--local", "--list"])?);
        let hooks = std::fs::read_dir(self.folder.join(".git/hooks")).into_iter().flatten().filter_map(Result::ok);
        let mut hooks: Vec<String> = hooks.map(|e| e.file_name().to_string_lossy().into_owned()).collect();
        hooks.sort();
        Ok(format!("{refs}{head}{config}{files}{}\n", hooks.join(" ")))
    }

    /// Remembers what the folder is like, so that only a demo's own and unchanged folder is ever recreated.
    fn mark(&self) -> Result<(), Failure> {
        let state = self.state()?;
        std::fs::write(self.folder.join(".git").join(MARK), state).map_err(|e| failed("mark its folder", &e))
    }

    /// A git command in the folder, with a fixed clock and made-up people.
    fn git(&self, who: &str, args: &[&str]) -> Result<(), Failure> {
        self.git_as(who, args).map(|_| ())
    }

    /// What a git command says.
    fn git_says(&self, args: &[&str]) -> Result<Vec<u8>, Failure> {
        self.git_as("maintainer", args)
    }

    fn git_as(&self, who: &str, args: &[&str]) -> Result<Vec<u8>, Failure> {
        let mut command = Command::new("git");
        command
            .arg("-C")
            .arg(&self.folder)
            .args(["-c", "core.autocrlf=false", "-c", "commit.gpgSign=false", "-c", "core.hooksPath=/dev/null"])
            .args(args);
        for role in ["AUTHOR", "COMMITTER"] {
            command
                .env(format!("GIT_{role}_NAME"), who)
                .env(format!("GIT_{role}_EMAIL"), format!("{who}@example.org"))
                .env(format!("GIT_{role}_DATE"), "2031-03-01T09:00:00Z");
        }
        let output = command.output().map_err(|e| failed("run git", &e))?;
        if output.status.success() {
            Ok(output.stdout)
        } else {
            Err(failed(&format!("run git {}", args[0]), &String::from_utf8_lossy(&output.stderr)))
        }
    }

    /// The repository: main, and each branch from its patch.
    fn build(&self) -> Result<(), Failure> {
        let mut main = Files::new();
        if let Some(folder) = DATA.get_dir("main") {
            gather(folder, &mut main);
        }
        self.git("maintainer", &["init", "--quiet", "--initial-branch=main"])?;
        std::fs::write(self.folder.join(".git").join(MARK), "").map_err(|e| failed("mark its folder", &e))?;
        self.git("maintainer", &["config", "user.name", "harbour-dev"])?;
        self.git("maintainer", &["config", "user.email", "harbour-dev@example.org"])?;
        self.write(&Files::new(), &main)?;
        self.commit("maintainer", "The ferry line's software so far")?;
        self.git("maintainer", &["tag", FIRST])?;
        for (branch, message, who) in BRANCHES {
            self.git(who, &["checkout", "--quiet", "-b", branch, "main"])?;
            let patch =
                DATA.get_file(format!("branches/{branch}.patch")).map(include_dir::File::contents).unwrap_or_default();
            self.write(&main, &patched(&main, patch)?)?;
            self.commit(who, message)?;
        }
        self.git("maintainer", &["checkout", "--quiet", "quay-times"])
    }

    /// Writes a branch as mails, and checks main out, which they are for.
    fn mail(&self, branch: &str) -> Result<(), Failure> {
        let range = format!("main..{branch}");
        let id = format!("--add-header=Message-ID: <{branch}@example.org>");
        let mails = self.git_says(&["format-patch", "--stdout", "--to=reviewers@example.org", &id, &range])?;
        std::fs::write(self.folder.join(MAILS), mails).map_err(|e| failed("write its mails", &e))?;
        self.git("maintainer", &["checkout", "--quiet", "main"])
    }

    /// Writes code before and after somebody fixed it; the names of the files, in pairs.
    fn pairs(&self) -> Result<Vec<String>, Failure> {
        let folder = self.folder.join(".git").join("before-and-after");
        std::fs::create_dir_all(&folder).map_err(|e| failed("write its files", &e))?;
        let write = |(name, text): &(&str, &str)| {
            std::fs::write(folder.join(name), text).map_err(|e| failed("write its files", &e))?;
            Ok(format!(".git/before-and-after/{name}"))
        };
        FIXED.iter().map(write).collect()
    }

    fn commit(&self, who: &str, message: &str) -> Result<(), Failure> {
        self.git(who, &["add", "--all"])?;
        self.git(who, &["commit", "--quiet", "-m", message])
    }

    /// Turns the working tree from one set of files into another.
    fn write(&self, from: &Files, to: &Files) -> Result<(), Failure> {
        use std::os::unix::ffi::OsStrExt;
        use std::os::unix::fs::PermissionsExt;
        let at = |path: &[u8]| self.folder.join(std::ffi::OsStr::from_bytes(path));
        for path in from.keys().filter(|p| !to.contains_key(*p)) {
            std::fs::remove_file(at(path)).map_err(|e| failed("write its files", &e))?;
        }
        for (path, content) in to {
            let path = at(path);
            let parent = path.parent().unwrap_or(&self.folder);
            // Programs are to be run.
            let mode = if content.starts_with(b"#!") { 0o755 } else { 0o644 };
            std::fs::create_dir_all(parent)
                .and_then(|()| std::fs::write(&path, content))
                .and_then(|()| std::fs::set_permissions(&path, std::fs::Permissions::from_mode(mode)))
                .map_err(|e| failed("write its files", &e))?;
        }
        Ok(())
    }

    /// Runs Swage as a user would and shows what it says.
    fn show(&self, args: &[&str]) -> Result<(), Failure> {
        self.show_as("", args, None)
    }

    /// The same as one of the people of the host.
    fn show_as(&self, who: &str, args: &[&str], token: Option<&str>) -> Result<(), Failure> {
        let paint = Paint;
        let shown = args
            .iter()
            .map(|a| if a.contains(' ') { format!("\"{a}\"") } else { (*a).to_owned() })
            .collect::<Vec<_>>()
            .join(" ");
        print(format!("{}\n", paint.note(format!("{who}$ swage {shown}"))).as_bytes())?;
        let mut command = Command::new(&self.program);
        command.current_dir(&self.folder).args(args).env_remove("SWAGE_TOKEN");
        token.into_iter().for_each(|token| _ = command.env("SWAGE_TOKEN", token));
        // Its mails are written when its commits were made.
        command.env("SOURCE_DATE_EPOCH", "1930122000");
        // A pipe is read here, so the choice of colours is made here too.
        let colour = std::io::stdout().is_terminal() && std::env::var_os("NO_COLOR").is_none();
        command.args(["--color", if colour { "always" } else { "never" }]);
        let output = command.output().map_err(|e| failed("run Swage", &e))?;
        print(&output.stdout)?;
        print(&output.stderr)?;
        let code = output.status.code().unwrap_or(-1);
        print(format!("{}\n\n", paint.faint(format!("exit code {code}"))).as_bytes())?;
        if matches!(code, 0 | 1) {
            Ok(())
        } else {
            Err(failed(&format!("show `swage {shown}`"), &format!("it ended with {code}")))
        }
    }

    fn say(&self, text: &str) -> Result<(), Failure> {
        let lines = wrap(text, width().min(100));
        print(format!("{}\n\n", lines.join("\n")).as_bytes())
    }

    /// The story, in the order in which people work.
    /// Long because it is one.
    fn story(&self) -> Result<People, Failure> {
        let paint = Paint;
        let heading = |text: &str| print(format!("{}\n", paint.strong(text)).as_bytes());
        heading("An island ferry line")?;
        self.say(&format!(
            "{} holds a small repository: a TypeScript service for berths, Python tools for the timetable, a gate in Java, and four branches that want to enter main.",
            self.folder.display()
        ))?;

        heading("1. What is there already")?;
        self.say(
            "The maintainer has switched four packs on and written seven rules; two of them run programs of the line's own. main has old findings; nobody has to fix them today, and none will ever be held against a change.",
        )?;
        self.show(&["scan", "main", "--format", "lines"])?;

        heading("2. What a branch is made of")?;
        self.say("tidy-folders moves the boards into a place of their own. Its reader sees first which definitions moved or got another name, and in which order to read the files.")?;
        self.show(&["brief", "main...tidy-folders"])?;

        heading("3. What is new on a branch")?;
        self.say("harbour-dev asks before offering quay-times. A route reaches the store, one function got a parameter more and another has too many, and a debugging print was left in. The comment that merely mentions store.find(id) isn't reported.")?;
        self.show(&["review", "main...quay-times"])?;

        heading("4. What can be fixed at once")?;
        self.say("Where a rule proposes an edit, it has been tried in memory: the file still parses, the finding is gone, and no other has come. This shows a diff; --apply changes the files, --commit and --branch commit.")?;
        self.show(&["fix", "main...quay-times"])?;

        heading("5. Rule by rule, file by file")?;
        self.show(&["compare", "main", "quay-times"])?;

        heading("6. Why, and how else")?;
        self.say("A finding explains itself: what matched, why, where it is done right. With --ask the question goes to an advisor, a program that main names; this one is a small stand-in.")?;
        self.show(&["explain", ROUTE_FINDING, "--ask", "May I read the store here just once?"])?;

        heading("7. Not now, or not by me")?;
        self.say("What is right and has to wait is settled, with a reason and a day; the maintainers decide whether that enters main. What somebody else is to do is handed over as a list of work, with all that they need. `swage step` goes through findings one at a time; it takes a terminal of its own.")?;
        let later = ["--as", "later", "--until", "2031-12-31", "--because", "The timetable is read again in autumn."];
        self.show(&[&["settle", SELECT_FINDING][..], &later].concat())?;
        self.show(&["review", "main...quay-times", "--format", "lines"])?;
        self.show(&["settle", SELECT_FINDING, "--drop"])?;
        self.show(&["handoff", "main...quay-times", "--rule", "debug-print"])?;

        heading("8. May it be merged?")?;
        self.say("The gate judges what main would be after the merge, by main's own rules.")?;
        self.show(&["gate", "main..quay-times"])?;
        self.show(&["gate", "main..later-boats"])?;
        self.say(
            "tidy-folders moves and renames code that is full of old findings. It makes nothing worse, so it passes.",
        )?;
        self.show(&["gate", "main..tidy-folders"])?;

        heading("9. Beyond one file")?;
        self.say(
            "winter-sailings takes a port away that a board still needs, in a file that it doesn't touch; it changes times without telling travellers; and a program of the line's own finds a boat that arrives before it departs. A second program only guesses: what it says is shown and never counted.",
        )?;
        self.show(&["review", "main...winter-sailings"])?;

        heading("10. Where reviews live elsewhere")?;
        self.say("Reviews needn't live on that host. A series of mails is answered below its lines; a program of main's own keeps threads in a file, and could keep them anywhere.")?;
        self.mail("quay-times")?;
        self.show(&["post", "--to", "mail", "--patch", MAILS, "--tree", ".", "--from", "Swage <swage@example.org>"])?;
        self.git("maintainer", &["checkout", "--quiet", "quay-times"])?;
        self.show(&["post", "--to", "command", "main..quay-times"])?;

        heading("11. On the review host")?;
        let people = self.on_host()?;

        heading("12. What one learns from it")?;
        self.say("Every run has left a row, so one can look back: how the findings of main went, what became of each rule's findings, what a rule would have said of past changes, and what rule a change could become.")?;
        self.show(&["trend", "--since", FIRST])?;
        self.show(&["rules", "report"])?;
        self.show(&["rules", "replay", "too-many-parameters"])?;
        let pairs = self.pairs()?;
        let learn = ["rules", "learn", "--id", "place-in-one"].into_iter().chain(pairs.iter().map(String::as_str));
        self.show(&learn.collect::<Vec<_>>())?;

        heading("Now you")?;
        let program = self.program.display();
        let folder = self.folder.display();
        let host = format!("swage host serve --data {}", on_host::data_of(&self.folder).display());
        let lines = [
            format!("cd {folder}"),
            format!("alias swage={program}"),
            "swage review                       # the branch that is checked out, winter-sailings".into(),
            "swage step                         # its findings, one at a time".into(),
            "swage gate                         # would it pass now?".into(),
            "swage brief --map map.svg          # a map of the change".into(),
            "swage gate --format html --output page.html   # all of it as a page".into(),
            "swage rules show route-reaches-store".into(),
            "swage rules test".into(),
            "swage review --format sarif --output review.sarif".into(),
            format!("{host}   # proposals and threads, as pages"),
        ];
        self.say("The repository stays for you to play with:")?;
        print(lines.iter().map(|l| format!("  {l}\n")).collect::<String>().as_bytes())?;
        Ok(people)
    }
}

fn gather(folder: &Dir<'_>, files: &mut Files) {
    use std::os::unix::ffi::OsStrExt;
    for file in folder.files() {
        let path = file.path().strip_prefix("main").unwrap_or(file.path());
        files.insert(path.as_os_str().as_bytes().to_vec(), file.contents().to_vec());
    }
    folder.dirs().for_each(|inner| gather(inner, files));
}

/// The files with a patch applied.
fn patched(files: &Files, patch: &[u8]) -> Result<Files, Failure> {
    let diff = read(patch, &ReadOptions::default()).map_err(|e| failed("read a branch", &e))?;
    let mut out = files.clone();
    for file in diff.files() {
        let old = out.remove(file.old_path.as_ref()).unwrap_or_default();
        if file.kind != Kind::Deleted {
            let new = apply(&old, file, Direction::Forward).map_err(|e| failed("apply a branch", &e))?;
            out.insert(file.new_path.to_vec(), new);
        }
    }
    Ok(out)
}
