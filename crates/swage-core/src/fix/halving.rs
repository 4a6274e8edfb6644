//! Finding which of several things are good together.

/// What was kept, and what wasn't.
#[derive(Debug)]
pub struct Kept<T, W> {
    /// Those that are good together, in order.
    pub good: Vec<usize>,
    /// What trying just those gave; `None` when none is good.
    pub result: Option<T>,
    /// The others, each with the reason.
    pub refused: Vec<(usize, W)>,
}

/// Keeps as many as are good together: all, or else the good ones of each half. `attempt` tries a set, given in order, and gives
/// what came of it or why it isn't good. With *n* good ones that is one trial; each that isn't good costs some log *n* more.
///
/// # Errors
/// When `attempt` couldn't try; nothing is known then.
pub fn keep_good<T, W, E>(
    all: Vec<usize>,
    mut attempt: impl FnMut(&[usize]) -> Result<Result<T, W>, E>,
) -> Result<Kept<T, W>, E> {
    let mut kept = Kept { good: Vec::new(), result: None, refused: Vec::new() };
    let mut sets = vec![all];
    while let Some(set) = sets.pop().filter(|set| !set.is_empty()) {
        let mut together = [&kept.good[..], &set].concat();
        together.sort_unstable();
        match attempt(&together)? {
            Ok(result) => (kept.good, kept.result) = (together, Some(result)),
            Err(why) if set.len() == 1 => kept.refused.push((set[0], why)),
            Err(_) => {
                let (first, second) = set.split_at(set.len() / 2);
                sets.extend([second.to_vec(), first.to_vec()]);
            }
        }
    }
    Ok(kept)
}
