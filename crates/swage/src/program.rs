//! Running programs that the target's configuration or the user names: in a folder of their own, in a process group of their
//! own, with nothing on standard input but what they are given, for a limited time, with limited output.

use std::io::{Read, Write};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, mpsc};
use std::time::{Duration, Instant};

use rustix::process::{Pid, Signal, kill_process_group};
use swage_core::config::NamedProgram;

/// Most bytes that a program may put out.
const MOST_OUTPUT: u64 = 64 << 20;
/// Lines of a program's errors that are passed on.
const LINES_TOLD: usize = 3;
/// What stands for the target's tree in a command.
const TARGET: &str = "{target}";

/// A program and its arguments; no shell is between.
#[derive(Debug, Clone, Copy)]
pub struct Program<'a> {
    /// The program, and what it is given. A program with `/` that isn't at the root of the file system lies in the target's tree.
    pub command: &'a [String],
    /// Most seconds that it may take.
    pub seconds: u64,
}

impl<'a> From<&'a NamedProgram> for Program<'a> {
    fn from(named: &'a NamedProgram) -> Self {
        Self { command: &named.command, seconds: named.seconds }
    }
}

/// What a program did.
pub struct Ran {
    /// How it ended.
    pub status: ExitStatus,
    /// What it put out, or why that can't be used.
    pub output: Result<Vec<u8>, String>,
    /// What it said on standard error.
    pub errors: Vec<u8>,
}

impl Ran {
    /// The first lines that it said on standard error, after a colon.
    pub fn complaint(&self) -> String {
        let said = String::from_utf8_lossy(&self.errors);
        let rendered: Vec<&str> = said.lines().filter(|l| !l.trim().is_empty()).take(LINES_TOLD).collect();
        if rendered.is_empty() { String::new() } else { format!(": {}", rendered.join("; ")) }
    }
}

impl Program<'_> {
    /// Its name as shown.
    pub fn name(&self) -> &str {
        self.command.first().map_or("", String::as_str)
    }

    /// Whether the command needs the target's tree: its program lies in it, by a path from its root, or it says so.
    pub fn is_in_tree(&self) -> bool {
        self.is_path() || self.command.iter().any(|word| word.contains(TARGET))
    }

    fn is_path(&self) -> bool {
        self.name().contains('/') && !self.name().starts_with(['/', '{'])
    }

    /// The command that runs it in a folder, in a process group of its own. One that lies in the target's tree is run from `home`,
    /// which holds that.
    ///
    /// # Errors
    /// When it names no program.
    pub fn command_in(&self, folder: &Path, home: &Path) -> Result<Command, String> {
        let [program, arguments @ ..] = self.command else { return Err("it names no program".to_owned()) };
        let said = |word: &String| word.replace(TARGET, &home.to_string_lossy());
        let whole = if self.is_path() { home.join(program) } else { PathBuf::from(said(program)) };
        let mut command = Command::new(&whole);
        command.args(arguments.iter().map(said)).current_dir(folder).env_remove("SWAGE_TOKEN").process_group(0);
        tracing::debug!(command = ?self.command, "program");
        Ok(command)
    }

    /// Runs it in a folder and waits for its end. One that lies in the target's tree is run from `home`, which holds that.
    ///
    /// # Errors
    /// Why it couldn't be run to its end.
    pub fn run(&self, folder: &Path, home: &Path, input: Option<Vec<u8>>) -> Result<Ran, String> {
        let program = self.name();
        let mut command = self.command_in(folder, home)?;
        command.stdin(if input.is_some() { Stdio::piped() } else { Stdio::null() });
        command.stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = command.spawn().map_err(|e| format!("`{program}` can't be run: {e}"))?;
        let group = Pid::from_child(&child);
        let deadline = Instant::now() + Duration::from_secs(self.seconds);
        give(&mut child, input);
        let out = collect(child.stdout.take());
        let errors = collect(child.stderr.take());
        let ended = wait(&mut child, deadline);
        // Whatever it left running goes with it.
        _ = kill_process_group(group, Signal::KILL);
        let status = match ended {
            Ended::By(status) => status,
            Ended::Late => {
                _ = child.wait();
                return Err(format!("`{program}` took more than the allowed {} s and was ended", self.seconds));
            }
            Ended::Cancelled => {
                _ = child.wait();
                return Err("it was interrupted".to_owned());
            }
            Ended::Lost(why) => return Err(format!("`{program}` can't be waited for: {why}")),
        };
        let grace = Duration::from_secs(2);
        let taken = |from: mpsc::Receiver<Result<Vec<u8>, String>>| {
            from.recv_timeout(grace).unwrap_or_else(|_| Err("its output doesn't end".to_owned()))
        };
        let errors = taken(errors).unwrap_or_default();
        Ok(Ran { status, output: taken(out), errors })
    }
}

/// Set when the user wants to stop.
fn interrupted() -> &'static Arc<AtomicBool> {
    static FLAG: std::sync::OnceLock<Arc<AtomicBool>> = std::sync::OnceLock::new();
    FLAG.get_or_init(|| {
        let flag = Arc::new(AtomicBool::new(false));
        let seen = flag.clone();
        // Without a handler an interrupt ends this process at once, as it always does.
        let handler = ctrlc::set_handler(move || {
            if seen.swap(true, Ordering::SeqCst) {
                std::process::exit(130);
            }
        });
        if let Err(error) = handler {
            tracing::info!(%error, "interrupts aren't caught");
        }
        flag
    })
}

/// From now on an interrupt ends the programs that run, and not this process at once.
pub fn watch_interrupts() {
    interrupted();
}

/// Whether the user wants to stop.
pub fn is_interrupted() -> bool {
    interrupted().load(Ordering::SeqCst)
}

/// Writes to a program beside everything else; it may end without having read all.
fn give(child: &mut Child, input: Option<Vec<u8>>) {
    if let (Some(mut stdin), Some(input)) = (child.stdin.take(), input) {
        std::thread::spawn(move || _ = stdin.write_all(&input));
    }
}

/// Reads so much and no more.
pub fn read_bounded(from: impl Read) -> Result<Vec<u8>, String> {
    let mut bytes = Vec::new();
    from.take(MOST_OUTPUT + 1).read_to_end(&mut bytes).map_err(|e| e.to_string())?;
    if bytes.len() as u64 > MOST_OUTPUT {
        return Err(format!("it is longer than {} MiB", MOST_OUTPUT >> 20));
    }
    Ok(bytes)
}

/// Reads a stream to its end beside the program, so that the program never waits for a reader.
fn collect(stream: Option<impl Read + Send + 'static>) -> mpsc::Receiver<Result<Vec<u8>, String>> {
    let (send, receive) = mpsc::channel();
    std::thread::spawn(move || {
        let bytes = stream.map_or_else(|| Ok(Vec::new()), read_bounded);
        // The receiver may have given up.
        _ = send.send(bytes);
    });
    receive
}

/// How waiting for a program ended.
enum Ended {
    By(std::process::ExitStatus),
    Late,
    Cancelled,
    Lost(std::io::Error),
}

fn wait(child: &mut Child, deadline: Instant) -> Ended {
    let mut pause = Duration::from_millis(1);
    loop {
        match child.try_wait() {
            Ok(Some(status)) => return Ended::By(status),
            Err(error) => return Ended::Lost(error),
            Ok(None) if is_interrupted() => return Ended::Cancelled,
            Ok(None) if Instant::now() >= deadline => return Ended::Late,
            Ok(None) => std::thread::sleep(pause),
        }
        pause = (pause * 2).min(Duration::from_millis(50));
    }
}
