//! The host's own checker: a program that is run on each new revision, and when somebody answers in a checker's thread.

use std::io::Read;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use super::Shared;
use crate::protocol::{NewStatus, StatusState};
use crate::storage::{Drafts, Due, Refusal};

/// The name of the checker's status and of its account.
pub const CHECKER: &str = "swage";

/// Looks this often for what is to be done.
const PAUSE: Duration = Duration::from_millis(200);
/// Most bytes of what a failed run said that are kept.
const MOST_SAID: usize = 120;

/// What is run.
#[derive(Debug, Clone)]
pub struct CheckerOptions {
    /// The program and its first arguments; `--proposal N` follows, and `--answer` where there is something to answer. It runs in a
    /// clone of the proposal's repository, with a token in `SWAGE_TOKEN`.
    pub command: Vec<String>,
    /// Whether work in progress is checked, too.
    pub drafts: Drafts,
    /// How long a run may take.
    pub time: Duration,
}

/// A thread that runs the checker; it ends when it is dropped, with whatever it runs.
pub struct Runner {
    stop: Arc<AtomicBool>,
    thread: Option<std::thread::JoinHandle<()>>,
}

impl Runner {
    pub fn start(shared: Arc<Shared>, options: CheckerOptions, data: PathBuf) -> Self {
        let stop = Arc::new(AtomicBool::new(false));
        let own = Checker { shared, options, data, stop: stop.clone() };
        Self { stop, thread: Some(std::thread::spawn(move || own.run())) }
    }
}

impl Drop for Runner {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::SeqCst);
        if let Some(thread) = self.thread.take() {
            _ = thread.join();
        }
    }
}

struct Checker {
    shared: Arc<Shared>,
    options: CheckerOptions,
    data: PathBuf,
    stop: Arc<AtomicBool>,
}

/// How a run ended.
enum Ended {
    Well,
    /// The host stops; it is started again when that is started again.
    Stopped,
    Badly(String),
}

impl Checker {
    fn run(&self) {
        // The last event when nothing was left to do: as long as nothing happens, there is nothing to look for.
        let mut idle_at = None;
        while !self.stop.load(Ordering::SeqCst) {
            match self.next(&mut idle_at) {
                Ok(Some((number, repository, due))) => {
                    if let Err(why) = self.check(number, &repository, &due) {
                        tracing::warn!(%why, proposal = number, "the checker can't be run");
                        std::thread::sleep(PAUSE * 10);
                    }
                }
                Ok(None) => {}
                Err(why) => tracing::warn!(%why, "what is to be checked can't be read"),
            }
            std::thread::sleep(PAUSE);
        }
    }

    /// What is to be done next.
    fn next(&self, idle_at: &mut Option<u64>) -> Result<Option<(u64, String, Due)>, Refusal> {
        let storage = self.shared.host.storage();
        let last = storage.last_event()?;
        if *idle_at == Some(last) {
            return Ok(None);
        }
        let due = storage.due_checks(self.options.drafts)?.into_iter().next();
        *idle_at = due.is_none().then_some(last);
        Ok(due)
    }

    fn check(&self, number: u64, repository: &str, due: &Due) -> Result<(), String> {
        let status = |state, text: String| {
            let Due::Revision { head, .. } = due else { return Ok(()) };
            let new = NewStatus { state, text, link: None };
            let put = self.shared.host.storage().put_status(number, head, CHECKER, CHECKER, &new);
            put.map(|_| ()).map_err(|e| e.to_string())
        };
        status(StatusState::Pending, "starting".to_owned())?;
        let answers = matches!(due, Due::Remark(_));
        let ended = self.clone_of(repository).and_then(|folder| self.run_in(&folder, number, answers));
        match ended.unwrap_or_else(Ended::Badly) {
            Ended::Stopped => return Ok(()),
            Ended::Well => {}
            Ended::Badly(why) => {
                tracing::warn!(%why, proposal = number, "the checker");
                status(StatusState::Failed, why)?;
            }
        }
        self.shared.host.storage().check_ended(number, due).map_err(|e| e.to_string())
    }

    /// A bare clone of a repository that shares its objects, so that the checker's cache and what it fetches stay out of the
    /// repository itself.
    fn clone_of(&self, repository: &str) -> Result<PathBuf, String> {
        let failed = |e: std::io::Error| format!("the checker's clone can't be made: {e}");
        let data = self.data.canonicalize().map_err(failed)?;
        let folder = data.join("checker").join(format!("{repository}.git"));
        let objects = self.shared.host.repositories.path(repository).join("objects");
        if !folder.join("HEAD").is_file() {
            std::fs::create_dir_all(&folder).map_err(failed)?;
            swage_git::Repository::init_bare(&folder, "main").map_err(|e| e.to_string())?;
        }
        let alternates = folder.join("objects").join("info").join("alternates");
        std::fs::write(alternates, format!("{}\n", objects.display())).map_err(failed)?;
        Ok(folder)
    }

    fn run_in(&self, folder: &Path, number: u64, answers: bool) -> Result<Ended, String> {
        let [program, arguments @ ..] = &self.options.command[..] else { return Err("no program is named".to_owned()) };
        let host =
            format!("http://{}/git/{}", self.shared.address, folder.file_name().unwrap_or_default().to_string_lossy());
        let mut command = Command::new(program);
        command.args(arguments).args(["--proposal", &number.to_string(), "--host", &host]);
        command.args(answers.then_some("--answer")).current_dir(folder).env("SWAGE_TOKEN", &self.shared.checker_token);
        command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::piped());
        let mut child = command.spawn().map_err(|e| format!("`{program}` can't be run: {e}"))?;
        let said = child.stderr.take();
        let reader = std::thread::spawn(move || {
            let mut text = Vec::new();
            if let Some(mut said) = said {
                _ = said.by_ref().take(64 << 10).read_to_end(&mut text);
                _ = std::io::copy(&mut said, &mut std::io::sink());
            }
            String::from_utf8_lossy(&text).into_owned()
        });
        let ended = self.wait(&mut child)?;
        let said = reader.join().unwrap_or_default();
        let line: String = said.lines().next().unwrap_or_default().chars().filter(|c| !c.is_control()).collect();
        Ok(match ended {
            Ended::Badly(why) if line.is_empty() => Ended::Badly(why),
            Ended::Badly(why) => Ended::Badly(format!("{why}: {}", line.chars().take(MOST_SAID).collect::<String>())),
            ended => ended,
        })
    }

    fn wait(&self, child: &mut Child) -> Result<Ended, String> {
        let deadline = Instant::now() + self.options.time;
        loop {
            match child.try_wait().map_err(|e| e.to_string())? {
                Some(status) if status.success() => return Ok(Ended::Well),
                Some(status) => return Ok(Ended::Badly(format!("the checker failed with {status}"))),
                None => {}
            }
            let (stopped, late) = (self.stop.load(Ordering::SeqCst), Instant::now() >= deadline);
            if stopped || late {
                _ = child.kill();
                _ = child.wait();
                let why = format!("the checker took more than {} s", self.options.time.as_secs());
                return Ok(if stopped { Ended::Stopped } else { Ended::Badly(why) });
            }
            std::thread::sleep(Duration::from_millis(20));
        }
    }
}
