//! Which pieces of code one version has where the other has something else: the smallest ones that are worth a rule.

use super::piece::Piece;

/// A piece of the code before, and what took its place; nothing when it was taken away.
#[derive(Debug, Clone)]
pub(super) struct Instance {
    pub before: Piece,
    pub after: Option<Piece>,
}

/// Lists of more children than this aren't aligned.
const MAX_CHILDREN: usize = 2_000;

/// What differs between two trees.
#[derive(Debug, Default)]
pub(super) struct Differences {
    pub instances: Vec<Instance>,
    /// How many pieces were only added: no pattern can look for what isn't there.
    pub added: usize,
}

/// Compares two trees.
pub(super) fn differ(before: &Piece, after: &Piece) -> Differences {
    let mut found = Differences::default();
    compare(before, after, None, &mut found);
    found.instances.dedup_by(|a, b| a.before.range == b.before.range);
    found
}

/// Compares two pieces. `around` are the innermost ones around them that stand for themselves: a call, or a statement.
fn compare<'p>(before: &'p Piece, after: &'p Piece, around: Option<(&'p Piece, &'p Piece)>, found: &mut Differences) {
    if before.text == after.text && before.kind == after.kind {
        return;
    }
    // A value that is passed says little without the call; anything else stands for itself once it has two parts.
    let in_call = around.is_some_and(|(outer, _)| outer.is_call);
    let is_enough = around.is_none() || !in_call && before.named().nth(1).is_some();
    let around = if before.holds_statements || before.is_definition {
        None
    } else if before.is_call || is_enough {
        Some((before, after))
    } else {
        around
    };
    let whole = |found: &mut Differences| {
        // What is too small to be looked for stands for the call or statement that it is part of.
        let (before, after) = around.unwrap_or((before, after));
        found.instances.push(Instance { before: before.clone(), after: Some(after.clone()) });
    };
    let is_too_long = before.children.len().max(after.children.len()) > MAX_CHILDREN;
    if before.kind != after.kind || before.children.is_empty() || after.children.is_empty() || is_too_long {
        return whole(found);
    }
    let gaps = gaps(&before.children, &after.children);
    let pairs = gaps.iter().all(|(b, a)| b.len() == a.len() && b.iter().zip(*a).all(|(b, a)| b.is_named && a.is_named));
    if pairs {
        gaps.iter().flat_map(|(b, a)| b.iter().zip(*a)).for_each(|(b, a)| compare(b, a, around, found));
    } else if before.holds_statements {
        for (b, a) in gaps {
            let pairs = b.len() == a.len();
            for (index, piece) in b.iter().enumerate().filter(|(_, piece)| piece.is_named) {
                match a.get(index).filter(|_| pairs) {
                    Some(after) => compare(piece, after, None, found),
                    None => found.instances.push(Instance { before: piece.clone(), after: None }),
                }
            }
            found.added += if pairs || !b.is_empty() { 0 } else { a.len() };
        }
    } else {
        whole(found);
    }
}

type Gap<'p> = (&'p [Piece], &'p [Piece]);

/// The runs of children between those that both have, by the longest common subsequence (dynamic programming, time and space of the
/// product of both lengths once what both begin and end with is taken off).
fn gaps<'p>(before: &'p [Piece], after: &'p [Piece]) -> Vec<Gap<'p>> {
    let same = |b: &Piece, a: &Piece| b.text == a.text && b.kind == a.kind;
    let start = before.iter().zip(after).take_while(|(b, a)| same(b, a)).count();
    let (before, after) = (&before[start..], &after[start..]);
    let end = before.iter().rev().zip(after.iter().rev()).take_while(|(b, a)| same(b, a)).count();
    let (before, after) = (&before[..before.len() - end], &after[..after.len() - end]);
    let width = after.len() + 1;
    let mut longest = vec![0u32; (before.len() + 1) * width];
    for b in (0..before.len()).rev() {
        for a in (0..after.len()).rev() {
            longest[b * width + a] = if same(&before[b], &after[a]) {
                longest[(b + 1) * width + a + 1] + 1
            } else {
                longest[(b + 1) * width + a].max(longest[b * width + a + 1])
            };
        }
    }
    let (mut b, mut a, mut from) = (0, 0, (0, 0));
    let mut gaps = Vec::new();
    while b < before.len() && a < after.len() {
        if same(&before[b], &after[a]) {
            gaps.push((&before[from.0..b], &after[from.1..a]));
            (b, a) = (b + 1, a + 1);
            from = (b, a);
        } else if longest[(b + 1) * width + a] >= longest[b * width + a + 1] {
            b += 1;
        } else {
            a += 1;
        }
    }
    gaps.push((&before[from.0..], &after[from.1..]));
    gaps.retain(|(b, a)| !(b.is_empty() && a.is_empty()));
    gaps
}
