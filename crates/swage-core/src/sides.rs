//! The two sides of a change.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A side of a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// Before.
    Old,
    /// After.
    New,
}

impl Side {
    /// Both, the old one first.
    pub const BOTH: [Side; 2] = [Side::Old, Side::New];
}

/// What there is of a thing on both sides of a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Sides<T> {
    /// Before.
    pub old: T,
    /// After.
    pub new: T,
}

impl<T> Sides<T> {
    /// The one on a side.
    pub fn on(&self, side: Side) -> &T {
        match side {
            Side::Old => &self.old,
            Side::New => &self.new,
        }
    }

    /// The one on a side, to be changed.
    pub fn on_mut(&mut self, side: Side) -> &mut T {
        match side {
            Side::Old => &mut self.old,
            Side::New => &mut self.new,
        }
    }

    /// The one on a side, and not the other.
    pub fn take(self, side: Side) -> T {
        match side {
            Side::Old => self.old,
            Side::New => self.new,
        }
    }

    /// What a function makes of both.
    pub fn map<U>(self, mut make: impl FnMut(T) -> U) -> Sides<U> {
        Sides { old: make(self.old), new: make(self.new) }
    }

    /// Both, borrowed.
    pub fn as_ref(&self) -> Sides<&T> {
        Sides { old: &self.old, new: &self.new }
    }

    /// The old one, then the new one.
    pub fn iter(&self) -> impl Iterator<Item = &T> {
        [&self.old, &self.new].into_iter()
    }

    /// The old one, then the new one, to be changed.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = &mut T> {
        [&mut self.old, &mut self.new].into_iter()
    }
}
