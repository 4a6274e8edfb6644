//! People, what they may do, and tickets.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Checked, checks};

/// What somebody may do on the host.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// Reads everything, and keeps marks of what was read.
    Reader,
    /// Offers changes, speaks in threads, takes a stance, and pushes to repositories of their own.
    Contributor,
    /// Does all that, pushes to shared repositories, edits any proposal and merges.
    Maintainer,
    /// A program that reports findings, statuses and verdicts.
    Checker,
}

impl Role {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Reader, Self::Contributor, Self::Maintainer, Self::Checker];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Reader => "reader",
            Self::Contributor => "contributor",
            Self::Maintainer => "maintainer",
            Self::Checker => "checker",
        }
    }

    /// The role with this word.
    pub fn of(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|role| role.word() == word)
    }
}

/// Somebody who has a token.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Person {
    /// The name.
    pub name: String,
    /// What they may do.
    pub role: Role,
}

/// Whom a token belongs to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Me {
    /// The name.
    pub name: String,
    /// What they may do.
    pub role: Role,
    /// How many events they haven't been notified of yet.
    pub unread: u64,
}

/// Something to be done that proposals name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Ticket {
    /// Its name, as commits write it, such as `QUAY-7`.
    pub name: String,
    /// What it is about, in a line.
    pub title: String,
    /// Whether it is still to be done.
    pub open: bool,
    /// What must hold when it is done.
    pub points: Vec<TicketPoint>,
    /// The proposals that name it.
    #[serde(default)]
    pub proposals: Vec<u64>,
}

/// One acceptance point of a ticket.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TicketPoint {
    /// What must hold.
    #[schema(min_length = 1, max_length = 200)]
    pub text: String,
    /// Whether somebody has ticked it.
    #[serde(default)]
    pub done: bool,
}

/// A ticket as it is written or changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewTicket {
    /// What it is about, in a line.
    #[schema(min_length = 1, max_length = 200)]
    pub title: String,
    /// Whether it is still to be done; yes when left out.
    #[serde(default = "yes")]
    pub open: bool,
    /// What must hold when it is done.
    #[serde(default)]
    pub points: Vec<TicketPoint>,
}

fn yes() -> bool {
    true
}

impl Checked for NewTicket {
    fn check(&self) -> Result<(), String> {
        checks::line("the title", &self.title)?;
        if self.points.len() > 200 {
            return Err("a ticket may have 200 points".to_owned());
        }
        self.points.iter().try_for_each(|point| checks::line("a point", &point.text))
    }
}
