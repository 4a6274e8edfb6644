//! Sets of paths, by patterns.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::sync::{Arc, OnceLock};

use globset::{Candidate, Glob, GlobBuilder, GlobSet, GlobSetBuilder};

/// Paths that match any of some patterns: `*` stands for anything but `/`, `**` for any folders, `{a,b}` for either.
#[derive(Debug, Clone)]
pub struct PathSet {
    /// As they were written, for messages and for comparing sets.
    patterns: Vec<String>,
    /// Compiled, and shared by all copies.
    set: Arc<GlobSet>,
}

impl PathSet {
    /// The paths that match any of the patterns.
    ///
    /// # Errors
    /// The index of each pattern that is none, with the reason; or that all together are too large.
    pub fn new(patterns: Vec<String>) -> Result<Self, Vec<(usize, String)>> {
        let (mut builder, mut wrong) = (GlobSetBuilder::new(), Vec::new());
        for (index, pattern) in patterns.iter().enumerate() {
            match Self::glob(pattern) {
                Ok(glob) => _ = builder.add(glob),
                Err(error) => wrong.push((index, error.kind().to_string())),
            }
        }
        if !wrong.is_empty() {
            return Err(wrong);
        }
        let set = builder.build().map_err(|error| vec![(0, error.kind().to_string())])?;
        Ok(Self { patterns, set: Arc::new(set) })
    }

    /// One pattern, compiled.
    fn glob(pattern: &str) -> Result<Glob, globset::Error> {
        // One of several may be nothing: `{test,}.py`.
        GlobBuilder::new(pattern).literal_separator(true).empty_alternates(true).build()
    }

    /// Whether a path, with `/` between its parts, is one of them.
    pub fn has(&self, path: &[u8]) -> bool {
        self.set.is_match(OsStr::from_bytes(path))
    }

    /// Whether a pattern names rule files.
    pub fn names_rule_files(&self) -> bool {
        self.patterns.iter().any(|pattern| pattern.contains("swage"))
    }

    /// The patterns as they were written.
    pub fn patterns(&self) -> &[String] {
        &self.patterns
    }
}

/// Whether a path is among those that are wanted, all when `None`, and not among those that are skipped.
pub(super) fn is_wanted(path: &[u8], paths: Option<&PathSet>, skipped: Option<&PathSet>) -> bool {
    paths.is_none_or(|set| set.has(path)) && !skipped.is_some_and(|set| set.has(path))
}

/// Whether a file holds rules or policy. A rule that isn't made for such files would meet its own words in them.
pub fn is_rule_file(path: &[u8]) -> bool {
    path == b"swage.toml" || path.starts_with(b".swage/")
}

/// Who writes a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Origin {
    /// A program, or people elsewhere: rules with `skip_generated` skip it.
    Generated,
    /// The people of the repository.
    Written,
}

/// Path sets of which many are alike. All their patterns are matched against a path at once: asking each set by itself took a
/// twentieth of the time of scanning small files.
#[derive(Debug, Default)]
pub(super) struct PathSets {
    /// Each once; a set's number is its index.
    sets: Vec<PathSet>,
    /// All patterns, and the set that each belongs to; made when the first path comes. `None` when they are too large together.
    all: OnceLock<Option<(GlobSet, Vec<usize>)>>,
}

impl PathSets {
    /// The number of a set.
    pub fn number(&mut self, set: &PathSet) -> usize {
        self.sets.iter().position(|known| known.patterns == set.patterns).unwrap_or_else(|| {
            self.sets.push(set.clone());
            self.sets.len() - 1
        })
    }

    /// For each set, by its number, whether it has a path.
    pub fn of_path(&self, path: &[u8]) -> Vec<bool> {
        match self.all.get_or_init(|| self.combined()) {
            Some((all, owners)) => {
                let (mut has, mut matching) = (vec![false; self.sets.len()], Vec::new());
                all.matches_candidate_into(&Candidate::new(OsStr::from_bytes(path)), &mut matching);
                matching.into_iter().for_each(|pattern| has[owners[pattern]] = true);
                has
            }
            None => self.sets.iter().map(|set| set.has(path)).collect(),
        }
    }

    /// One matcher for all sets; `None` when it would be too large, and each set is asked by itself then.
    fn combined(&self) -> Option<(GlobSet, Vec<usize>)> {
        let (mut builder, mut owners) = (GlobSetBuilder::new(), Vec::new());
        for (number, set) in self.sets.iter().enumerate() {
            for pattern in &set.patterns {
                builder.add(PathSet::glob(pattern).ok()?);
                owners.push(number);
            }
        }
        Some((builder.build().ok()?, owners))
    }
}

