//! `swage close`: a proposal is closed without merging, or opened again.

use std::process::ExitCode;

use swage_host::Edited;

use crate::cli::CloseArgs;
use crate::failure::Failure;
use crate::hosting::{Hosting, failed};
use crate::output::print_text;
use crate::source::Workspace;

pub fn run(args: &CloseArgs) -> Result<ExitCode, Failure> {
    let hosting = Hosting::find(&Workspace::find()?, args.host.host.as_deref())?;
    let edited = Edited { open: Some(args.reopen), ..Edited::default() };
    let proposal = hosting.client.edit(args.number, &edited).map_err(failed)?;
    print_text(&format!("Proposal {} is {}.\n{}\n", args.number, proposal.state.word(), hosting.page(args.number)))?;
    Ok(ExitCode::SUCCESS)
}
