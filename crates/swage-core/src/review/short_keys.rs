//! Keys of findings as people read them.

/// Fewest digits of a key that are shown.
const SHORTEST_KEY: usize = 8;

/// The keys of a review's findings, as short as each names no other one; commands take them so.
#[derive(Debug)]
pub struct ShortKeys<'r>(Vec<&'r str>);

impl<'r> ShortKeys<'r> {
    /// Of these keys, in any order.
    pub fn new(keys: impl Iterator<Item = &'r str>) -> Self {
        let mut keys: Vec<&str> = keys.collect();
        keys.sort_unstable();
        keys.dedup();
        Self(keys)
    }

    /// A key of the review, shortened.
    pub fn of<'k>(&self, key: &'k str) -> &'k str {
        let shared = |other: &&str| key.bytes().zip(other.bytes()).take_while(|(a, b)| a == b).count();
        let (before, rest) = self.0.split_at(self.0.partition_point(|other| *other < key));
        let neighbours = before.last().into_iter().chain(rest.iter().find(|other| **other != key));
        let enough = neighbours.map(shared).max().map_or(0, |most| most + 1).max(SHORTEST_KEY);
        key.get(..enough).unwrap_or(key)
    }
}
