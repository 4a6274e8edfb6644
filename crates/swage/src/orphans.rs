//! Ending the processes that outside programs leave running. On Linux, a process whose parent ends becomes a child of this one, so whatever
//! leaves its process group can still be found; elsewhere only the group is ended.

#[cfg(target_os = "linux")]
mod linux {
    use std::time::{Duration, Instant};

    use rustix::process::{Pid, Signal, WaitOptions, getpgrp, getpid, kill_process, set_child_subreaper, waitpid};

    /// How long is looked for processes that are still there.
    const PATIENCE: Duration = Duration::from_secs(2);

    /// From now on, orphans of programs become children of this process.
    pub fn adopt() {
        if let Err(error) = set_child_subreaper(Some(getpid())) {
            tracing::info!(%error, "programs' orphans can't be adopted");
        }
    }

    /// Ends all adopted processes. Called when no program is running, so that children in a process group other than this
    /// one's are orphans.
    pub fn end() {
        let until = Instant::now() + PATIENCE;
        loop {
            let orphans = adopted();
            if orphans.is_empty() || Instant::now() > until {
                return;
            }
            for pid in orphans {
                // It may have ended in the meantime.
                _ = kill_process(pid, Signal::KILL);
                _ = waitpid(Some(pid), WaitOptions::NOHANG);
            }
            std::thread::sleep(Duration::from_millis(2));
        }
    }

    /// Children in other process groups, by `/proc` (proc_pid_stat(5)): parent and group are the second and the third field
    /// after the name in brackets and the state.
    fn adopted() -> Vec<Pid> {
        let (own, group) = (getpid().as_raw_nonzero().get(), getpgrp().as_raw_nonzero().get());
        let entries = std::fs::read_dir("/proc").into_iter().flatten().filter_map(Result::ok);
        let pids = entries.filter_map(|entry| entry.file_name().to_str()?.parse::<i32>().ok());
        let is_orphan = |pid: &i32| {
            let stat = std::fs::read_to_string(format!("/proc/{pid}/stat")).unwrap_or_default();
            let mut fields = stat.rsplit(')').next().unwrap_or_default().split_whitespace().skip(1);
            let mut number = || fields.next().and_then(|field| field.parse::<i32>().ok());
            number() == Some(own) && number() != Some(group)
        };
        pids.filter(is_orphan).filter_map(Pid::from_raw).collect()
    }
}

#[cfg(target_os = "linux")]
pub use linux::{adopt, end};

/// Nothing can be adopted here.
#[cfg(not(target_os = "linux"))]
pub fn adopt() {}

/// Nothing was adopted here.
#[cfg(not(target_os = "linux"))]
pub fn end() {}
