//! Whether a text has the form that it seems to have: check digits, decodable parts, and how random it is.

use super::text::Form;

/// Whether a text is of a form.
pub(super) fn is_of(form: Form, text: &[u8]) -> bool {
    match form {
        Form::Luhn => luhn(text),
        Form::Mod97 => mod97(text),
        Form::Jwt => jwt(text),
    }
}

/// Bits of information a character, by how often each occurs (Shannon, A Mathematical Theory of Communication, 1948).
pub(super) fn entropy(text: &[u8]) -> f64 {
    // Bytes, since a secret is written in ASCII: a character beyond it counts as several.
    let mut counts = [0u32; 256];
    text.iter().for_each(|b| counts[usize::from(*b)] += 1);
    let all = text.len() as f64;
    let share = |count: &u32| f64::from(*count) / all;
    -counts.iter().filter(|count| **count > 0).map(|count| share(count) * share(count).log2()).sum::<f64>()
}

/// ISO/IEC 7812-1, annex B: from the right every second digit is doubled, and the digits of all add up to a multiple of 10.
fn luhn(text: &[u8]) -> bool {
    let digits: Vec<u32> = text.iter().filter(|b| b.is_ascii_digit()).map(|b| u32::from(b - b'0')).collect();
    // The sum of the digits of a number of two digits is that number less nine.
    let weighed = digits.iter().rev().enumerate().map(|(at, digit)| match (at % 2, digit * 2) {
        (0, _) => *digit,
        (_, double) if double > 9 => double - 9,
        (_, double) => double,
    });
    // Shorter numbers pass by chance, and a row of one digit is a placeholder.
    digits.len() >= 12 && digits.iter().any(|d| *d != digits[0]) && weighed.sum::<u32>() % 10 == 0
}

/// ISO 13616 with ISO/IEC 7064: the first four characters go to the end, letters become 10 to 35, and the number leaves 1
/// when divided by 97.
fn mod97(text: &[u8]) -> bool {
    let text: Vec<u8> = text.iter().copied().filter(|b| !b.is_ascii_whitespace()).collect();
    // The shortest account number of any country has fifteen characters.
    if text.len() < 15 || !text.iter().all(u8::is_ascii_alphanumeric) {
        return false;
    }
    // The country and the check digits count last.
    let turned = text[4..].iter().chain(&text[..4]);
    let rest = turned.fold(0u32, |rest, b| match b {
        b'0'..=b'9' => (rest * 10 + u32::from(b - b'0')) % 97,
        letter => (rest * 100 + u32::from(letter.to_ascii_uppercase() - b'A') + 10) % 97,
    });
    rest == 1
}

/// RFC 7515, section 3.1: three parts of base64url, of which the first is the JSON of a header with `alg`.
fn jwt(text: &[u8]) -> bool {
    let mut parts = text.split(|b| *b == b'.');
    let header = parts.next().and_then(base64url);
    let Some(header) = header.and_then(|bytes| serde_json::from_slice::<serde_json::Value>(&bytes).ok()) else {
        return false;
    };
    // Parts of a few characters are examples.
    header["alg"].is_string() && parts.filter(|part| part.len() > 8).count() == 2
}

/// Bytes of base64url without padding (RFC 4648, section 5); bits left over at the end are dropped.
fn base64url(text: &[u8]) -> Option<Vec<u8>> {
    let mut out = Vec::new();
    let (mut bits, mut held) = (0u32, 0u32);
    for b in text {
        let value = match b {
            b'A'..=b'Z' => b - b'A',
            b'a'..=b'z' => b - b'a' + 26,
            b'0'..=b'9' => b - b'0' + 52,
            b'-' => 62,
            b'_' => 63,
            _ => return None,
        };
        // No more than sixteen bits are ever waiting to be given out.
        bits = (bits << 6 | u32::from(value)) & 0xffff;
        held += 6;
        if held >= 8 {
            held -= 8;
            out.push((bits >> held) as u8);
        }
    }
    Some(out)
}
