//! Blocks of git's binary patches: lines of a length letter and groups of five characters, each four bytes in base 85
//! (git's `base85.c`), that together are a zlib stream (RFC 1950).

use std::io::Read;

use flate2::read::ZlibDecoder;

/// The digits of base 85, by their values.
const DIGITS: &[u8; 85] = b"0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz!#$%&()*+-;<=>?@^_`{|}~";

/// Adds the bytes of a line to those before; `None` when it is no such line.
pub(super) fn decode_line(line: &[u8], into: &mut Vec<u8>) -> Option<()> {
    let (length, groups) = line.split_first()?;
    // One letter for up to 52 bytes.
    let length = match length {
        b'A'..=b'Z' => usize::from(length - b'A') + 1,
        b'a'..=b'z' => usize::from(length - b'a') + 27,
        _ => return None,
    };
    if groups.len() != length.div_ceil(4) * 5 {
        return None;
    }
    let end = into.len() + length;
    for group in groups.chunks(5) {
        let digit = |byte: &u8| DIGITS.iter().position(|d| d == byte).map(|at| at as u64);
        // Five digits go a little beyond 32 bits; such groups aren't any encoding.
        let value = group.iter().try_fold(0, |value, byte| Some(value * 85 + digit(byte)?))?;
        into.extend(u32::try_from(value).ok()?.to_be_bytes());
    }
    into.truncate(end);
    Some(())
}

/// How many bytes a zlib stream inflates to, counted up to one more than `most`; `None` when it is cut or none.
pub(super) fn inflated_size(packed: &[u8], most: u64) -> Option<u64> {
    // Nothing is kept, and a small patch that inflates to gigabytes is stopped.
    let mut stream = ZlibDecoder::new(packed).take(most.saturating_add(1));
    std::io::copy(&mut stream, &mut std::io::sink()).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_decode_as_git_encodes() {
        // Forty times the bytes 0 to 3.
        let mut packed = Vec::new();
        assert_eq!(decode_line(b"Oc${NkWMW|$#25fqr~w%O", &mut packed), Some(()));
        assert_eq!(inflated_size(&packed, 160), Some(160));
        assert_eq!(inflated_size(&packed, 100), Some(101), "no more than is asked for");
        for bad in [&b""[..], b"zcm", b"A0000", b"A 0000", b"A~~~~~", b"1cmZQ"] {
            let mut out = Vec::new();
            let taken = decode_line(bad, &mut out);
            assert!(taken.is_none() || out.len() == 1, "{bad:?}");
        }
        assert_eq!(inflated_size(&packed[..packed.len() - 5], 160), None, "cut");
    }
}
