//! Every form of unified diff that people meet, and every way in which one is refused.

use swage_core::diff::{
    Body, Diff, Direction, ReadOptions, apply, decode_mail, mails, quote_path, read, shown_after, shown_before,
    unquote_path,
};

/// One line a file: kind, paths, modes, what happens to the content.
fn rendered(diff: &Diff<'_>) -> String {
    let mut out = String::new();
    for (n, patch) in diff.patches.iter().enumerate() {
        for f in &patch.files {
            let (old, new) = (String::from_utf8_lossy(&f.old_path), String::from_utf8_lossy(&f.new_path));
            let body = match &f.body {
                Body::Unchanged => "same".to_owned(),
                Body::Binary(b) => format!("{b:?}").split('(').next().unwrap_or_default().to_owned(),
                Body::Text(hunks) => {
                    let (added, removed) = f.line_counts();
                    format!("{} hunks +{added} -{removed}", hunks.len())
                }
            };
            let mode = |m: Option<swage_core::diff::Mode>| m.map_or("-".to_owned(), |m| format!("{:o}", m.0));
            out += &format!("{n} {:?} {old:?} -> {new:?} {}:{} {body}\n", f.kind, mode(f.old_mode), mode(f.new_mode));
        }
    }
    out
}

#[test]
fn forms_of_diffs() {
    let hunk = "@@ -1 +1 @@\n-a\n+b\n";
    let cases: &[(&str, String)] = &[
        ("git", format!("diff --git a/quay.py b/quay.py\nindex 1..2 100644\n--- a/quay.py\n+++ b/quay.py\n{hunk}")),
        ("git, no prefix", format!("diff --git src/quay.py src/quay.py\n--- src/quay.py\n+++ src/quay.py\n{hunk}")),
        ("git, prefixes of one letter", format!("diff --git i/a b/x y w/a b/x y\n--- i/a b/x y\t\n+++ w/a b/x y\t\n{hunk}")),
        ("git, prefixes of words", format!("diff --git before/v1/q.py after/v1/q.py\n--- before/v1/q.py\n+++ after/v1/q.py\n{hunk}")),
        ("git, quoted names", format!("diff --git \"a/h\\303\\244fen\\t.py\" \"b/h\\303\\244fen\\t.py\"\n--- \"a/h\\303\\244fen\\t.py\"\n+++ \"b/h\\303\\244fen\\t.py\"\n{hunk}")),
        ("git, rename with change", format!("diff --git a/old one.py b/new/one.py\nsimilarity index 90%\nrename from old one.py\nrename to new/one.py\n--- a/old one.py\t\n+++ b/new/one.py\n{hunk}")),
        ("git, copy", "diff --git a/x b/y\nsimilarity index 100%\ncopy from x\ncopy to y\n".into()),
        ("git, mode only", "diff --git a/run.sh b/run.sh\nold mode 100644\nnew mode 100755\n".into()),
        ("git, empty file comes and goes", "diff --git a/e b/e\nnew file mode 100644\nindex 0000000..e69de29\ndiff --git a/g b/g\ndeleted file mode 100644\nindex e69de29..0000000\n".into()),
        ("git, symlink and submodule", "diff --git a/link b/link\nnew file mode 120000\n--- /dev/null\n+++ b/link\n@@ -0,0 +1 @@\n+quay.py\n\\ No newline at end of file\ndiff --git a/lib b/lib\nindex 1111111..2222222 160000\n--- a/lib\n+++ b/lib\n@@ -1 +1 @@\n-Subproject commit 1\n+Subproject commit 2\n".into()),
        ("git, binary", "diff --git a/p.png b/p.png\nindex 1..2 100644\nBinary files a/p.png and b/p.png differ\ndiff --git a/q.png b/q.png\nnew file mode 100644\nindex 0000000..3\nGIT binary patch\nliteral 3\nKc${NkWC8#H2LJ>B\n\nliteral 0\nHc$@<O00001\n\n".into()),
        ("plain -u with times", format!("--- quay.py\t2031-03-01 10:00:00.000000000 +0000\n+++ quay.py\t2031-03-02 10:00:00.000000000 +0000\n{hunk}")),
        ("plain -u, kept copy", format!("--- quay.py.orig\t2031-03-01 10:00:00\n+++ quay.py\t2031-03-02 10:00:00\n{hunk}")),
        ("plain -ruN", format!("diff -ruN old/src/a.py new/src/a.py\n--- old/src/a.py\t2031-03-01 10:00:00.0 +0000\n+++ new/src/a.py\t2031-03-01 10:00:00.0 +0000\n{hunk}diff -ruN old/src/n.py new/src/n.py\n--- old/src/n.py\t1970-01-01 00:00:00.000000000 +0000\n+++ new/src/n.py\t2031-03-01 10:00:00.0 +0000\n@@ -0,0 +1 @@\n+a\nOnly in new/src: other\nBinary files old/src/i.png and new/src/i.png differ\n")),
        ("index lines and properties", format!("Index: src/quay.py\n===================================================================\n--- src/quay.py\t(revision 7)\n+++ src/quay.py\t(working copy)\n{hunk}\nProperty changes on: src/quay.py\n___________________________________________________________________\nAdded: svn:eol-style\n## -0,0 +1 ##\n+native\nIndex: p.png\n===================================================================\nCannot display: file marked as a binary type.\n")),
        ("a changeset preamble", format!("# HG changeset patch\n# User harbour-dev\ndiff -r 1234567890ab quay.py\n--- a/quay.py\tThu Jan  1 00:00:00 2031 +0000\n+++ b/quay.py\tFri Jan 02 00:00:00 2031 +0000\n{hunk}")),
        ("a log of two commits", format!("commit {0}\nAuthor: harbour-dev <harbour-dev@example.org>\n\n    Second\n    --- not a header\n\ndiff --git a/x b/x\n--- a/x\n+++ b/x\n{hunk}\ncommit {0}\n\n    First\n\ndiff --git a/y b/y\n--- a/y\n+++ b/y\n{hunk}", "a".repeat(40))),
        ("a mailbox of two", format!("From {0} Mon Sep 17 00:00:00 2001\nFrom: harbour-dev <harbour-dev@example.org>\nSubject: [PATCH 1/2] One\n\nWhy.\n---\n x | 2 +-\n 1 file changed\n\ndiff --git a/x b/x\n--- a/x\n+++ b/x\n{hunk}-- \n2.47.3\n\nFrom {0} Mon Sep 17 00:00:00 2001\nSubject: [PATCH 2/2] Two\n\ndiff --git a/y b/y\n--- a/y\n+++ b/y\n{hunk}-- \n2.47.3\n\n", "b".repeat(40))),
        ("CR LF in headers", "diff --git a/x b/x\r\n--- a/x\r\n+++ b/x\r\n@@ -1 +1 @@\r\n-a\r\n+b\r\n".into()),
        ("body lines that look like headers", "--- a/x.sql\n+++ b/x.sql\n@@ -1,3 +1,3 @@\n--- a comment\n+++ b/x\n context\n-@@ -1 +1 @@\n+diff --git a/q b/q\n".into()),
        ("stripped blanks, no last LF", "--- a/x\n+++ b/x\n@@ -1,3 +1,4 @@ def quay():\n a\n\n+b\n c".into()),
        ("no context", "diff --git a/x b/x\n--- a/x\n+++ b/x\n@@ -3,0 +4,2 @@\n+a\n+b\n@@ -9 +10,0 @@\n-c\n".into()),
        ("git, rewritten", format!("diff --git a/x b/x\nold mode 100644\nnew mode 100755\ndissimilarity index 80%\nindex 1..2\n--- a/x\n+++ b/x\n{hunk}")),
        ("git, quoted names of files only", "diff --git \"a/h\\303\\244fen.py\" \"b/h\\303\\244fen.py\"\nnew file mode 100644\n--- /dev/null\n+++ \"b/h\\303\\244fen.py\"\n@@ -0,0 +1 @@\n+a\n".into()),
        ("git, one name quoted", "diff --git a/quay.py \"b/h\\303\\244fen.py\"\nsimilarity index 100%\nrename from quay.py\nrename to \"h\\303\\244fen.py\"\n".into()),
        ("plain, a file comes", "--- /dev/null\t2031-03-01 10:00:00\n+++ b/src/n.py\t2031-03-01 10:00:00\n@@ -0,0 +1 @@\n+a\n".into()),
        ("plain, a file goes", "--- a/src/n.py\t2031-03-01 10:00:00\n+++ /dev/null\t2031-03-01 10:00:00\n@@ -1 +0,0 @@\n-a\n".into()),
        ("plain, binary files come and go", "Binary files /dev/null and b/p.png differ\nBinary files a/q.png and /dev/null differ\n".into()),
        ("git, a delta", "diff --git a/p b/p\nindex 1..2 100644\nGIT binary patch\ndelta 5\nMc${NoVrF3l001Ze5C8xG\n\ndelta 4\nLc${NoVrBsV02lxZ\n\n".into()),
        ("nothing", String::new()),
    ];
    let mut shown = String::new();
    for (name, text) in cases {
        let diff = read(text.as_bytes(), &ReadOptions::default()).unwrap_or_else(|e| panic!("{name}: {e}"));
        shown += &format!("# {name}\n{}", rendered(&diff));
        // Printed and read again, it is the same.
        let printed = diff.to_bytes();
        let again = read(&printed, &ReadOptions::default())
            .unwrap_or_else(|e| panic!("{name}, printed: {e}\n{}", String::from_utf8_lossy(&printed)));
        assert_eq!(rendered(&again), rendered(&diff), "{name}");
        assert_eq!(read(&again.to_bytes(), &ReadOptions::default()).unwrap(), again, "{name}: printing twice");
    }
    insta::assert_snapshot!(shown);
}

