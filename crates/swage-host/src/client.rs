//! A client of the host.

use std::time::{Duration, Instant};

use serde::Serialize;
use serde::de::DeserializeOwned;
use thiserror::Error;
use ureq::Agent;

use crate::protocol::{
    Changed, Edited, Event, InboxRow, Mark, Me, MergeRequest, NewProposal, NewRemark, NewRepository, NewStance,
    NewStatus, NewThread, NewTicket, NewVerdict, Posted, Proposal, Published, ReadMark, Report, Repository, Resolve,
    Status, Thread, ThreadEnd, Ticket, TouchedFile,
};

/// Most bytes of an answer that are read.
const MOST_BYTES: u64 = 64 << 20;
/// How long a request may take.
const TIMEOUT: Duration = Duration::from_secs(60);
/// How long is tried again when the host is busy or hangs up.
const PATIENCE: Duration = Duration::from_secs(30);
/// How long is tried again where nobody listens: a host that restarts is soon back.
const SHORT_PATIENCE: Duration = Duration::from_secs(2);
/// The first pause before trying again; each is twice as long as the one before.
const FIRST_PAUSE: Duration = Duration::from_millis(200);

/// Why the host didn't do what was asked.
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

impl HostError {
    /// Whether the same request may do better a little later. What may have been done already is only asked again for when
    /// doing it twice does no harm.
    fn is_passing(&self, repeatable: bool) -> bool {
        match self {
            Self::Unreachable { sent, .. } => repeatable || !sent,
            Self::Refused { status: 429 | 503, .. } => true,
            Self::Refused { status: 408 | 502 | 504, .. } => repeatable,
            Self::Refused { .. } | Self::Address(_) | Self::Nonsense { .. } => false,
        }
    }
}

/// Speaks to one host.
pub struct Client {
    url: String,
    token: String,
    agent: Agent,
    patience: Duration,
}

/// What is asked for, as HTTP (RFC 9110) has it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Method {
    Get,
    Delete,
    Put,
    Post,
    Patch,
}

impl Method {
    /// Whether doing it twice is the same as doing it once.
    fn is_repeatable(self) -> bool {
        !matches!(self, Self::Post)
    }
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
            .timeout_global(Some(TIMEOUT))
            .timeout_connect(Some(Duration::from_secs(10)))
            .http_status_as_error(false)
            .max_redirects(0)
            .build();
        Ok(Self { url, token: token.to_owned(), agent: config.into(), patience: PATIENCE })
    }

    /// The same, trying again for another time when the host is busy or can't be reached.
    #[must_use]
    pub fn patient(self, patience: Duration) -> Self {
        Self { patience, ..self }
    }

    /// Its address.
    pub fn url(&self) -> &str {
        &self.url
    }

    fn send<T: DeserializeOwned>(&self, path: &str, method: Method, body: &[u8]) -> Result<T, HostError> {
        let begun = Instant::now();
        let mut pause = FIRST_PAUSE;
        loop {
            let (error, wanted) = match self.try_once(path, method, body) {
                Ok(value) => return Ok(value),
                Err(failed) => failed,
            };
            let wait = wanted.unwrap_or(pause);
            let patience = match error {
                HostError::Unreachable { sent: false, .. } => self.patience.min(SHORT_PATIENCE),
                _ => self.patience,
            };
            if !error.is_passing(method.is_repeatable()) || begun.elapsed() + wait > patience {
                return Err(error);
            }
            tracing::info!(%error, ?wait, "the host is asked again");
            std::thread::sleep(wait);
            pause *= 2;
        }
    }

    /// Asks once; with an error, how long the host asks to wait.
    fn try_once<T: DeserializeOwned>(
        &self,
        path: &str,
        method: Method,
        body: &[u8],
    ) -> Result<T, (HostError, Option<Duration>)> {
        let url = format!("{}{path}", self.url);
        let bearer = format!("Bearer {}", self.token);
        const AUTHORIZATION: &str = "Authorization";
        const JSON: &str = "application/json";
        let answer = match method {
            Method::Get => self.agent.get(&url).header(AUTHORIZATION, &bearer).call(),
            Method::Delete => self.agent.delete(&url).header(AUTHORIZATION, &bearer).call(),
            Method::Put => self.agent.put(&url).header(AUTHORIZATION, &bearer).content_type(JSON).send(body),
            Method::Post => self.agent.post(&url).header(AUTHORIZATION, &bearer).content_type(JSON).send(body),
            Method::Patch => self.agent.patch(&url).header(AUTHORIZATION, &bearer).content_type(JSON).send(body),
        };
        let unreachable = |why: String, sent: bool| HostError::Unreachable { url: self.url.clone(), why, sent };
        let mut answer = answer.map_err(|e| {
            let sent = !matches!(&e, ureq::Error::HostNotFound | ureq::Error::ConnectionFailed)
                && !matches!(&e, ureq::Error::Io(io) if io.kind() == std::io::ErrorKind::ConnectionRefused);
            (unreachable(e.to_string(), sent), None)
        })?;
        let status = answer.status();
        let after = answer.headers().get("retry-after").and_then(|v| v.to_str().ok()?.trim().parse().ok());
        // An answer that was cut off may be whole the next time.
        let text = answer.body_mut().with_config().limit(MOST_BYTES).read_to_string();
        let text = text.map_err(|e| (unreachable(format!("its answer is cut off: {e}"), true), None))?;
        if !status.is_success() {
            let said = serde_json::from_str::<serde_json::Value>(&text)
                .ok()
                .and_then(|v| v["error"].as_str().map(str::to_owned));
            let why = said.unwrap_or_else(|| text.chars().take(200).collect());
            return Err((HostError::Refused { status: status.as_u16(), why }, after.map(Duration::from_secs)));
        }
        serde_json::from_str(&text).map_err(|e| (HostError::Nonsense { url, why: e.to_string() }, None))
    }

    fn get<T: DeserializeOwned>(&self, path: &str) -> Result<T, HostError> {
        self.send(path, Method::Get, &[])
    }

    fn with<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize, method: Method) -> Result<T, HostError> {
        let nonsense = |e: serde_json::Error| HostError::Nonsense { url: path.to_owned(), why: e.to_string() };
        self.send(path, method, &serde_json::to_vec(body).map_err(nonsense)?)
    }
}

