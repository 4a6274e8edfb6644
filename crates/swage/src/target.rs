//! Which branch a change wants to enter.

use swage_core::change::{Content, Tree};
use swage_core::config::{FileRole, read_rules};
use swage_git::{Repository, Target};

use crate::failure::Failure;

/// The target: what is typed, else what this clone's git configuration says, else what the branches show; in that last
/// case the `target` of the swage.toml that is there is followed, once. The change's own swage.toml has no say.
pub fn find_target(repository: &Repository, typed: Option<&str>) -> Result<Target, Failure> {
    if let Some(name) = typed {
        return Ok(repository.target(name, "--target or the range")?);
    }
    if let Some(name) = repository.configured_target() {
        return Ok(repository.target(&name, "swage.target in git's configuration")?);
    }
    let usual = repository.usual_target()?;
    match named_there(repository, &usual)? {
        Some(name) if name != usual.name && Some(name.as_str()) != usual.name.strip_prefix("origin/") => {
            Ok(repository.target(&name, "the target's swage.toml")?)
        }
        _ => Ok(usual),
    }
}

/// What the swage.toml of a target calls the target. Mistakes in it are reported when its rules are read.
fn named_there(repository: &Repository, target: &Target) -> Result<Option<String>, Failure> {
    let files = repository.files(&target.tip)?;
    let Some(index) = files.find(b"swage.toml") else { return Ok(None) };
    let Content::Whole { bytes, .. } = files.content(index) else { return Ok(None) };
    let source = String::from_utf8_lossy(&bytes);
    Ok(read_rules("swage.toml", &source, FileRole::Configuration).ok().and_then(|file| file.config.target))
}
