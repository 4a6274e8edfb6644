use std::process::ExitCode; use crate::cli::DemoArgs; use crate::failure::Failure; pub fn run(_: &DemoArgs)->Result<ExitCode,Failure>{Ok(ExitCode::SUCCESS)}
