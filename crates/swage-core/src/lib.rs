//! Swage's computing: reading diffs, matching rules, comparing with a baseline, deciding a verdict.
//!
//! Bytes and values go in, values come out: nothing in this crate touches files, processes, clocks, the environment,
//! networks or terminals. The stages, in the order in which a review goes through them:
//!
//! 1. [`diff`] reads a unified diff and says which lines stayed;
#![forbid(unsafe_code)]
#![deny(clippy::print_stdout, clippy::print_stderr, clippy::disallowed_methods)]

pub mod baseline;
pub mod change;
pub mod diff;
pub mod gate;
pub mod lang;
pub mod packs;
pub mod review;
pub mod rule;
pub mod scan;
