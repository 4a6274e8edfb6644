//! New files that are another file once more, byte for byte: a built folder, a second checkout in the tree. What is wrong with
//! them is fixed in the other one.

use std::collections::{HashMap, HashSet};

use super::file::Examined;
use crate::change::{Change, ChangedFile, Contents};
use crate::diff::Kind;

/// In up to this many files a person reads findings twice sooner than the whole tree is listed.
const FEW: usize = 8;

/// For each file of a change the path of the file that it copies: one that isn't new, or the new one with the shortest path, the
/// first of several. Contents are compared by their ids, so files without one copy nothing. Files that the change doesn't touch
/// are compared only when it has more than a few new ones in which something was found, since that takes a list of the tree.
pub(super) fn originals(change: &Change, contents: &dyn Contents, examined: &[Examined]) -> Vec<Option<Vec<u8>>> {
    let id_of = |e: &Examined| e.new_id.clone();
    let found_in = |e: &&Examined| e.is_new && !e.file_hits.hits.new.is_empty();
    let asked: HashSet<String> = examined.iter().filter(found_in).filter_map(id_of).collect();
    if asked.is_empty() {
        return vec![None; examined.len()];
    }
    // The best of those with a content: not new, then short, then first.
    let mut best: HashMap<String, (bool, usize, &[u8])> = HashMap::new();
    let mut offer = |id: String, is_new: bool, path| {
        let one = (is_new, <[u8]>::len(path), path);
        best.entry(id).and_modify(|best| *best = one.min(*best)).or_insert(one);
    };
    let tree = (asked.len() > FEW).then(|| contents.tree().ok()).flatten();
    if let Some(tree) = &tree {
        let touched: HashSet<&[u8]> = change.files.iter().flat_map(|f| [&f.old_path[..], &f.new_path]).collect();
        for (index, file) in tree.files().iter().enumerate().filter(|(_, f)| !touched.contains(&f.path[..])) {
            tree.id(index).filter(|id| asked.contains(id)).into_iter().for_each(|id| offer(id, false, &file.path));
        }
    }
    for (file, e) in change.files.iter().zip(examined).filter(|(file, _)| file.kind != Kind::Deleted) {
        id_of(e).filter(|id| asked.contains(id)).into_iter().for_each(|id| offer(id, e.is_new, &file.new_path));
    }
    let original = |(file, e): (&ChangedFile, &Examined)| {
        let (.., path) = best.get(e.new_id.as_ref().filter(|_| e.is_new)?)?;
        (*path != file.new_path).then(|| path.to_vec())
    };
    change.files.iter().zip(examined).map(original).collect()
}
