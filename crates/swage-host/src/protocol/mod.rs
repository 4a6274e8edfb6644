//! What goes over the wire, as JSON. The OpenAPI document is made from these types.

mod checks;
mod people;
mod proposal;
mod report;
mod thread;
mod verdict;

pub use self::checks::{commit as check_commit, name as check_name, text as check_text};
pub use self::people::{Me, NewTicket, Person, Role, Ticket, TicketPoint};
pub use self::proposal::{
    Edited, Event, InboxRow, NewProposal, NewRepository, NewStatus, Overview, Proposal, ProposalState, Repository,
    Revision, Status, StatusState, StatusStep, ThreadCounts, TouchedFile,
};
pub use self::report::{CodeLine, Edit, Fix, Posted, REPORT_FORMAT, Related, Report, ReportedFinding, Settled};
pub use self::thread::{
    Anchor, Changed, NewRemark, NewStance, NewThread, Published, ReadMark, Remark, Resolve, Side, Stance, StanceWord,
    Thread, ThreadKind, ThreadPlace,
};
pub use self::verdict::{Condition, MergeKind, MergeRequest, Merged, NewVerdict, Verdict};

/// Whether a mark is put somewhere or taken away: a watch, a reaction, that a file was read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// It stands from now on.
    Put,
    /// It doesn't stand any more.
    TakenAway,
}

/// What becomes of a thread.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ThreadEnd {
    /// It is closed: nothing is left to be done.
    Closed,
    /// It is open again.
    Reopened,
}

/// Whatever the types can't say is checked before anything is done.
pub trait Checked {
    /// Checks a value.
    ///
    /// # Errors
    /// What is wrong, for the sender.
    fn check(&self) -> Result<(), String>;
}
