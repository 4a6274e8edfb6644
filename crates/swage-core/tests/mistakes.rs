//! What is said of mistakes in rule files, one at a time: where, what, and the way out.

use swage_core::config::{FileRole, read_rules};

/// Parts of a rule, each with one mistake. What is before `match` belongs to the rule.
const MISTAKES: &[(&str, &[&str])] = &[
    (
        "values of another kind",
        &[
            "languages = ['python', 3]\nmatch = { text = 'a' }",
            "severity = 3\nmatch = { text = 'a' }",
            "severity = 'grave'\nmatch = { text = 'a' }",
            "title = ['a']\nmatch = { text = 'a' }",
            "skip_generated = 'yes'\nmatch = { text = 'a' }",
            "paths = ['src/[']\nmatch = { text = 'a' }",
            "match = 'a'",
            "match = { text = ['a'] }",
            "languages = 3\nmatch = { text = 'a' }",
            "match = { text = 'a', zones = ['strings'] }",
            "match = { text = 'a', min_entropy = 'much' }",
            "match = { any = 'a' }",
            "match = { any = [{ text = 'a' }, 3] }",
            "languages = ['python']\nmatch = { code = 'f(A)', holes = ['A'] }",
            "languages = ['python']\nmatch = { code = 'f(A)', holes.A = { many = 'yes' } }",
            "languages = ['python']\nmatch = { measure = 'lines', over = 'ten' }",
            "languages = ['python']\nmatch = { commented_code = true, min_lines = 'two' }",
            "languages = ['python']\nmatch = { commented_code = true, min_lines = 3, max_lines = 2 }",
            "languages = ['python']\nmatch = { measure = 'lines', over = -1 }",
            "examples = 3\nmatch = { text = 'a' }",
            "examples = [{ path = 'a.py', code = 'a', lines = 1 }]\nmatch = { text = 'a' }",
            "examples = [{ path = 'a.py', code = 'a', lines = ['1'] }]\nmatch = { text = 'a' }",
            "examples = [{ path = 'a.py', code = 'a', lines = [9] }]\nmatch = { text = 'a' }",
        ],
    ),
    (
        "fixes",
        &[
            "languages = ['python']\nmatch = { code = 'f(A)', holes.A = {}, fix = { rewrite = 'g({B})' } }",
            "match = { text = 'a', fix = { rewrite = 'b', remove = 'text' } }",
            "match = { text = 'a', fix = { remove = 'sentence' } }",
            "match = { text = 'a', fix = { edits = [{ at = 'here', remove = 'text' }] } }",
            "match = { collect.a = { text = '(?P<X>a)', fix = { remove = 'text' } }, each = 'a', unique = true }",
        ],
    ),
    (
        "ways of matching",
        &[
            "match = { }",
            "match = { text = 'a', code = 'b' }",
            "match = { text = '(' }",
            "match = { text = 'a*' }",
            "match = { text = 'a', not_enclosed_by = { text = 'b' } }",
            "match = { code = 'f()' }",
            "languages = ['python']\nmatch = { code = '' }",
            "languages = ['python']\nmatch = { code = 'f((' }",
            "languages = ['ruby']\nmatch = { code = 'f(1)', statement = true }",
            "languages = ['python']\nmatch = { code = 'f(A)', holes.B = {} }",
            "languages = ['python']\nmatch = { code = 'f(A)', holes.'A B' = {} }",
            "languages = ['python']\nmatch = { code = 'f(A)', holes.A = { node = 'thing' } }",
            "languages = ['python']\nmatch = { code = 'f(A)', holes.A = { text = '(' } }",
            "languages = ['python']\nmatch = { tree = '(call)' }",
            "languages = ['python']\nmatch = { tree = '(cal) @c' }",
            "languages = ['python']\nmatch = { tree = '(call function: (string_start)) @c' }",
            "languages = ['python']\nmatch = { tree = '((call) @c (#eq? @d \"x\"))' }",
            "languages = ['python']\nmatch = { tree = '((call) @c (#match? @c))' }",
            "languages = ['python']\nmatch = { tree = '(call' }",
            "languages = ['python']\nmatch = { measure = 'lines' }",
            "languages = ['python']\nmatch = { measure = 'parameters', of = 'class', over = 1 }",
            "languages = ['python']\nmatch = { measure = 'beauty', over = 1 }",
            "languages = ['python']\nmatch = { names = 'odd' }",
            "languages = ['rust']\nmatch = { names = 'undefined' }",
            "languages = ['pythn']\nmatch = { text = 'a' }",
            "match = { text = 'a', side = 'left' }",
        ],
    ),
    (
        "paths of keys",
        &[
            "match = { key = '' }",
            "match = { key = 'a..b' }",
            "languages = ['python']\nmatch = { key = 'a.b' }",
            "match = { key = 'a.NAME', holes.NAME = {}, holes.OTHER = {} }",
            "match = { key = 'a.NAME', holes.NAME = { node = 'string' } }",
        ],
    ),
    (
        "links",
        &[
            "[rule.match]\nmust_meet = 'a'\n[rule.match.collect.a]\ntext = 'x'",
            "[rule.match]\neach = 'a'\n[rule.match.collect.a]\ntext = 'x'",
            "[rule.match]\neach = 'a'\nmust_meet = 'b'\n[rule.match.collect.a]\ntext = 'x'",
            "[rule.match]\neach = 'a'\nmust_meet = 'b'\nunique = true\n[rule.match.collect.a]\ntext = 'x'\n[rule.match.collect.b]\ntext = 'y'",
            "[rule.match]\neach = 'a'\nunique = true\nwithin = 'world'\n[rule.match.collect.a]\ntext = '(?<N>x)'",
            "[rule.match]\neach = 'a'\nmust_meet = 'b'\non = ['N']\n[rule.match.collect.a]\ntext = '(?<N>x)'\n[rule.match.collect.b]\ntext = 'y'",
            "[rule.match]\neach = 'a'\nunique = true\n[rule.match.collect.a]\nmeasure = 'lines'\nover = 3",
            "[rule.match]\neach = 'a'\nmust_meet = 'b'\n[rule.match.collect.a]\ntext = '(?<N>x)'\n[rule.match.collect.b]\ntext = '(?<M>y)'",
        ],
    ),
    (
        "the change itself",
        &[
            "match = { change = 'weather' }",
            "match = { change = 'lines' }",
            "match = { change = 'title', over = 3, pattern = '(' }",
            "match = { change = 'title', added_over = 3 }",
            "match = { checker = [] }",
            "match = { checker = ['x'], output = 'xml' }",
            "match = { checker = ['x'], output = 'lines', timeout = '0 s' }",
            "match = { checker = ['x'], output = 'lines', timeout = '3 weeks' }",
            "match = { checker = ['x'], output = 'lines', seconds = 3, advice = true }",
            "skip_made = true\nmatch = { text = 'a', least_entropy = 3 }",
            "examples = [{ title = 'a' }]\nmatch = { change = 'title', longer = 3 }",
        ],
    ),
    (
        "messages and rules",
        &[
            "message = '{nothing}'\nmatch = { text = 'a' }",
            "id = 'Not An Id'\nmatch = { text = 'a' }",
            "locked = 'no'\nmatch = { text = 'a' }",
            "weight = 3\nmatch = { text = 'a' }",
            "match = { text = 'a' }\nmatch = { text = 'b' }",
            "",
        ],
    ),
];