#[test]
fn refusals_name_the_place() {
    let head = "diff --git a/q.py b/q.py\n--- a/q.py\n+++ b/q.py\n";
    let cases: &[(&str, String)] = &[
        ("no diff", "Dear harbour,\nall is well.\n".into()),
        ("truncated", format!("{head}@@ -1,3 +1,3 @@\n a\n-b\n")),
        ("too many lines", format!("{head}@@ -1 +1 @@\n-a\n+b\n+c\n")),
        ("too many of one side", format!("{head}@@ -1,2 +1 @@\n+a\n+b\n")),
        ("garbage in a body", format!("{head}@@ -1,2 +1,2 @@\n-a\nwhat\n")),
        ("bad hunk header", format!("{head}@@ -1,x +1 @@\n-a\n")),
        ("huge numbers", format!("{head}@@ -4294967295,9 +1 @@\n-a\n")),
        ("no hunk", head.into()),
        ("hunk without file", "@@ -1 +1 @@\n-a\n+b\n".into()),
        ("hunks out of order", format!("{head}@@ -9 +9 @@\n-a\n+b\n@@ -1 +1 @@\n-a\n+b\n")),
        ("name missing", "--- a/q.py\n@@ -1 +1 @@\n-a\n+b\n".into()),
        ("stray end-of-file marker", format!("{head}@@ -1,2 +1 @@\n-a\n\\ No newline at end of file\n-b\n+c\n")),
        (
            "combined",
            "diff --cc q.py\nindex 1,2..3\n--- a/q.py\n+++ b/q.py\n@@@ -1,1 -1,1 +1,1 @@@\n- a\n -b\n++c\n".into(),
        ),
        ("context diff", "*** q.py\t2031\n--- q.py\t2031\n***************\n*** 1 ****\n".into()),
        ("bad quoting", "diff --git \"a/q\\9\" \"b/q\\9\"\nold mode 100644\nnew mode 100755\n".into()),
        ("bad binary block", "diff --git a/p b/p\nGIT binary patch\nliteral 3\n!!!\n\n".into()),
        ("no binary block", "diff --git a/p b/p\nGIT binary patch\nfigure 3\nKcmZQzU|?Wi00031\n\n".into()),
        (
            "a binary line of another length",
            "diff --git a/p b/p\nGIT binary patch\nliteral 3\nzcmZQzU|?Wi00031\n\n".into(),
        ),
        (
            "a binary block that is cut in the middle",
            "diff --git a/p b/p\nGIT binary patch\nliteral 3\nKc${NkWC8#H00000\n".into(),
        ),
        ("lines that end in a CR alone", "diff --git a/q b/q\r--- a/q\r+++ b/q\r@@ -1 +1 @@\r-a\r+b\r".into()),
        ("nothing on both sides", "--- /dev/null\n+++ /dev/null\n@@ -1 +1 @@\n-a\n+b\n".into()),
        ("no names at all", "diff --git\nold mode 100644\nnew mode 100755\n".into()),
        ("a name that isn't closed", "--- \"a/quay.py\n+++ b/quay.py\n@@ -1 +1 @@\n-a\n+b\n".into()),
        ("an empty name", "--- \n+++ \n@@ -1 +1 @@\n-a\n+b\n".into()),
    ];
    let shown: String = cases
        .iter()
        .map(|(name, text)| match read(text.as_bytes(), &ReadOptions::default()) {
            Ok(diff) => panic!("{name} was read: {}", rendered(&diff)),
            Err(e) => format!("{name}: {e}\n"),
        })
        .collect();
    insta::assert_snapshot!(shown);
    let limited = read(b"--- a\n+++ b\n", &ReadOptions { max_bytes: Some(4), ..Default::default() });
    assert!(limited.unwrap_err().to_string().contains("the limit is 4 bytes"));
}

