//! Areas of a repository that rules may skip, by the names that the trade gives their folders and files.
//!
//! What is right in code that people use may be right to break in a test, and what a test is given to read is broken on purpose.
//! Each rule used to list such folders itself, and each list lacked something that another one had.

use std::sync::LazyLock;

use super::paths::PathSet;

/// An area of a repository.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Area {
    /// Code that tests.
    Tests,
    /// What tests are given to read, and what they compare with.
    TestData,
    /// Code that shows how something is used.
    Examples,
    /// Documentation and what builds it.
    Docs,
    /// Programs for the people who work on the repository.
    Scripts,
    /// Code that measures how fast something is.
    Benchmarks,
    /// Code that is kept and no longer used.
    Archived,
}

impl Area {
    /// All, with the words that rules use for them.
    pub const ALL: [(&'static str, Self); 7] = [
        ("tests", Self::Tests),
        ("test-data", Self::TestData),
        ("examples", Self::Examples),
        ("docs", Self::Docs),
        ("scripts", Self::Scripts),
        ("benchmarks", Self::Benchmarks),
        ("archived", Self::Archived),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL[self as usize].0
    }

    /// The patterns of its paths.
    pub fn patterns(self) -> &'static [&'static str] {
        match self {
            Self::Tests => &[
                "**/{t,test,tests,autotests,unittest,unittests,*[-_.]test,*[-_.]tests,test[-_]*,tests[-_]*,tests[0-9],tck,testsuite,testsuites,testing,*Tests,*TestsSources}/**",
                "**/{features/{steps,step_definitions},src/it}/**",
                "**/{testlib,test_utils,testutils,spec,specs,__tests__,__mocks__,e2e,regress,regression[-_]test*,cypress,testdir}/**",
                "**/*{.,_,-}{test,tests,spec,specs,e2e,regression,regressions,tester}.*",
                "**/{test_*,test-*,testing_*,testing-*,test,tests,testutils,conftest,test_harnesses}.*",
                "**/*[a-z0-9]{Test,Tests,TestCase,TestBase,Spec,IT}.*",
            ],
            Self::TestData => &[
                "**/{testdata,test-data,test_data,testfiles,test_files,testfixtures,fixture,fixtures,_fixtures,__fixtures__,*[-_]fixtures}/**",
                "**/{testcase,testcases,test_cases,golden,goldens,snapshots,__snapshots__,conformance,corpus,corpora,cassettes,eval_files}/**",
                "**/{t,test,tests,spec,specs,unittests,testsuite,testing}/**/{data,files,_files,cases,input,inputs,output,outputs,expected,resources,samples,targets,project,projects,apps,documents,roots,templates,testconfs}/**",
                "**/*{.,_,-}{expected,golden,fixture}.*",
                "**/{Expected,expected}.*",
            ],
            Self::Examples => &[
                "**/{example,examples,example[-_]*,examples[-_]*,*[-_]example,*[-_]examples,sample,samples,demo,demos,tutorial,tutorials}/**",
                "**/{Example,Examples,*[a-z]Example,*[a-z]Examples,Sample,Samples,*[a-z]Samples,Demo,Demos,Demo[A-Z]*,*[a-z]Demo}/**",
                "**/{playground,showcase,quickstart,quickstarts,cookbook,recipes,storybook}/**",
                "**/{,*[-._]}{demo,example,sample}.*",
                "**/*template.{cfg,conf,env,ini,json,properties,toml,xml,yaml,yml}",
                "**/*.{example,sample,template,tmpl,dist}",
                "**/*.{story,stories}.*",
            ],
            Self::Docs => &[
                "**/{doc,docs,documentation,doc-src,docsrc,docs[-_]src,*[-_]docs,manual}/**",
                "**/*.{md,mdx,markdown,rst,adoc}",
                "**/{PKG-INFO,*.dist-info/METADATA}",
                "**/conf.py",
                // Pages of the manual, by their sections.
                "**/*.[1-8]",
            ],
            Self::Scripts => &[
                "**/{contrib,script,scripts,_scripts,*[-_]scripts,devtools,{dev,development}[-_]tools,releng,packaging,hack,ci,.ci,_CI,_ci,.github,.gitlab,.forgejo,build-aux}/**",
                // Further down they may be what the program is about.
                "{tool,tools,task,tasks,release,util,utils,gen,archive}/**",
                "**/{gen,generate,make,build,create,update,fetch,download,setup,release}[-_]*.{py,rb,go,js,mjs,cjs,ts}",
                "**/{setup*.py,{setup,noxfile,fabfile,wscript,SConscript,SConstruct}{,.py}}",
            ],
            Self::Benchmarks => {
                &["**/{bench,benches,benchmark,benchmarks,perf,*[-_]benchmarks}/**", "**/*{.,_,-}{bench,benchmark}.*"]
            }
            Self::Archived => &[
                "**/{archived,attic,deprecated,Deprecated,obsolete,old,Old,OLD,unused}/**",
                "**/*[-_]{backup,deprecated,obsolete,old,unused}.*",
            ],
        }
    }