/// The calls. Each may fail as [`HostError`] says.
#[expect(clippy::missing_errors_doc, reason = "said once for all")]
impl Client {
    /// Whom the token belongs to.
    pub fn me(&self) -> Result<Me, HostError> {
        self.get("/api/me")
    }

    /// The repositories.
    pub fn repositories(&self) -> Result<Vec<Repository>, HostError> {
        self.get("/api/repositories")
    }

    /// Makes a repository.
    pub fn make_repository(&self, new: &NewRepository) -> Result<Repository, HostError> {
        self.with("/api/repositories", new, Method::Post)
    }

    /// One ticket.
    pub fn ticket(&self, name: &str) -> Result<Ticket, HostError> {
        self.get(&format!("/api/tickets/{name}"))
    }

    /// Writes a ticket.
    pub fn put_ticket(&self, name: &str, new: &NewTicket) -> Result<Ticket, HostError> {
        self.with(&format!("/api/tickets/{name}"), new, Method::Put)
    }

    /// Proposals: `mine`, `open` or `all`.
    pub fn inbox(&self, which: &str) -> Result<Vec<InboxRow>, HostError> {
        self.get(&format!("/api/inbox?which={which}"))
    }

    /// Offers a branch.
    pub fn propose(&self, new: &NewProposal) -> Result<Proposal, HostError> {
        self.with("/api/proposals", new, Method::Post)
    }

    /// One proposal.
    pub fn proposal(&self, number: u64) -> Result<Proposal, HostError> {
        self.get(&format!("/api/proposals/{number}"))
    }

    /// Changes what is said about a proposal.
    pub fn edit(&self, number: u64, edited: &Edited) -> Result<Proposal, HostError> {
        self.with(&format!("/api/proposals/{number}"), edited, Method::Patch)
    }

    /// The files that the newest revision of a proposal changes.
    pub fn files(&self, number: u64) -> Result<Vec<TouchedFile>, HostError> {
        self.get(&format!("/api/proposals/{number}/files"))
    }

    /// What happened to a proposal.
    pub fn timeline(&self, number: u64) -> Result<Vec<Event>, HostError> {
        self.get(&format!("/api/proposals/{number}/timeline"))
    }

