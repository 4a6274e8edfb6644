//! Swage's stand-in review host: the protocol, a client for it, and a small server.
//!
//! The host keeps bare git repositories, which are pushed to and fetched from, and the proposals, revisions, threads, stances
//! and verdicts of those who work on them. Revisions follow what was pushed, never what was reported. What a checker found in
//! a revision is sent as one [`Report`]: the whole set of findings, not a list of steps; the host opens, keeps, moves and
//! closes threads so that they agree with it. A target moves only by a merge whose verdict holds for exactly the two commits.
//! `docs/host-protocol.md` describes it, and the host serves it as OpenAPI 3.1.

#![forbid(unsafe_code)]

mod ago;
mod client;
mod host;
mod protocol;
mod reading;
mod repositories;
mod server;
mod storage;

pub use ago::ago;
pub use client::{Client, HostError};
pub use host::FolderError;
pub use protocol::*;
pub use server::{
    CheckerOptions, MailOptions, Running, ServeError, Server, ServerOptions, give_token, make_repository, openapi,
    revoke_tokens, set_mail,
};
pub use storage::Drafts;
