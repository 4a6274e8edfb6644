//! `swage host`: the stand-in review host.

use std::process::ExitCode;
use std::time::Duration;

use swage_host::{
    CheckerOptions, Drafts, MailOptions, ServeError, Server, ServerOptions, give_token, make_repository, revoke_tokens,
    set_mail,
};

use crate::cli::{HostCommand, RepositoryArgs, ServeArgs, TokenArgs};
use crate::failure::Failure;
use crate::output::print;
use crate::terminal::count;

/// How long a proposal must be quiet before its events are mailed.
const MAIL_QUIET: Duration = Duration::from_secs(60);
/// How long the checker may take on a push.
const CHECK_TIME: Duration = Duration::from_secs(900);

pub fn run(command: &HostCommand) -> Result<ExitCode, Failure> {
    match command {
        HostCommand::Serve(args) => serve(args),
        HostCommand::Token(args) => token(args),
        HostCommand::Repository(args) => repository(args),
    }
}

fn failed(error: ServeError) -> Failure {
    let usage = matches!(error, ServeError::NotLoopback(_));
    let failure = if usage { Failure::wrong(&error) } else { Failure::unfinished(&error) };
    failure.hint("Choose another --listen 127.0.0.1:PORT or --data DIR.")
}

fn serve(args: &ServeArgs) -> Result<ExitCode, Failure> {
    let mail = args.mail.clone().zip(args.mail_from.clone());
    let drafts = if args.check_drafts { Drafts::Checked } else { Drafts::Skipped };
    let options = ServerOptions {
        idle: args.idle.map(Duration::from_secs),
        checker: args.check.then(|| checker(drafts)).transpose()?,
        mail: mail.map(|(server, from)| MailOptions { server, from, quiet: MAIL_QUIET }),
        ..ServerOptions::new(args.listen, args.data.clone())
    };
    let server = Server::bind(options).map_err(failed)?;
    eprintln!(
        "The host listens on http://{}, keeps everything in {}, and stops on an interrupt.",
        server.address(),
        args.data.display()
    );
    server.serve().map_err(|e| Failure::unfinished(format!("the host stopped: {e}")))?;
    Ok(ExitCode::SUCCESS)
}

/// This program, as the host runs it on each push.
fn checker(drafts: Drafts) -> Result<CheckerOptions, Failure> {
    let own = std::env::current_exe().map_err(|e| Failure::unfinished(format!("this program can't be found: {e}")))?;
    let command = vec![own.to_string_lossy().into_owned(), "post".to_owned()];
    Ok(CheckerOptions { command, drafts, time: CHECK_TIME })
}

fn token(args: &TokenArgs) -> Result<ExitCode, Failure> {
    swage_host::check_name("the name", &args.name).map_err(Failure::wrong)?;
    match args.role {
        Some(role) => {
            let token = give_token(&args.data, &args.name, role.role()).map_err(failed)?;
            if let Some(mail) = &args.mail {
                set_mail(&args.data, &args.name, mail).map_err(failed)?;
            }
            print(format!("{token}\n").as_bytes())?;
            eprintln!("The token of {}, a {}; it isn't kept and can't be shown again.", args.name, role.role().word());
        }
        None => {
            let gone = revoke_tokens(&args.data, &args.name).map_err(failed)?;
            eprintln!("{} of {} taken away.", count(gone, "token"), args.name);
        }
    }
    Ok(ExitCode::SUCCESS)
}

fn repository(args: &RepositoryArgs) -> Result<ExitCode, Failure> {
    make_repository(&args.data, &args.name, &args.protect).map_err(|e| match e {
        ServeError::Refused(_) => Failure::wrong(&e),
        _ => failed(e),
    })?;
    eprintln!(
        "The repository {} is empty; a maintainer pushes the first commits, to {}.",
        args.name,
        args.protect.join(", ")
    );
    Ok(ExitCode::SUCCESS)
}
