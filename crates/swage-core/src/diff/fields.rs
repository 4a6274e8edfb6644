//! Single lines of a diff and the fields in them.

use super::model::{Hunk, Mode};

/// True when a new commit or mail begins at this line.
pub(super) fn starts_patch(input: &[u8], at: usize, line: &[u8]) -> bool {
    // An object id of SHA-1 or, longer, of SHA-256.
    let hex = |text: &[u8]| text.len() >= 40 && text[..40].iter().all(u8::is_ascii_hexdigit);
    match line.first() {
        Some(b'c') => line.strip_prefix(b"commit ").is_some_and(hex) || line.starts_with(b"changeset: "),
        Some(b'F') => line.strip_prefix(b"From ").is_some_and(|rest| {
            // A mailbox separator: a commit id or an address, at the start or after an empty line, a header below it.
            let fresh = at == 0 || input[..at].ends_with(b"\n\n") || input[..at].ends_with(b"\r\n\r\n");
            let below = &input[(at + line.len() + 1).min(input.len())..];
            let name = below.iter().position(|b| !(b.is_ascii_alphanumeric() || *b == b'-')).unwrap_or(0);
            hex(rest) || fresh && name > 0 && below.get(name) == Some(&b':')
        }),
        _ => false,
    }
}

/// A header line without the CRs at its end; mailers may have added more than one.
pub(super) fn trim_cr(mut line: &[u8]) -> &[u8] {
    while let Some(rest) = line.strip_suffix(b"\r") {
        line = rest;
    }
    line
}

/// A mode in octal digits.
pub(super) fn mode(text: &[u8]) -> Option<Mode> {
    // Type and permissions take six digits; more would be something else.
    let text = std::str::from_utf8(text).ok()?.trim();
    u32::from_str_radix(text, 8).ok().filter(|m| *m < 0o1_000_000).map(Mode)
}

/// `90%`.
pub(super) fn percent(text: &[u8]) -> Option<u8> {
    std::str::from_utf8(text).ok()?.trim().strip_suffix('%')?.parse().ok().filter(|p| *p <= 100)
}

/// `@@ -old[,lines] +new[,lines] @@`: the four numbers; the text is filled in later.
pub(super) fn hunk_header(line: &[u8]) -> Option<Hunk<'_>> {
    let rest = line.strip_prefix(b"@@ -")?;
    let (old_start, old_lines, rest) = range(rest)?;
    let (new_start, new_lines, rest) = range(rest.strip_prefix(b" +")?)?;
    // After the second `@@` programs write the line of the function around the hunk, or nothing.
    rest.starts_with(b" @@").then_some(())?;
    Some(Hunk { old_start, old_lines, new_start, new_lines, text: &[], body_at: 0 })
}

/// `start[,lines]`, and what follows. Line numbers are 1-based unless the side is empty, and stay far from overflow.
fn range(text: &[u8]) -> Option<(u32, u32, &[u8])> {
    let (start, mut rest) = number(text)?;
    // A count of one may be left out.
    let mut lines = 1;
    if let Some((b',', after)) = rest.split_first() {
        (lines, rest) = number(after)?;
    }
    // Only an empty side may begin at 0: before the first line.
    (start > 0 || lines == 0).then_some(())?;
    // Sums of starts and lengths are taken everywhere; here is the one place that bounds them.
    start.checked_add(lines)?.checked_add(2)?;
    Some((start, lines, rest))
}

/// A decimal number and what follows it; `None` when there is none or it is too large.
fn number(text: &[u8]) -> Option<(u32, &[u8])> {
    let mut n = 0u32;
    let mut rest = text;
    while let Some((digit @ b'0'..=b'9', after)) = rest.split_first() {
        n = n.checked_mul(10)?.checked_add(u32::from(digit - b'0'))?;
        rest = after;
    }
    (rest.len() < text.len()).then_some((n, rest))
}