    /// Notes that one has looked.
    pub fn look(&self, number: u64) -> Result<Changed, HostError> {
        self.with(&format!("/api/proposals/{number}/seen"), &(), Method::Post)
    }

    /// Watches a proposal, or no more.
    pub fn watch(&self, number: u64, mark: Mark) -> Result<Changed, HostError> {
        let path = format!("/api/proposals/{number}/watching");
        self.put_or_take(&path, mark)
    }

    /// The files that one has read.
    pub fn read_marks(&self, number: u64) -> Result<Vec<ReadMark>, HostError> {
        self.get(&format!("/api/proposals/{number}/read"))
    }

    /// Marks a file as read, or no more.
    pub fn mark_read(&self, number: u64, file: &ReadMark, mark: Mark) -> Result<Changed, HostError> {
        match mark {
            Mark::Put => self.with(&format!("/api/proposals/{number}/read"), file, Method::Put),
            Mark::TakenAway => self.with(&format!("/api/proposals/{number}/unread"), file, Method::Post),
        }
    }

    /// The threads of a proposal.
    pub fn threads(&self, number: u64) -> Result<Vec<Thread>, HostError> {
        self.get(&format!("/api/proposals/{number}/threads"))
    }

    /// Opens a thread.
    pub fn open_thread(&self, number: u64, new: &NewThread) -> Result<Thread, HostError> {
        self.with(&format!("/api/proposals/{number}/threads"), new, Method::Post)
    }

    /// Says something in a thread.
    pub fn reply(&self, thread: u64, new: &NewRemark) -> Result<Thread, HostError> {
        self.with(&format!("/api/threads/{thread}/remarks"), new, Method::Post)
    }

    /// Closes a thread, or opens it again.
    pub fn resolve(&self, thread: u64, end: ThreadEnd) -> Result<Changed, HostError> {
        self.with(&format!("/api/threads/{thread}"), &Resolve { open: end == ThreadEnd::Reopened }, Method::Patch)
    }

    /// Reacts to a remark.
    pub fn react(&self, remark: u64, word: &str, mark: Mark) -> Result<Changed, HostError> {
        let path = format!("/api/remarks/{remark}/reactions/{word}");
        self.put_or_take(&path, mark)
    }

    fn put_or_take(&self, path: &str, mark: Mark) -> Result<Changed, HostError> {
        match mark {
            Mark::Put => self.with(path, &(), Method::Put),
            Mark::TakenAway => self.send(path, Method::Delete, &[]),
        }
    }

    /// Takes a draft away.
    pub fn drop_draft(&self, remark: u64) -> Result<Changed, HostError> {
        self.send(&format!("/api/remarks/{remark}"), Method::Delete, &[])
    }

    /// Publishes one's drafts.
    pub fn publish(&self, number: u64) -> Result<Published, HostError> {
        self.with(&format!("/api/proposals/{number}/publish"), &(), Method::Post)
    }

    /// Takes a stance.
    pub fn take_stance(&self, number: u64, new: &NewStance) -> Result<Published, HostError> {
        self.with(&format!("/api/proposals/{number}/stance"), new, Method::Put)
    }

    /// Sends a report on a revision.
    pub fn report(&self, number: u64, head: &str, reporter: &str, report: &Report) -> Result<Posted, HostError> {
        self.with(&format!("/api/proposals/{number}/revisions/{head}/reports/{reporter}"), report, Method::Put)
    }

    /// Says how far a program is.
    pub fn put_status(&self, number: u64, head: &str, name: &str, new: &NewStatus) -> Result<Status, HostError> {
        self.with(&format!("/api/proposals/{number}/revisions/{head}/statuses/{name}"), new, Method::Put)
    }

    /// Sends a verdict.
    pub fn put_verdict(&self, number: u64, new: &NewVerdict) -> Result<Changed, HostError> {
        self.with(&format!("/api/proposals/{number}/verdict"), new, Method::Put)
    }

    /// Merges.
    pub fn merge(&self, number: u64, request: &MergeRequest) -> Result<Proposal, HostError> {
        self.with(&format!("/api/proposals/{number}/merge"), request, Method::Post)
    }
}