/// Where files lie that people don't write, when the configuration doesn't say.
const USUALLY_GENERATED: [&str; 15] = [
    "**/html/_static/**",
    "**/{dist,generated,_generated,pre_generated,_build}/**",
    "**/{build-*,*-dist,build/lib}/**",
    "**/build/**/*.{js,mjs,cjs,d.ts}",
    "**/*.min.{js,css}",
    "**/*.{es,esm,cjs,umd,iife}.js",
    "**/*{.,-,_}bundle.{js,mjs,css}",
    "**/*.{generated,gen}.*",
    "**/*_pb2.py",
    "**/*.pb.{go,cc,h}",
    "**/*.{lock,map,snap}",
    "**/package-lock.json",
    "**/{PKG-INFO,*.egg-info/**,*.dist-info/**}",
    "**/lib/{module,commonjs,typescript}/**/*.{js,d.ts}",
    // Formats of modules, one of which the source is compiled to in each.
    "**/{es,esm,cjs,umd,built,compiled}/**/*.{js,mjs,cjs,d.ts}",
];

/// The files that programs usually make.
pub fn usually_generated() -> Option<PathSet> {
    // A mistake in the list would be seen at once: nothing would be skipped.
    PathSet::new(USUALLY_GENERATED.map(str::to_owned).to_vec()).ok()
}

/// Where code that comes from elsewhere lies, when the configuration doesn't say.
const USUALLY_VENDORED: [&str; 8] = [
    "**/{node_modules,.node_modules*,bower_components,jspm_packages,vendor,vendors,vendored,vendored[_-]*,*[-_]bundled,_vendor,vendoring,borrowed,bundled,extern,external,externals,{ext,extern,external}[_-]{lib,libs},inline_copy,{static,embedded}_dependencies,deps}/**",
    "**/{third,3rd}{-,_,}part{y,ies}/**",
    "**/{.ipynb_checkpoints,cextern,gnulib,gnulib[-_]*,site-packages,.lib,.libs,venv,.venv,.venv[-_]*,virtualenv,subprojects,submodules,Pods,Carthage}/**",
    // Libraries that bear their version.
    "**/{lib,libs}/*[a-z]{-,_,}[0-9]*[._][0-9]*/**",
    "?*/**/*[a-z]-[0-9]*.[0-9]*.[0-9]*/**",
    "**/{ez_setup,distribute_setup,versioneer,ply/{lex,yacc}}.py",
    "**/jquery{,[-.]*}.js",
    // Other checkouts of the same repository.
    "**/.*/worktrees/**",
];

/// The files that usually come from elsewhere.
pub fn usually_vendored() -> Option<PathSet> {
    PathSet::new(USUALLY_VENDORED.map(str::to_owned).to_vec()).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn vendored_folders_are_recognised_by_their_usual_names() {
        let vendored = usually_vendored().expect("the list is right");
        let cases = [
            ("src/3rdparty/json.hpp", true),
            ("third-party/tide.c", true),
            ("lib/third_party/tide/low.c", true),
            ("web/node_modules/tide/index.js", true),
            ("web/vendored_libs/tide.py", true),
            ("external_libs/tide/low.h", true),
            ("quay/static_dependencies/tide.py", true),
            ("gnulib/lib/tide.c", true),
            ("gnulib-lib/tide.c", true),
            ("quay/.ipynb_checkpoints/tide-checkpoint.py", true),
            ("ez_setup.py", true),
            ("quay/ply/yacc.py", true),
            ("quay/supply/yacc.py", false),
            ("web/lib/jquery.tide.core.js", true),
            (".tide/worktrees/low/quay/low.py", true),
            ("quay/worktrees/low.py", false),
            (".venv/bin/tide.py", true),
            (".venv-dev/bin/tide.py", true),
            ("subprojects/tide/low.c", true),
            ("web/vendors/tide.js", true),
            ("libtide-bundled/low.c", true),
            ("thirdparties/tide.c", true),
            ("ios/Pods/Tide/low.swift", true),
            ("engine/lib/tide_1_2/low.py", true),
            ("engine/lib/tide-2.0.1/low.py", true),
            ("engine/lib/tide_2/low.py", false),
            ("engine/src/tide-1.2.13/low.c", true),
            ("tide-1.2.13/src/low.c", false),
            ("engine/src/tide-1.2/low.c", false),
            ("ext/tide.c", false),
            ("web/modules/tide.js", false),
            ("src/party/tide.c", false),
        ];
        for (path, expected) in cases {
            assert_eq!(vendored.has(path.as_bytes()), expected, "{path}");
        }
    }
}
