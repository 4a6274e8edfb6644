//! Crossing a hunk's body in blocks, for as long as it surely goes on.
//!
//! Reading a body line by line costs a misguessed branch or two for each line. Most of a long body needs no more than
//! counts: how many lines begin in a block with each marker. Those are sums over pairs of neighbouring bytes, which the
//! compiler turns into vector code. A block is taken whole only when every line that begins in it has one of the three
//! plain markers and the hunk still lacks lines after it; whatever is left is read line by line.
//!
//! Measured by leaving it out: a tenth of the time of reading 100 MB in hunks of twenty lines, which is short for it.

/// Bytes in a block; the sums of one block fit into a byte.
const BLOCK: usize = 64;

/// Crosses blocks from `start`, the beginning of a line after an LF, and takes what they hold off `old` and `new`.
/// Everything before the offset that comes back was crossed; it lies inside the last line that was counted.
pub(super) fn skip_blocks(input: &[u8], start: usize, old: &mut u32, new: &mut u32) -> Option<usize> {
    let mut at = start.checked_sub(1)?;
    let mut begun = false;
    while let (Some(bytes), Some(after)) = (input.get(at..at + BLOCK), input.get(at + 1..at + 1 + BLOCK)) {
        // No branch in here, so that it becomes vector code.
        let (mut all, mut added, mut removed, mut context) = (0u8, 0u8, 0u8, 0u8);
        for (byte, next) in bytes.iter().zip(after) {
            let ends = u8::from(*byte == b'\n');
            all += ends;
            added += ends & u8::from(*next == b'+');
            removed += ends & u8::from(*next == b'-');
            context += ends & u8::from(*next == b' ');
        }
        let (from_old, from_new) = (u32::from(removed + context), u32::from(added + context));
        // The hunk must lack a line still, or the last line counted may be its end and what follows no part of it.
        let goes_on = from_old <= *old && from_new <= *new && (from_old < *old || from_new < *new);
        // An empty line, a `\` or a mistake: the slow loop knows what to do.
        if all != added + removed + context || !goes_on {
            break;
        }
        (*old, *new) = (*old - from_old, *new - from_new);
        begun |= all > 0;
        at += BLOCK;
    }
    begun.then_some(at)
}
