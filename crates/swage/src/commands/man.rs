//! `swage man`: manual pages and completions, for packagers.

use std::path::Path;
use std::process::ExitCode;

use clap::ValueEnum;
use clap_complete::{Generator, Shell};

use crate::cli;
use crate::complete;
use crate::failure::Failure;
use crate::output::print;
use crate::terminal::count;

pub fn run(folder: &Path) -> Result<ExitCode, Failure> {
    let failed = |e: std::io::Error| Failure::unwritable(folder, &e);
    let (pages, completions) = (folder.join("man/man1"), folder.join("completions"));
    std::fs::create_dir_all(&pages).map_err(failed)?;
    std::fs::create_dir_all(&completions).map_err(failed)?;
    clap_mangen::generate_to(cli::command(), &pages).map_err(failed)?;
    for shell in Shell::value_variants() {
        if let Some(script) = complete::script(*shell) {
            std::fs::write(completions.join(shell.file_name("swage")), script).map_err(failed)?;
        }
    }
    let written = std::fs::read_dir(&pages).map_err(failed)?.count();
    let shells = Shell::value_variants().len();
    let rendered = format!(
        "{} in {}\n{} in {}\n",
        count(written, "manual page"),
        pages.display(),
        count(shells, "completion script"),
        completions.display()
    );
    print(rendered.as_bytes())?;
    Ok(ExitCode::SUCCESS)
}
