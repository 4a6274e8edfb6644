//! Learning a rule from examples of what was done: code before and after.
//!
//! The trees of both versions are compared, which gives the pieces that were replaced. What all of these have in common becomes the
//! pattern, and what differs becomes holes: their least general generalisation (Plotkin's anti-unification, 1970), with runs of
//! arguments as holes that take many. The code after, with the same holes, becomes the fix. From one example alone nothing differs;
//! then values that were kept become holes, and that is said to be a guess.

mod differ;
mod generalise;
mod piece;

use crate::lang::{Language, parse};

use self::differ::{Instance, differ};
use self::generalise::Generaliser;
use self::piece::Piece;

/// A file before and after.
#[derive(Debug, Clone)]
pub struct Pair {
    /// Its path, which decides the language.
    pub path: String,
    /// Its content before.
    pub before: Vec<u8>,
    /// Its content after.
    pub after: Vec<u8>,
}

/// A rule as far as it can be learned.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Learned {
    /// The language of the code.
    pub language: &'static Language,
    /// The pattern.
    pub pattern: String,
    /// Its holes, and whether each takes many.
    pub holes: Vec<(String, bool)>,
    /// What to do about a match, when that could be learned.
    pub fix: Option<LearnedFix>,
    /// In how many places it was seen.
    pub places: usize,
    /// What it isn't sure of.
    pub doubts: Vec<String>,
}

/// What was done about the code.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LearnedFix {
    /// It was replaced by this, in which holes are as in messages.
    Rewrite(String),
    /// The statement was taken away.
    Remove,
}

/// Learns a rule from pairs of one language.
///
/// # Errors
/// Why there is nothing to learn, for the user.
pub fn learn(pairs: &[Pair]) -> Result<Learned, String> {
    let mut instances: Vec<(usize, Instance)> = Vec::new();
    let (mut added, mut language) = (0, None);
    for (index, pair) in pairs.iter().enumerate() {
        let own = Language::of(pair.path.as_bytes(), &pair.before)
            .ok_or_else(|| format!("{}: the language of this file isn't known", pair.path))?;
        if **language.get_or_insert(own) != *own {
            return Err(format!("{} is in another language than the files before it", pair.path));
        }
        let [before, after] = [tree(&pair.before, own, pair, "before")?, tree(&pair.after, own, pair, "after")?];
        let found = differ(&before, &after);
        added += found.added;
        instances.extend(found.instances.into_iter().map(|instance| (index, instance)));
    }
    let language = language.ok_or("there are no files to learn from")?;
    if instances.is_empty() && added > 0 {
        return Err("code was only added; a rule needs code that it can find".to_owned());
    }
    let Some((_, first)) = instances.first() else {
        return Err("nothing differs but comments and white space".to_owned());
    };
    // What is alike belongs together: most pairs that were made for this hold one kind of change.
    let (kind, replaced) = (first.before.kind, first.after.is_some());
    let all = instances.len();
    instances.retain(|(_, instance)| instance.before.kind == kind && instance.after.is_some() == replaced);
    let mut doubts = Vec::new();
    if instances.len() < all {
        doubts.push(format!("{} other places were changed in another way, and are left out", all - instances.len()));
    }
    if added > 0 {
        doubts.push(format!("{added} pieces of code were only added; the fix doesn't add them"));
    }
    // A list can only be seen to go on in the place where it is longest.
    instances.sort_by_key(|(_, instance)| std::cmp::Reverse(instance.before.text.len()));
    let generaliser = Generaliser { pairs, instances: &instances };
    let found = generaliser.run(&mut doubts)?;
    Ok(Learned { language, places: instances.len(), doubts, ..found })
}

fn tree(content: &[u8], language: &'static Language, pair: &Pair, side: &str) -> Result<Piece, String> {
    let tree = parse(content, language).map_err(|why| format!("{} {side} can't be parsed: {why}", pair.path))?;
    if tree.root_node().has_error() {
        return Err(format!("{} {side} has a syntax error", pair.path));
    }
    Piece::of(tree.root_node(), content, language).ok_or_else(|| format!("{} {side} nests too deep", pair.path))
}
