//! Numbers of lines and columns as people and formats count them, from 1; code that counts from 0 asks for the index.

use std::fmt;
use std::ops::{Add, AddAssign, Sub};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

macro_rules! number {
    ($(#[$about:meta])* $name:ident) => {
        $(#[$about])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
        #[serde(try_from = "u32", into = "u32")]
        pub struct $name(#[schemars(range(min = 1))] u32);

        impl $name {
            /// The first one.
            pub const FIRST: Self = Self(1);

            /// The one with this number, 1-based; `None` for 0.
            pub fn new(number: u32) -> Option<Self> {
                (number > 0).then_some(Self(number))
            }

            /// The one with this index, 0-based.
            pub const fn from_index(index: u32) -> Self {
                Self(index.saturating_add(1))
            }

            /// Its number, 1-based.
            pub const fn get(self) -> u32 {
                self.0
            }

            /// Its index, 0-based.
            pub const fn index(self) -> u32 {
                self.0.saturating_sub(1)
            }
        }

        impl Add<u32> for $name {
            type Output = Self;

            fn add(self, more: u32) -> Self {
                Self(self.0.saturating_add(more))
            }
        }

        impl AddAssign<u32> for $name {
            fn add_assign(&mut self, more: u32) {
                *self = *self + more;
            }
        }

        /// Not before the first.
        impl Sub<u32> for $name {
            type Output = Self;

            fn sub(self, less: u32) -> Self {
                Self(self.0.saturating_sub(less).max(1))
            }
        }

        impl PartialEq<u32> for $name {
            fn eq(&self, number: &u32) -> bool {
                self.0 == *number
            }
        }

        impl TryFrom<u32> for $name {
            type Error = &'static str;

            fn try_from(number: u32) -> Result<Self, Self::Error> {
                Self::new(number).ok_or("lines and columns are counted from 1")
            }
        }

        impl From<$name> for u32 {
            fn from(number: $name) -> Self {
                number.0
            }
        }

        impl From<$name> for u64 {
            fn from(number: $name) -> Self {
                number.0.into()
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }
    };
}

number! {
    /// The number of a line in a file, from 1.
    LineNumber
}

number! {
    /// The number of a column in a line, from 1, in Unicode scalar values.
    Column
}
