//! Letters that Swage writes: RFC 5322 messages, as a mailbox in a file or over SMTP (RFC 5321) to a server.
//!
//! ```
//! use swage_mail::{Letter, mailbox};
//!
//! let letter = Letter {
//!     from: "Swage <swage@example.org>".to_owned(),
//!     to: vec!["harbour-dev@example.org".to_owned()],
//!     subject: "Re: [PATCH] Winter times".to_owned(),
//!     in_reply_to: Some("1@example.org".to_owned()),
//!     date: 1_930_000_000,
//!     text: "One new finding.\n".to_owned(),
//!     ..Letter::default()
//! };
//! let written = String::from_utf8(mailbox(&[letter])?).unwrap();
//! assert!(written.starts_with("From swage@example.org "));
//! assert!(written.contains("In-Reply-To: <1@example.org>\n"));
//! # Ok::<(), swage_mail::MailError>(())
//! ```

#![forbid(unsafe_code)]

mod letter;
mod server;

pub use letter::{Letter, MailError, mailbox};
pub use server::MailServer;