    /// The areas in which a file lies.
    pub(crate) fn of(path: &[u8]) -> Vec<Self> {
        Self::ALL.iter().map(|(_, area)| *area).filter(|area| area.has(path)).collect()
    }

    /// Whether a file lies in it.
    pub(super) fn has(self, path: &[u8]) -> bool {
        self.files().is_some_and(|files| files.has(path))
    }

    /// The files in it; `None` never, as a test of all areas makes sure.
    pub(super) fn files(self) -> Option<&'static PathSet> {
        static FILES: LazyLock<Vec<Option<PathSet>>> = LazyLock::new(|| {
            let files =
                |(_, area): &(_, Area)| PathSet::new(area.patterns().iter().map(|p| (*p).to_owned()).collect()).ok();
            Area::ALL.iter().map(files).collect()
        });
        FILES[self as usize].as_ref()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn areas_are_known_by_the_names_of_folders_and_files() {
        for (at, (word, area)) in Area::ALL.iter().enumerate() {
            assert_eq!((*area as usize, area.word()), (at, *word));
            assert!(area.files().is_some(), "{word}");
        }
        let cases = [
            ("src/berths.py", ""),
            ("src/contest.py", ""),
            ("src/latest/tide.js", ""),
            ("src/attest.rs", ""),
            ("lib/samples.c", ""),
            ("src/tasks.ts", ""),
            ("tests/berths.py", "tests"),
            ("src/test/java/quay/BerthTest.java", "tests"),
            ("quay/BerthTests.cs", "tests"),
            ("quay/berth_test.go", "tests"),
            ("web/berth.spec.ts", "tests"),
            ("quay/conftest.py", "tests"),
            ("tests/data/broken.py", "tests test-data"),
            ("quay/testdata/a.go", "test-data"),
            ("web/__snapshots__/a.snap", "test-data"),
            ("examples/book.py", "examples"),
            ("quay/DemoCode/book.py", "examples"),
            ("quay/Demolition/book.py", ""),
            ("features/steps/book.py", "tests"),
            ("features/book.py", ""),
            ("regression_testing/book.html", "tests"),
            ("quay.egg-info/PKG-INFO", "docs"),
            ("man/quay.1", "docs"),
            ("quay/berth_demo.cpp", "examples"),
            ("config.sample.php", "examples"),
            ("docs/guide/book.py", "docs"),
            ("README.md", "docs"),
            ("scripts/deploy.sh", "scripts"),
            ("setup.py", "scripts"),
            ("benches/scan.rs", "benchmarks"),
            ("setupwin.py", "scripts"),
            ("quay/setup.ts", ""),
            ("quay/old/berths.c", "archived"),
            ("quay/berths_old.py", "archived"),
            ("quay/threshold.py", ""),
            ("quay/berths_backup.py", "archived"),
            ("quay/backup.py", ""),
            ("quay/unused/berths.c", "archived"),
            ("quay/reused/berths.c", ""),
            ("quay/berth_regressions.rs", "tests"),
            ("quay/regressions.rs", ""),
            ("setup.cfg", ""),
        ];
        for (path, expected) in cases {
            let words: Vec<_> = Area::of(path.as_bytes()).into_iter().map(Area::word).collect();
            assert_eq!(words.join(" "), expected, "{path}");
        }
    }
}