#[test]
fn names_keep_their_bytes() {
    for path in [
        &b"plain name.py"[..],
        b"tab\there",
        b"\xff\xfe latin",
        "häfen.py".as_bytes(),
        b"quote\"back\\slash",
        b"\x07\x08\x0b\x0c\r\n\x01\x7f",
    ] {
        let quoted = quote_path(path);
        let back =
            if quoted.starts_with(b"\"") { unquote_path(&quoted).expect("well quoted").0 } else { quoted.to_vec() };
        assert_eq!(back, path);
    }
    for bad in [&b"\""[..], b"\"\\", b"\"\\x\"", b"\"\\39\"", b"\"\\400\"", b"no"] {
        assert_eq!(unquote_path(bad), None, "{bad:?}");
    }
}

#[test]
fn encoded_mail_is_decoded_and_other_input_left_alone() {
    let quoted = "From: harbour-dev@example.org\nSubject: [PATCH] Quay\nMIME-Version: 1.0\nContent-Type: text/plain; charset=utf-8\nContent-Transfer-Encoding: quoted-printable\n\ndiff --git a/q b/q\n--- a/q\n+++ b/q\n@@ -1 +1 @@\n-a=3D1\n+h=C3=A4fen =3D a very =\nlong line\n";
    let decoded = decode_mail(quoted.as_bytes());
    let diff = read(&decoded, &ReadOptions::default()).unwrap();
    let lines: Vec<_> =
        diff.files().flat_map(|f| f.hunks()).flat_map(|h| h.lines()).map(|l| String::from_utf8_lossy(l.text)).collect();
    assert_eq!(lines, ["a=1", "häfen = a very long line"]);

    // The same in a mailbox, in base64, as an attachment.
    let base64 = "LS0tIGEvcQorKysgYi9xCkBAIC0xICsxIEBACi1hCitiCg==";
    let boxed = format!(
        "From x@example.org Thu Jan  2 00:00:00 2031\nFrom: x@example.org\nMIME-Version: 1.0\nContent-Type: multipart/mixed; boundary=B\n\n--B\nContent-Type: text/plain\n\nSee below.\n--B\nContent-Type: text/x-patch\nContent-Transfer-Encoding: base64\n\n{base64}\n--B--\n"
    );
    let decoded = decode_mail(boxed.as_bytes());
    assert_eq!(
        rendered(&read(&decoded, &ReadOptions::default()).unwrap()),
        "0 Modified \"q\" -> \"q\" -:- 1 hunks +1 -1\n"
    );

    let plain = b"diff --git a/m b/m\n--- a/m\n+++ b/m\n@@ -0,0 +1 @@\n+Content-Transfer-Encoding: base64\n";
    assert_eq!(decode_mail(plain).as_ref(), plain);
}

