//! `swage host serve`: the stand-in review host.

use std::process::ExitCode;
use std::time::Duration;

use swage_host::{ServeError, Server, ServerOptions};

use crate::cli::ServeArgs;
use crate::failure::Failure;

/// The variable that holds the token.
pub const TOKEN: &str = "SWAGE_TOKEN";

/// The token from the environment.
pub fn token() -> Result<String, Failure> {
    match std::env::var(TOKEN) {
        Ok(token) if !token.trim().is_empty() => Ok(token.trim().to_owned()),
        _ => Err(Failure::wrong(format!("{TOKEN} is not set")).hint(format!(
            "Put the host's token into the environment: the same one where the host runs and where `swage post` does, for example {TOKEN}=$(openssl rand -hex 16)."
        ))),
    }
}

pub fn serve(args: &ServeArgs) -> Result<ExitCode, Failure> {
    let options = ServerOptions {
        listen: args.listen,
        data: args.data.clone(),
        token: token()?,
        idle: args.idle.map(Duration::from_secs),
    };
    let server = Server::bind(options).map_err(|e| {
        let usage = matches!(e, ServeError::NotLoopback(_));
        let failure = if usage { Failure::wrong(&e) } else { Failure::unfinished(&e) };
        failure.hint("Choose another --listen 127.0.0.1:PORT or --data FILE.")
    })?;
    eprintln!(
        "The host listens on http://{}, keeps its data in {}, and stops on an interrupt.",
        server.address(),
        args.data.display()
    );
    server.serve().map_err(|e| Failure::unfinished(format!("the host stopped: {e}")))?;
    Ok(ExitCode::SUCCESS)
}
