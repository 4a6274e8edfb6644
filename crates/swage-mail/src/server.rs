//! Handing letters to a mail server.

use std::time::Duration;

use lettre::{SmtpTransport, Transport};

use crate::{Letter, MailError};

/// How long the server may take for a step.
const STEP_TIME: Duration = Duration::from_secs(20);

/// A server that takes mail over SMTP (RFC 5321), such as the relay of this machine: without encryption and without a password.
#[derive(Debug, Clone)]
pub struct MailServer {
    name: String,
    transport: SmtpTransport,
}

impl MailServer {
    /// The server at `HOST:PORT`; nothing is sent yet.
    ///
    /// # Errors
    /// When that isn't a host and a port.
    pub fn at(address: &str) -> Result<Self, MailError> {
        let parts = address.rsplit_once(':').and_then(|(host, port)| Some((host, port.parse().ok()?)));
        let (host, port): (&str, u16) = parts
            .filter(|(host, _)| !host.is_empty())
            .ok_or_else(|| MailError::Server(address.to_owned(), "the address isn't HOST:PORT".to_owned()))?;
        let host = host.trim_start_matches('[').trim_end_matches(']');
        let transport = SmtpTransport::builder_dangerous(host).port(port).timeout(Some(STEP_TIME)).build();
        Ok(Self { name: address.to_owned(), transport })
    }

    /// Hands a letter over.
    ///
    /// # Errors
    /// When the letter isn't one, or the server can't be reached or says no.
    pub fn send(&self, letter: &Letter) -> Result<(), MailError> {
        let sent = self.transport.send(&letter.message()?);
        sent.map(|_| ()).map_err(|e| {
            let of = if e.is_permanent() { MailError::Refused } else { MailError::Server };
            of(self.name.clone(), causes(&e))
        })
    }
}

/// An error with what caused it.
fn causes(error: &dyn std::error::Error) -> String {
    let mut text = error.to_string();
    let mut next = error.source();
    while let Some(cause) = next {
        let more = cause.to_string();
        if !text.contains(&more) {
            text = format!("{text}: {more}");
        }
        next = cause.source();
    }
    text
}
