//! Swage reviews a proposed change with the project's own rules and decides whether it may be merged.
//!
//! The program but for its `main`: as a library it is compiled while the packages it needs are still being optimised, which
//! cargo doesn't do with a program.

#![deny(unsafe_code)]

mod advisor;
mod checkers;
mod checks;
mod chosen;
mod cli;
mod commands;
mod complete;
mod configuration;
mod conversation;
mod decisions;
mod export;
mod failure;
mod history;
mod hosted;
mod hosting;
mod orphans;
mod output;
mod patch;
mod patch_files;
mod program;
mod progress;
mod result_file;
mod source;
mod standard_output;
mod table;
mod target;
mod terminal;
mod worktree;

use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use mimalloc::MiMalloc;
use signal_hook::consts::SIGXFSZ;

/// Parsing makes and drops many small things, and so do the grammars, which it serves too.
#[global_allocator]
static ALLOCATOR: MiMalloc = MiMalloc;

/// Runs the command that the arguments of this process ask for, and returns the process's exit code. It may be called once.
pub fn run() -> ExitCode {
    complete::answer();
    let cli = cli::typed();
    cli.color.apply();
    start_logging(cli.verbose);
    // A limit on file sizes shows as an error of the write, instead of ending the process. A flag that nobody reads is
    // enough for that, and without it the process merely ends as before.
    _ = signal_hook::flag::register(SIGXFSZ, Arc::new(AtomicBool::new(false)));
    if let Some(threads) = cli.threads {
        // Fails only when a pool exists already, and none does.
        _ = rayon::ThreadPoolBuilder::new().num_threads(threads.into()).build_global();
    }
    match commands::run(cli) {
        Ok(code) => code,
        Err(failure) => failure.report(),
    }
}

/// Events go to standard error: with `--verbose` those of Swage, and whatever SWAGE_LOG asks for.
fn start_logging(verbose: bool) {
    let filter = std::env::var("SWAGE_LOG").unwrap_or_else(|_| {
        if verbose { "swage=debug,swage_git=debug,swage_store=debug,swage_host=debug" } else { "off" }.to_owned()
    });
    let coloured = anstream::AutoStream::choice(&std::io::stderr()) != anstream::ColorChoice::Never;
    tracing_subscriber::fmt()
        .with_env_filter(tracing_subscriber::EnvFilter::new(filter))
        .with_writer(std::io::stderr)
        .with_ansi(coloured)
        .without_time()
        .init();
}
