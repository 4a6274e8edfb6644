//! A client of the host.

use std::time::Duration;

use serde::de::DeserializeOwned;
use thiserror::Error;
use ureq::Agent;

use crate::protocol::{NewProposal, Posted, Proposal, Report};

/// Most bytes of an answer that are read.
const MOST_BYTES: u64 = 64 << 20;

/// Why the host didn't do what was asked. None of them has changed anything on the host.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum HostError {
    /// The address is none.
    #[error("`{0}` isn't the address of a host")]
    Address(String),
    /// It can't be reached.
    #[error("{url} can't be reached: {why}")]
    Unreachable {
        /// The address.
        url: String,
        /// What the network said.
        why: String,
        /// Whether the request may have arrived all the same.
        sent: bool,
    },
    /// It refuses.
    #[error("the host says no ({status}): {why}")]
    Refused {
        /// The HTTP status.
        status: u16,
        /// What it says.
        why: String,
    },
    /// What it answers isn't what the protocol says.
    #[error("{url} answers something that isn't the protocol: {why}")]
    Nonsense {
        /// The address.
        url: String,
        /// What is wrong with it.
        why: String,
    },
}

/// Speaks to one host.
pub struct Client {
    url: String,
    token: String,
    agent: Agent,
}

impl Client {
    /// A client for the host at an address, with its token.
    ///
    /// # Errors
    /// When the address is neither `http://` nor `https://`.
    pub fn new(url: &str, token: &str) -> Result<Self, HostError> {
        let url = url.trim_end_matches('/').to_owned();
        if !(url.starts_with("http://") || url.starts_with("https://")) || url.contains(char::is_whitespace) {
            return Err(HostError::Address(url));
        }
        let config = Agent::config_builder()
            .timeout_global(Some(Duration::from_secs(60)))
            .timeout_connect(Some(Duration::from_secs(10)))
            .http_status_as_error(false)
            .max_redirects(0)
            .build();
        Ok(Self { url, token: token.to_owned(), agent: config.into() })
    }

    /// Opens a proposal; one that is open with the same title and target stays.
    ///
    /// # Errors
    /// As [`HostError`] says.
    pub fn open_proposal(&self, number: u64, new: &NewProposal) -> Result<Proposal, HostError> {
        self.put(&format!("/api/proposals/{number}"), new)
    }

    /// A proposal with its threads.
    ///
    /// # Errors
    /// As [`HostError`] says.
    pub fn proposal(&self, number: u64) -> Result<Proposal, HostError> {
        let url = format!("{}/api/proposals/{number}", self.url);
        let answer = self.agent.get(&url).header("Authorization", format!("Bearer {}", self.token)).call();
        self.read(&url, answer)
    }

    /// Sends a report on a revision.
    ///
    /// # Errors
    /// As [`HostError`] says.
    pub fn report(&self, number: u64, head: &str, reporter: &str, report: &Report) -> Result<Posted, HostError> {
        self.put(&format!("/api/proposals/{number}/revisions/{head}/reports/{reporter}"), report)
    }

    fn put<T: DeserializeOwned>(&self, path: &str, body: &impl serde::Serialize) -> Result<T, HostError> {
        let url = format!("{}{path}", self.url);
        let answer = self.agent.put(&url).header("Authorization", format!("Bearer {}", self.token)).send_json(body);
        self.read(&url, answer)
    }

    fn read<T: DeserializeOwned>(
        &self,
        url: &str,
        answer: Result<ureq::http::Response<ureq::Body>, ureq::Error>,
    ) -> Result<T, HostError> {
        let unreachable = |e: ureq::Error| {
            let sent = !matches!(&e, ureq::Error::HostNotFound | ureq::Error::ConnectionFailed)
                && !matches!(&e, ureq::Error::Io(io) if io.kind() == std::io::ErrorKind::ConnectionRefused);
            HostError::Unreachable { url: self.url.clone(), why: e.to_string(), sent }
        };
        let mut answer = answer.map_err(unreachable)?;
        let nonsense = |why: String| HostError::Nonsense { url: url.to_owned(), why };
        let status = answer.status();
        let text =
            answer.body_mut().with_config().limit(MOST_BYTES).read_to_string().map_err(|e| nonsense(e.to_string()))?;
        if !status.is_success() {
            let said = serde_json::from_str::<serde_json::Value>(&text)
                .ok()
                .and_then(|v| v["error"].as_str().map(str::to_owned));
            return Err(HostError::Refused {
                status: status.as_u16(),
                why: said.unwrap_or_else(|| text.chars().take(200).collect()),
            });
        }
        serde_json::from_str(&text).map_err(|e| nonsense(e.to_string()))
    }
}