#[test]
fn hunks_that_do_not_fit_are_refused() {
    let text = b"--- a/q\n+++ b/q\n@@ -2,2 +2,2 @@\n b\n-c\n+C\n";
    let diff = read(text, &ReadOptions::default()).unwrap();
    let file = diff.files().next().unwrap();
    let rendered = |content: &[u8]| {
        apply(content, file, Direction::Forward)
            .map(|c| String::from_utf8_lossy(&c).into_owned())
            .unwrap_or_else(|e| e.to_string())
    };
    insta::assert_snapshot!([&b"a\nb\nc\nd\n"[..], b"a\nb\nX\n", b"a\n", b"", b"a\nb\nc"].map(rendered).join("\n---\n"), @r"
    a
    b
    C
    d

    ---
    hunk 1 doesn't fit at line 3: the diff has `c`, the file has `X`
    ---
    hunk 1 doesn't fit at line 2: the diff has `b`, the file ends before
    ---
    hunk 1 doesn't fit at line 2: the diff has `b`, the file ends before
    ---
    hunk 1 doesn't fit at line 3: the diff has `c`, the file has `c`
    ");
    // A mailer that put CRs everywhere doesn't change the file's own line ends.
    let crlf = read(b"--- a/q\r\n+++ b/q\r\n@@ -1 +1 @@\r\n-a\r\n+b\r\n", &ReadOptions::default()).unwrap();
    let file = crlf.files().next().unwrap();
    assert_eq!(apply(b"a\n", file, Direction::Forward).unwrap(), b"b\n");
    assert_eq!(apply(b"a\r\n", file, Direction::Forward).unwrap(), b"b\r\n");
}

/// Lines of the state after a series, or before it, and the patch that shows each: its number, its hunk and its line there.
#[test]
fn a_series_shows_lines() {
    let patches = [
        "--- a/x.py\n+++ b/x.py\n@@ -1,2 +1,3 @@\n one\n+first\n two\n@@ -9,2 +10,1 @@\n-gone\n nine\n",
        "diff --git a/x.py b/y.py\nsimilarity index 90%\nrename from x.py\nrename to y.py\n--- a/x.py\n+++ b/y.py\n@@ -1,3 +1,4 @@\n+head\n one\n first\n two\n",
        "--- a/other.py\n+++ b/other.py\n@@ -1 +1 @@\n-a\n+b\n",
        "--- a/y.py\n+++ b/y.py\n@@ -4,1 +4,1 @@\n-two\n+zwei\n",
    ];
    let diffs: Vec<Diff<'_>> =
        patches.iter().map(|text| read(text.as_bytes(), &ReadOptions::default()).expect("a diff")).collect();
    let rendered = |at: Option<swage_core::diff::ShownLine>| {
        at.map_or("-".to_owned(), |at| format!("{} {} {}", at.patch, at.hunk, at.line))
    };
    let after = [
        ("y.py", 1, "1 0 0", "the head that the second patch adds"),
        ("y.py", 2, "1 0 1", "a line that stays is shown around the last change"),
        ("y.py", 3, "0 0 1", "added before the file got another name"),
        ("y.py", 4, "3 0 1", "the last patch wrote it"),
        ("src/y.py", 4, "3 0 1", "the tree begins further up"),
        ("yy.py", 4, "-", "another name"),
        ("y.py", 11, "0 1 1", "shown in the second hunk of the first patch"),
        ("y.py", 100, "-", "shown nowhere"),
        ("y.py", 0, "-", "no line"),
    ];
    for (path, line, expected, why) in after {
        assert_eq!(rendered(shown_after(&diffs, path.as_bytes(), line)), expected, "{path}:{line} after: {why}");
    }
    let before = [
        ("x.py", 9, "0 1 0", "removed by the first patch"),
        ("x.py", 2, "3 0 0", "removed at last, under another name"),
        ("x.py", 1, "0 0 0", "shown around the first change"),
        ("x.py", 50, "-", "shown nowhere"),
    ];
    for (path, line, expected, why) in before {
        assert_eq!(rendered(shown_before(&diffs, path.as_bytes(), line)), expected, "{path}:{line} before: {why}");
    }
}

/// What separates mails is a dated line after an empty one and before a header; text that begins with the word doesn't.
#[test]
fn mailboxes_are_parted_at_separators() {
    let separator = "From 0123456789 Mon Sep 17 00:00:00 2001\n";
    let mail = |n: u32, body: &str| {
        format!("{separator}From: harbour-dev@example.org\nSubject: {n}\nMessage-ID: <{n}@x>\n\n{body}\n\n")
    };
    let cases = [
        (mail(1, "a") + &mail(2, "b"), 2),
        (mail(1, "Tides\n\nFrom the quay at 10:30 in 2031\n\nso it goes") + &mail(2, "b"), 2),
        (mail(1, "Tides\n\nFrom the quay on\nTo: nowhere"), 1),
        (mail(1, &format!("no empty line\n{separator}")), 1),
        (mail(1, &format!("no header behind\n\n{separator}\n")), 1),
        ("From: harbour-dev@example.org\nSubject: 1\n\nFrom here\n".to_owned(), 1),
        ("diff --git a/x b/x\n".to_owned(), 0),
        (String::new(), 0),
    ];
    for (text, expected) in cases {
        let found = mails(text.as_bytes());
        assert_eq!(found.len(), expected, "{text}");
        assert!(found.iter().all(|mail| mail.from.is_some()), "{text}");
    }
}

/// Leading components are taken off every name alike, also off those that git writes without its own prefix.
#[test]
fn components_are_taken_off_all_names() {
    let rename = |old: &str, new: &str| {
        format!("diff --git a/{old} b/{new}\nsimilarity index 100%\nrename from {old}\nrename to {new}\n")
    };
    let quoted = "diff --git \"a/v1/h\\303\\244fen.py\" b/v2/quay.py\nsimilarity index 100%\nrename from \"v1/h\\303\\244fen.py\"\nrename to v2/quay.py\n";
    let cases = [
        (rename("v1/low tide.py", "v2/quay.py"), 0, ["a/v1/low tide.py", "b/v2/quay.py"]),
        (rename("low.py", "quay.py"), 1, ["low.py", "quay.py"]),
        (rename("v1/low tide.py", "v2/quay.py"), 2, ["low tide.py", "quay.py"]),
        (quoted.to_owned(), 2, ["häfen.py", "quay.py"]),
        ("--- a/v1/q.py\n+++ b/v2/q.py\n@@ -1 +1 @@\n-a\n+b\n".to_owned(), 2, ["q.py", "q.py"]),
    ];
    for (text, strip, expected) in cases {
        let diff = read(text.as_bytes(), &ReadOptions { strip: Some(strip), ..Default::default() }).expect("a diff");
        let file = diff.files().next().expect("a file");
        let names = [&file.old_path, &file.new_path].map(|name| String::from_utf8_lossy(name).into_owned());
        assert_eq!(names, expected, "{text}");
    }
}
