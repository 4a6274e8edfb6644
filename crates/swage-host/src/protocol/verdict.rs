//! Verdicts of the gate, and merging.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Checked, checks};

/// One demand of the policy and how it came out.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Condition {
    /// Its name.
    #[schema(min_length = 1, max_length = 200)]
    pub name: String,
    /// `pass`, `fail` or `incomplete`.
    #[schema(pattern = "^(pass|fail|incomplete)$")]
    pub result: String,
    /// Why, in a sentence.
    pub reason: String,
}

/// What the gate says of a pair of commits.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewVerdict {
    /// The tip of the target that was judged.
    #[schema(pattern = "^([0-9a-f]{40}|[0-9a-f]{64})$")]
    pub target: String,
    /// The head that was judged.
    #[schema(pattern = "^([0-9a-f]{40}|[0-9a-f]{64})$")]
    pub head: String,
    /// `pass`, `fail` or `incomplete`.
    #[schema(pattern = "^(pass|fail|incomplete)$")]
    pub result: String,
    /// The conditions.
    pub conditions: Vec<Condition>,
    /// The last event of the proposal that was taken into account, so that a verdict is void once somebody objects.
    pub upto: u64,
}

impl Checked for NewVerdict {
    fn check(&self) -> Result<(), String> {
        checks::commit("the target", &self.target)?;
        checks::commit("the head", &self.head)?;
        let words = self.conditions.iter().map(|c| &c.result).chain([&self.result]);
        let known = |word: &String| ["pass", "fail", "incomplete"].contains(&word.as_str());
        if let Some(word) = words.into_iter().find(|word| !known(word)) {
            return Err(format!("a result is `pass`, `fail` or `incomplete`, not `{}`", word.escape_debug()));
        }
        if self.result == "pass" && self.conditions.iter().any(|c| c.result != "pass") {
            return Err("the result is `pass` and a condition isn't".to_owned());
        }
        self.conditions.iter().try_for_each(|c| {
            checks::line("a condition", &c.name)?;
            checks::text("a reason", &c.reason)
        })
    }
}

/// The newest verdict on a proposal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Verdict {
    /// The tip of the target that was judged.
    pub target: String,
    /// The head that was judged.
    pub head: String,
    /// `pass`, `fail` or `incomplete`.
    pub result: String,
    /// The conditions.
    pub conditions: Vec<Condition>,
    /// Whether it still holds: neither the target nor the head has moved, and nobody has said anything that counts.
    pub holds: bool,
    /// Who decided.
    pub by: String,
    /// When.
    pub at: i64,
}

/// How a change enters the target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum MergeKind {
    /// A commit with both as its parents.
    Merge,
    /// One commit with all of it.
    Squash,
    /// The target moves to the head, when that follows it.
    FastForward,
}

impl MergeKind {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Merge => "merge",
            Self::Squash => "squash",
            Self::FastForward => "fast-forward",
        }
    }

    pub(crate) fn of(word: &str) -> Self {
        [Self::Squash, Self::FastForward].into_iter().find(|kind| kind.word() == word).unwrap_or(Self::Merge)
    }
}

/// Asks for a merge.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MergeRequest {
    /// Where the target is to be; when it isn't, nothing is done.
    #[schema(pattern = "^([0-9a-f]{40}|[0-9a-f]{64})$")]
    pub target: String,
    /// The head to merge; when it isn't the newest, nothing is done.
    #[schema(pattern = "^([0-9a-f]{40}|[0-9a-f]{64})$")]
    pub head: String,
    /// How.
    pub kind: MergeKind,
    /// The message of the commit.
    pub message: String,
    /// Whether the source branch goes away.
    #[serde(default)]
    pub delete_branch: bool,
}

impl Checked for MergeRequest {
    fn check(&self) -> Result<(), String> {
        checks::commit("the target", &self.target)?;
        checks::commit("the head", &self.head)?;
        checks::text("the message", &self.message)
    }
}

/// How a proposal was merged.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Merged {
    /// The commit at which the target is since then.
    pub commit: String,
    /// The commit at which it was before.
    pub before: String,
    /// How.
    pub kind: MergeKind,
    /// Who did it.
    pub by: String,
    /// When.
    pub at: i64,
}
