//! Diffs that come by mail: mailboxes and single messages (RFC 5322) whose bodies may be MIME-encoded (RFC 2045).

use std::borrow::Cow;

use mail_parser::decoders::base64::base64_decode;
use mail_parser::decoders::quoted_printable::quoted_printable_decode;
use mail_parser::{Encoding, MessageParser, PartType};

/// Undoes the transfer encodings of a mail or a mailbox, and leaves any other input as it is.
///
/// Only the transfer encoding is undone, not the character set: a patch is bytes. What comes back keeps each
/// message's separator and headers, then its text parts. Offsets of later errors count in what comes back.
pub fn decode_mail(input: &[u8]) -> Cow<'_, [u8]> {
    if !looks_like_mail(input) || !has_encoded_body(input) {
        return Cow::Borrowed(input);
    }
    let mut out = Vec::with_capacity(input.len());
    for (separator, message) in messages(input) {
        out.extend_from_slice(separator);
        decode_message(message, &mut out);
    }
    Cow::Owned(out)
}

/// The messages of a mailbox, each after its separator line; input that doesn't begin with one is a single message. What separates is
/// a line `From SENDER DATE` after an empty line and before a header: text of a mail may begin with the word, too.
pub(super) fn messages(input: &[u8]) -> Vec<(&[u8], &[u8])> {
    let mut starts = Vec::new();
    let (mut at, mut after_empty) = (0, true);
    while at < input.len() {
        let end = memchr::memchr(b'\n', &input[at..]).map_or(input.len(), |length| at + length + 1);
        let line = &input[at..end];
        // The first line needs no proof; later ones have to look like a separator, since a body may quote one.
        if line.starts_with(b"From ") && (at == 0 || after_empty && is_dated(line) && begins_with_header(&input[end..]))
        {
            starts.push((at, end));
        }
        after_empty = line.trim_ascii().is_empty();
        at = end;
    }
    // A message on its own, as a mail program saves it.
    if starts.first().is_none_or(|(start, _)| *start > 0) {
        return vec![(&input[..0], input)];
    }
    let ends = starts.iter().skip(1).map(|(start, _)| *start).chain([input.len()]);
    starts.iter().zip(ends).map(|((start, body), end)| (&input[*start..*body], &input[*body..end])).collect()
}

/// Whether a separator line ends in a time and a year, with or without a zone.
fn is_dated(line: &[u8]) -> bool {
    let words: Vec<&[u8]> = line.trim_ascii_end().split(|b| *b == b' ').filter(|word| !word.is_empty()).collect();
    let is_time = |word: &[u8]| word.contains(&b':') && word.iter().all(|b| b.is_ascii_digit() || *b == b':');
    let is_year = |word: &[u8]| word.len() == 4 && word.iter().all(u8::is_ascii_digit);
    words.iter().any(|word| is_time(word)) && words.iter().rev().take(2).any(|word| is_year(word))
}

/// Whether a header begins here (RFC 5322, section 2.2), or a separator that a mail program escaped.
fn begins_with_header(rest: &[u8]) -> bool {
    let line = rest.split(|b| *b == b'\n').next().unwrap_or_default();
    line.starts_with(b">From ") || is_header(line)
}

/// Whether a line is a header: a name of printable characters, then a colon.
fn is_header(line: &[u8]) -> bool {
    let name = line.iter().position(|b| !(b.is_ascii_alphanumeric() || *b == b'-')).unwrap_or(0);
    name > 0 && line[name] == b':'
}

/// Adds a message with its text parts decoded. What can't be parsed or decoded is added as it is: the reader of diffs
/// then says what is wrong with it.
fn decode_message(raw: &[u8], out: &mut Vec<u8>) {
    let Some(message) = MessageParser::default().parse(raw) else {
        out.extend_from_slice(raw);
        return;
    };
    // Headers stay encoded: rules and series read them from the original.
    let body_at = message.parts.first().map_or(0, |p| p.offset_body as usize).min(raw.len());
    out.extend_from_slice(&raw[..body_at]);
    for part in &message.parts {
        let text = match &part.body {
            PartType::Text(_) => true,
            // Attached patches often come as octets.
            PartType::Binary(bytes) | PartType::InlineBinary(bytes) => memchr::memmem::find(bytes, b"\n@@ -").is_some(),
            PartType::Html(_) | PartType::Message(_) | PartType::Multipart(_) => false,
        };
        // The HTML of a mail repeats its text, and its own multipart bodies come one by one.
        if !text {
            continue;
        }
        let body = raw.get(part.offset_body as usize..part.offset_end as usize).unwrap_or_default();
        let decoded = match part.encoding {
            Encoding::None => None,
            Encoding::QuotedPrintable => quoted_printable_decode(body),
            Encoding::Base64 => base64_decode(body),
        };
        out.extend_from_slice(decoded.as_deref().unwrap_or(body));
        // The next part must begin on a line of its own.
        if out.last() != Some(&b'\n') {
            out.push(b'\n');
        }
    }
}

/// A mailbox separator or a header line at the very start, and a header that only mails have.
pub(super) fn looks_like_mail(input: &[u8]) -> bool {
    // Headers are short: what has none in this many bytes is no mail.
    let head = &input[..input.len().min(64 << 10)];
    let mut lines = head.split(|&b| b == b'\n');
    let first = lines.next().unwrap_or_default();
    if !first.starts_with(b"From ") && !is_header(first) {
        return false;
    }
    std::iter::once(first)
        .chain(lines)
        .take_while(|l| !l.trim_ascii().is_empty())
        .any(|l| ["from:", "subject:", "date:", "mime-version:"].iter().any(|h| starts_ignoring_case(l, h)))
}

/// Whether some part of a mail has to be decoded (RFC 2045, section 6).
fn has_encoded_body(input: &[u8]) -> bool {
    input.split(|&b| b == b'\n').any(|line| {
        starts_ignoring_case(line, "content-transfer-encoding:") && {
            let value = line["content-transfer-encoding:".len()..].trim_ascii();
            value.eq_ignore_ascii_case(b"base64") || value.eq_ignore_ascii_case(b"quoted-printable")
        }
    })
}

/// Names of headers have no case.
fn starts_ignoring_case(line: &[u8], prefix: &str) -> bool {
    line.len() >= prefix.len() && line[..prefix.len()].eq_ignore_ascii_case(prefix.as_bytes())
}
