//! Words in text, and what a file must name before its words are taken for those of another file.

use std::ops::Range;

/// The places where a name is as a word, in bytes.
pub(super) fn occurrences<'t>(text: &'t [u8], name: &'t str) -> impl Iterator<Item = Range<usize>> {
    let is_part = |b: Option<&u8>| b.is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_');
    let found = memchr::memmem::find_iter(text, name).map(|start| start..start + name.len());
    found.filter(move |at| !is_part(at.start.checked_sub(1).and_then(|n| text.get(n))) && !is_part(text.get(at.end)))
}

/// File names that stand for their folder.
const FOLDER_FILES: [&str; 5] = ["mod", "index", "__init__", "lib", "main"];

/// What code elsewhere names when it refers to a definition: the type around it, or else its file or the folder that this is
/// for.
pub(super) fn home_of<'n>(path: &'n str, name: &'n str) -> &'n str {
    if let Some((outer, _)) = name.rsplit_once('.') {
        return outer.rsplit('.').next().unwrap_or(outer);
    }
    let mut components = path.rsplit('/');
    let file = components.next().unwrap_or(path);
    let stem = file.split('.').next().unwrap_or(file);
    if FOLDER_FILES.contains(&stem) { components.next().unwrap_or(stem) } else { stem }
}

/// Whether code of a file is near enough to a definition to mean it by its name: it is in the same folder, or names the
/// definition's type, file or folder.
pub(super) fn is_near(path: &str, content: &[u8], definition_path: &str, definition_name: &str) -> bool {
    let folder = |path: &str| path.rfind('/').map_or(0, |at| at + 1);
    path[..folder(path)] == definition_path[..folder(definition_path)]
        || occurrences(content, home_of(definition_path, definition_name)).next().is_some()
}
