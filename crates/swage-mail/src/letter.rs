//! A letter, and what a mailbox with it looks like.

use std::time::{Duration, UNIX_EPOCH};

use jiff::Timestamp;
use jiff::tz::TimeZone;
use lettre::Message;
use lettre::message::header::ContentType;
use lettre::message::{Mailbox, MessageBuilder};
use sha2::{Digest, Sha256};
use thiserror::Error;

/// Why a letter can't be written or sent.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum MailError {
    /// An address isn't one.
    #[error("`{0}` isn't a mail address: {1}")]
    Address(String, String),
    /// The letter isn't one, such as one to nobody.
    #[error("the letter can't be written: {0}")]
    Letter(String),
    /// The server doesn't take this letter, now or ever.
    #[error("the mail server {0} refuses it: {1}")]
    Refused(String, String),
    /// The server can't be reached, or doesn't take mail now.
    #[error("the mail server {0} doesn't take it: {1}")]
    Server(String, String),
}

impl MailError {
    /// Whether it is the letter's own fault, so that sending it again would be of no use.
    pub fn is_about_letter(&self) -> bool {
        matches!(self, Self::Address(..) | Self::Letter(_) | Self::Refused(..))
    }
}

/// A letter in plain text.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Letter {
    /// Who writes: an address, or a name and an address in angle brackets.
    pub from: String,
    /// To whom.
    pub to: Vec<String>,
    /// Who gets a copy.
    pub cc: Vec<String>,
    /// What it is about.
    pub subject: String,
    /// The id of the letter that it answers, without angle brackets.
    pub in_reply_to: Option<String>,
    /// The ids of the letters before it, oldest first, without angle brackets.
    pub references: Vec<String>,
    /// When it is written, in seconds since 1970-01-01 UTC.
    pub date: i64,
    /// What it says; lines end in LF.
    pub text: String,
}

impl Letter {
    /// Its own id, without angle brackets: the same for the same text in answer to the same letter, so that a mail program shows
    /// a letter once although it was sent twice.
    pub fn id(&self) -> String {
        let mut digest = Sha256::new();
        for part in [&self.from, &self.subject, self.in_reply_to.as_ref().unwrap_or(&self.from), &self.text] {
            digest.update(part.len().to_le_bytes());
            digest.update(part);
        }
        let hex: String = digest.finalize().iter().take(12).map(|byte| format!("{byte:02x}")).collect();
        let domain = self.from.trim_end_matches('>').rsplit_once('@').map_or("localhost", |(_, domain)| domain);
        format!("swage.{hex}@{domain}")
    }

    /// The message of RFC 5322.
    pub(crate) fn message(&self) -> Result<Message, MailError> {
        let date = UNIX_EPOCH + Duration::from_secs(u64::try_from(self.date).unwrap_or(0));
        let mut builder: MessageBuilder = Message::builder()
            .from(address(&self.from)?)
            .subject(one_line(&self.subject))
            .date(date)
            .message_id(Some(bracketed(&self.id())));
        for to in &self.to {
            builder = builder.to(address(to)?);
        }
        for cc in &self.cc {
            builder = builder.cc(address(cc)?);
        }
        if let Some(id) = &self.in_reply_to {
            builder = builder.in_reply_to(bracketed(id));
        }
        if !self.references.is_empty() {
            let ids: Vec<String> = self.references.iter().map(|id| bracketed(id)).collect();
            builder = builder.references(ids.join(" "));
        }
        let text = builder.header(ContentType::TEXT_PLAIN).body(self.text.clone());
        text.map_err(|e| MailError::Letter(e.to_string()))
    }
}

fn address(text: &str) -> Result<Mailbox, MailError> {
    text.parse().map_err(|e: lettre::address::AddressError| MailError::Address(one_line(text), e.to_string()))
}

/// An id that can't end its header: what isn't printable ASCII is left out.
fn bracketed(id: &str) -> String {
    format!("<{}>", id.chars().filter(|c| c.is_ascii_graphic() && !"<>".contains(*c)).collect::<String>())
}

/// Text without what could end a header.
fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

/// A mailbox with letters, one after another: each begins with a line `From `, and lines of a letter that begin so, or with
/// that after `>`, get one `>` more (the form "mboxrd").
///
/// # Errors
/// When an address isn't one, or a letter is to nobody.
pub fn mailbox(letters: &[Letter]) -> Result<Vec<u8>, MailError> {
    let mut out = Vec::new();
    for letter in letters {
        let message = letter.message()?;
        let sender = message.envelope().from().map_or("swage@localhost", AsRef::as_ref);
        let date = Timestamp::from_second(letter.date).unwrap_or_default().to_zoned(TimeZone::UTC);
        out.extend_from_slice(format!("From {sender} {}\n", date.strftime("%a %b %e %H:%M:%S %Y")).as_bytes());
        for line in message.formatted().split_inclusive(|byte| *byte == b'\n') {
            let text = line.strip_suffix(b"\n").map_or(line, |text| text.strip_suffix(b"\r").unwrap_or(text));
            let quotes = text.iter().take_while(|byte| **byte == b'>').count();
            if text[quotes..].starts_with(b"From ") {
                out.push(b'>');
            }
            out.extend_from_slice(text);
            out.push(b'\n');
        }
        out.push(b'\n');
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::{Letter, mailbox};

    fn letter() -> Letter {
        Letter {
            from: "Swage <swage@example.org>".to_owned(),
            to: vec!["harbour-dev@example.org".to_owned()],
            subject: "Re: tides".to_owned(),
            date: 1_930_000_000,
            ..Letter::default()
        }
    }

    fn written(letter: Letter) -> String {
        String::from_utf8(mailbox(&[letter]).expect("a letter")).expect("text")
    }

    /// Nothing in a letter begins another one, ends a header, or adds one.
    #[test]
    fn a_letter_stays_one_letter() {
        let text = written(Letter { text: "From here\n>From there\n> From\n".to_owned(), ..letter() });
        assert!(text.ends_with("\n\n>From here\n>>From there\n> From\n\n"), "{text}");
        let text = written(Letter { subject: "tides\r\nBcc: a@example.org\u{1b}".to_owned(), ..letter() });
        assert!(text.contains("Subject: tides  Bcc: a@example.org ") && !text.contains("\nBcc"), "{text}");
        let text = written(Letter { in_reply_to: Some("a>\nBcc: <b@c".to_owned()), ..letter() });
        assert!(text.contains("In-Reply-To: <aBcc:b@c>\n") && !text.contains("\nBcc"), "{text}");
        let text = written(Letter { to: vec!["Kai Überfahrt <kai@example.org>".to_owned()], ..letter() });
        assert!(text.is_ascii() && text.contains("<kai@example.org>"), "{text}");
        let refused = [Letter { to: Vec::new(), ..letter() }, Letter { to: vec!["a\nb@c".to_owned()], ..letter() }];
        refused.into_iter().for_each(|letter| assert!(mailbox(&[letter]).is_err()));
    }
}
