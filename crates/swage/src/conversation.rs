//! Speaking with a program line by line: one line is written, and one is read before the next.

use std::io::{BufRead, BufReader, Read, Write};
use std::path::Path;
use std::process::{Child, ChildStdin, Stdio};
use std::sync::mpsc;
use std::time::{Duration, Instant};

use rustix::process::{Pid, Signal, kill_process_group};

use crate::program::{Program, is_interrupted};

/// Most bytes of an answer.
const MOST_ANSWER: u64 = 1 << 20;

/// A program that answers each line with one. What it says on standard error goes to that of this process.
pub struct Conversation {
    name: String,
    child: Child,
    group: Pid,
    input: Option<ChildStdin>,
    answers: mpsc::Receiver<Result<String, String>>,
    time: Duration,
}

impl Conversation {
    /// Starts the program; each answer may take the program's time.
    ///
    /// # Errors
    /// Why it can't be run.
    pub fn start(program: &Program<'_>, folder: &Path, home: &Path) -> Result<Self, String> {
        let mut command = program.command_in(folder, home)?;
        command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::inherit());
        let name = program.name().to_owned();
        let mut child = command.spawn().map_err(|e| format!("`{name}` can't be run: {e}"))?;
        let group = Pid::from_child(&child);
        let (send, answers) = mpsc::channel();
        let output = child.stdout.take();
        std::thread::spawn(move || {
            let mut output = output.map(BufReader::new);
            while let Some(line) = output.as_mut().and_then(read_line) {
                let failed = line.is_err();
                if send.send(line).is_err() || failed {
                    return;
                }
            }
        });
        let input = child.stdin.take();
        Ok(Self { name, child, group, input, answers, time: Duration::from_secs(program.seconds) })
    }

    /// Writes a line and waits for the answer.
    ///
    /// # Errors
    /// Why there is none.
    pub fn ask(&mut self, line: &str) -> Result<String, String> {
        let name = &self.name;
        let input = self.input.as_mut().ok_or_else(|| format!("`{name}` isn't listening"))?;
        let written = input.write_all(format!("{line}\n").as_bytes()).and_then(|()| input.flush());
        written.map_err(|e| format!("`{name}` has stopped listening: {e}"))?;
        let deadline = Instant::now() + self.time;
        loop {
            match self.answers.recv_timeout(Duration::from_millis(50)) {
                Ok(answer) => return answer,
                Err(mpsc::RecvTimeoutError::Disconnected) => return Err(format!("`{name}` ended without an answer")),
                Err(mpsc::RecvTimeoutError::Timeout) if is_interrupted() => return Err("it was interrupted".to_owned()),
                Err(mpsc::RecvTimeoutError::Timeout) if Instant::now() >= deadline => {
                    return Err(format!("`{name}` gave no answer within {} s", self.time.as_secs()));
                }
                Err(mpsc::RecvTimeoutError::Timeout) => {}
            }
        }
    }

    /// Says that nothing more comes, and waits for the program's end.
    ///
    /// # Errors
    /// When it doesn't end in its time, or fails.
    pub fn end(mut self) -> Result<(), String> {
        self.input = None;
        let deadline = Instant::now() + self.time;
        loop {
            match self.child.try_wait() {
                Ok(Some(status)) if status.success() => return Ok(()),
                Ok(Some(status)) => return Err(format!("`{}` failed with {status}", self.name)),
                Ok(None) if Instant::now() < deadline => std::thread::sleep(Duration::from_millis(5)),
                Ok(None) => return Err(format!("`{}` doesn't end", self.name)),
                Err(error) => return Err(format!("`{}` can't be waited for: {error}", self.name)),
            }
        }
    }
}

impl Drop for Conversation {
    fn drop(&mut self) {
        // Whatever it left running goes with it.
        _ = kill_process_group(self.group, Signal::KILL);
        _ = self.child.wait();
    }
}

fn read_line(from: &mut impl BufRead) -> Option<Result<String, String>> {
    let mut line = Vec::new();
    match from.take(MOST_ANSWER).read_until(b'\n', &mut line) {
        Ok(0) => None,
        Ok(_) if line.len() as u64 == MOST_ANSWER => Some(Err("an answer is longer than 1 MiB".to_owned())),
        Ok(_) => Some(String::from_utf8(line).map_err(|_| "an answer isn't UTF-8".to_owned())),
        Err(error) => Some(Err(error.to_string())),
    }
}
