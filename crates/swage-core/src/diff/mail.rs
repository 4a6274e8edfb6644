//! Diffs that come by mail: mailboxes and single messages (RFC 5322) whose bodies may be MIME-encoded (RFC 2045).

use std::borrow::Cow;

use mail_parser::decoders::base64::base64_decode;
use mail_parser::decoders::quoted_printable::quoted_printable_decode;
use mail_parser::mailbox::mbox::MessageIterator;
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
    if input.starts_with(b"From ") {
        for message in MessageIterator::new(input).map_while(Result::ok) {
            out.extend_from_slice(format!("From {}\n", message.from()).as_bytes());
            decode_message(message.contents(), &mut out);
        }
    } else {
        decode_message(input, &mut out);
    }
    Cow::Owned(out)
}

fn decode_message(raw: &[u8], out: &mut Vec<u8>) {
    let Some(message) = MessageParser::default().parse(raw) else {
        out.extend_from_slice(raw);
        return;
    };
    let body_at = message.parts.first().map_or(0, |p| p.offset_body as usize).min(raw.len());
    out.extend_from_slice(&raw[..body_at]);
    for part in &message.parts {
        let text = match &part.body {
            PartType::Text(_) => true,
            // Attached patches often come as octets.
            PartType::Binary(bytes) | PartType::InlineBinary(bytes) => memchr::memmem::find(bytes, b"\n@@ -").is_some(),
            PartType::Html(_) | PartType::Message(_) | PartType::Multipart(_) => false,
        };
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
        if out.last() != Some(&b'\n') {
            out.push(b'\n');
        }
    }
}

/// A mailbox separator or a header line at the very start, and a header that only mails have.
fn looks_like_mail(input: &[u8]) -> bool {
    let head = &input[..input.len().min(64 << 10)];
    let mut lines = head.split(|&b| b == b'\n');
    let is_header = |line: &[u8]| {
        let name = line.iter().position(|b| !(b.is_ascii_alphanumeric() || *b == b'-')).unwrap_or(0);
        name > 0 && line[name] == b':'
    };
    let first = lines.next().unwrap_or_default();
    if !first.starts_with(b"From ") && !is_header(first) {
        return false;
    }
    std::iter::once(first)
        .chain(lines)
        .take_while(|l| !l.trim_ascii().is_empty())
        .any(|l| ["from:", "subject:", "date:", "mime-version:"].iter().any(|h| starts_ignoring_case(l, h)))
}

fn has_encoded_body(input: &[u8]) -> bool {
    input.split(|&b| b == b'\n').any(|line| {
        starts_ignoring_case(line, "content-transfer-encoding:") && {
            let value = line["content-transfer-encoding:".len()..].trim_ascii();
            value.eq_ignore_ascii_case(b"base64") || value.eq_ignore_ascii_case(b"quoted-printable")
        }
    })
}

fn starts_ignoring_case(line: &[u8], prefix: &str) -> bool {
    line.len() >= prefix.len() && line[..prefix.len()].eq_ignore_ascii_case(prefix.as_bytes())
}
