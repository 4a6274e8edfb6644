//! Swage's stand-in review host: the protocol, a client for it, and a small server.
//!
//! The host is where proposals, revisions and threads live. What a checker found in a revision is sent as one
//! [`Report`]: the whole set of findings, not a list of steps. The host opens, keeps, moves and closes threads so that
//! they agree with it, in one transaction; sending a report twice changes nothing the second time, and one that failed
//! half-way can simply be sent again. `docs/host-protocol.md` describes it, and the host serves it as OpenAPI 3.1.

#![forbid(unsafe_code)]

mod client;
mod page;
mod protocol;
mod server;
mod storage;

pub use client::{Client, HostError};
pub use protocol::{
    Anchor, CodeLine, Edit, Fix, NewProposal, Posted, Proposal, Related, Remark, Report, ReportedFinding, Revision,
    Thread,
};
pub use server::{Running, ServeError, Server, ServerOptions};

/// The OpenAPI 3.1 description that the server serves at `/openapi.json`.
pub const OPENAPI: &str = include_str!("../openapi.json");