#[test]
fn each_mistake_is_reported_with_its_place() {
    let mut shown = String::new();
    for (kind, parts) in MISTAKES {
        shown += &format!("# {kind}\n\n");
        for part in *parts {
            let given = |key: &str| part.lines().any(|line| line.starts_with(&format!("{key} =")));
            let head = [("id", "'r'"), ("severity", "'note'"), ("title", "'t'"), ("message", "'m'")];
            let head: Vec<String> =
                head.iter().filter(|(key, _)| !given(key)).map(|(key, value)| format!("{key} = {value}\n")).collect();
            let source = format!("[[rule]]\n{}{part}\n", head.concat());
            let problems = match read_rules("rules.toml", &source, FileRole::Rules) {
                Ok(_) => panic!("nothing is wrong with\n{source}"),
                Err(problems) => problems,
            };
            for problem in &problems {
                let rendered = problem.to_string();
                // The line that it names is a line of the file.
                let line = rendered.strip_prefix("rules.toml:").and_then(|rest| rest.split(':').next()?.parse().ok());
                assert!(line.is_some_and(|line| (1..=source.lines().count()).contains(&line)), "{rendered}\n{source}");
                shown += &format!("{rendered}\n");
            }
            shown.push('\n');
        }
    }
    insta::assert_snapshot!(shown);
}
