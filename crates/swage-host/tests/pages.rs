//! The host's pages: who may do what on them, and, in a browser, that they work and that nothing that anybody writes runs.

#[path = "common/browser.rs"]
mod browser;
mod common;

use browser::Browser;
use common::{World, anchor, ask, finding, report};
use serde_json::json;
use swage_host::{NewProposal, NewThread, ThreadKind};

/// Markup that would tell by a variable that it ran.
const EVIL: &str = "<script>window.ran=1</script><img src=x onerror=window.ran=2>\"'><svg onload=window.ran=3>";

/// A proposal of two files with a definition, a use of it, threads and a finding; the code, names and texts are hostile.
fn world() -> World {
    let w = World::new();
    w.write("a.py", &format!("def tide(port):\n    return \"{EVIL}\"\n\n\nthree\nfour\nfive\n"));
    w.write("b.py", "from a import tide\n\nberth = tide(1)\n");
    w.write("x<b onclick=window.ran=4>.py", "x = 1\n");
    let head = w.commit(EVIL);
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    let new = NewProposal {
        repository: "ferry".into(),
        target: "main".into(),
        branch: "harbour-dev/topic".into(),
        title: EVIL.into(),
        description: format!("{EVIL}\n\n[a](javascript:window.ran=5) **bold**"),
        ..NewProposal::default()
    };
    w.client("harbour-dev").propose(&new).expect("proposed");
    let remark = |kind, at, text: &str| NewThread { kind, anchor: at, revision: None, text: text.into(), draft: false };
    let pier = w.client("pier-dev");
    pier.open_thread(1, &remark(ThreadKind::Todo, Some(anchor("a.py", 1, 2)), EVIL)).expect("a thread");
    pier.open_thread(1, &remark(ThreadKind::Praise, None, "Well *done*.")).expect("a thread");
    let mut one = finding("one", 5);
    one.message = EVIL.into();
    w.client("swage").report(1, &head, "swage", &report(&[one])).expect("reported");
    w
}

/// Forms, and which of nobody, reader, contributor, maintainer and checker may send them.
#[test]
fn forms_by_role() {
    let w = world();
    let forms = [
        ("/proposals/1/say", "text=x&kind=remark", "--cm-"),
        ("/proposals/1/lines", "file=0&path=a.py&side=new&line=1&from=1&text=x", "--cm-"),
        ("/proposals/1/threads/1", "text=x&what=answer", "--cm-"),
        ("/proposals/1/publish", "", "--cm-"),
        ("/proposals/1/drafts/99", "", "--cm-"),
        ("/proposals/1/stance", "stance=comment&head=HEAD", "--cm-"),
        ("/proposals/1/read", "file=0&path=a.py&read=yes", "-rcmk"),
        ("/tickets/QUAY-7", "title=Times&points=-+%5Bx%5D+Boards&open=yes", "---m-"),
    ];
    let head = w.git("clone", &["rev-parse", "HEAD"]);
    let askers = [("nobody", '-'), ("visitor", 'r'), ("harbour-dev", 'c'), ("maintainer", 'm'), ("swage", 'k')];
    for (path, body, may) in forms {
        for (asker, letter) in askers {
            let token = w.tokens.get(asker).map_or("", String::as_str);
            let headers =
                format!("Authorization: Bearer {token}\r\nContent-Type: application/x-www-form-urlencoded\r\n");
            let answer = ask(w.url(), "POST", path, &headers, &body.replace("HEAD", &head));
            let status = answer.split(' ').nth(1).expect("a status");
            let sent_away = answer.contains("location: /sign-in");
            let allowed = letter != '-' && may.contains(letter);
            assert_eq!(status == "403" || sent_away, !allowed, "{path} by {asker}: {answer}");
            assert!(!status.starts_with('5'), "{path} by {asker}: {answer}");
        }
    }
    let ticket = w.client("visitor").ticket("QUAY-7").expect("a ticket");
    assert_eq!((ticket.points[0].text.as_str(), ticket.points[0].done, ticket.open), ("Boards", true, true));
}

/// What a text will look like, by the protocol and by a page, before anybody sees it.
#[test]
fn texts_are_previewed() {
    let w = world();
    let (status, body) = w.ask("visitor", "POST", "/api/preview", &json!({ "text": "*a* <b>" }).to_string());
    assert_eq!((status, body.as_str()), (200, r#"{"html":"<p><em>a</em> &lt;b&gt;</p>\n"}"#));
    let before = w.client("visitor").threads(1).expect("threads").len();
    let token = &w.tokens["harbour-dev"];
    let headers = format!("Authorization: Bearer {token}\r\nContent-Type: application/x-www-form-urlencoded\r\n");
    for (path, fields, kept) in [
        ("/proposals/1/say", "kind=todo", "name=\"kind\" value=\"todo\""),
        ("/proposals/1/lines", "file=0&path=a.py&side=new&line=2&from=1&draft=yes", "name=\"draft\" value=\"yes\""),
        ("/proposals/1/threads/1", "what=answer&back=change", "name=\"back\" value=\"change\""),
        ("/proposals/1/stance", "head=abc", "name=\"head\" value=\"abc\""),
    ] {
        let answer = ask(w.url(), "POST", path, &headers, &format!("{fields}&text=*a*+%3Cb%3E&preview=yes"));
        assert!(answer.contains("<p><em>a</em> &lt;b&gt;</p>") && answer.contains(kept), "{path}: {answer}");
    }
    assert_eq!(w.client("visitor").threads(1).expect("threads").len(), before);
}

/// A large change shows the lines of the file that is asked for.
#[test]
fn large_changes_are_shown_file_by_file() {
    let w = World::new();
    w.write("a.py", &"x = 1\n".repeat(15_000));
    w.write("b.py", &"y = 1\n".repeat(15_000));
    w.commit("much");
    w.push("harbour-dev", "harbour-dev/topic").expect("pushed");
    w.propose("harbour-dev/topic");
    let lines = |query: &str| {
        let (status, page) = w.ask("visitor", "GET", &format!("/proposals/1/change{query}"), "");
        assert_eq!(status, 200);
        (page.matches("<div class=\"l a\"").count(), page.matches("Show its 15").count())
    };
    assert_eq!(lines(""), (0, 2));
    assert_eq!(lines("?file=1"), (15_000, 1));
    assert_eq!(lines("?file=99&at=zz"), (0, 2));
}

#[test]
fn pages_work_in_a_browser() {
    let w = world();
    let Some(browser) = Browser::start() else { return };
    let at = |path: &str| browser.open(&format!("{}{path}", w.url()));
    at("/");
    browser.write("input[name=token]", &w.tokens["pier-dev"]);
    browser.click("form button");
    browser.until("the inbox", || browser.text("h1") == "Proposals");
    let is_safe = |what: &str| {
        assert!(browser.run("return window.ran ?? null;").is_null(), "{what} ran");
        let scripts = "script:not([src='/change.js']), img, svg, [onclick], [onerror], [onload], a[href^='javascript']";
        assert_eq!(browser.count(scripts), 0, "{what}");
    };
    is_safe("the inbox");
    at("/proposals/1");
    is_safe("the proposal");
    assert!(browser.text("h1").contains("<script>window.ran=1</script>"));
    assert_eq!(browser.text(".description strong"), "bold");
    // The control: the policy, and not only escaping, keeps scripts from running.
    browser
        .run("const s = document.createElement('script'); s.textContent = 'window.ran = 6'; document.body.append(s);");
    browser.run("const d = document.createElement('div'); d.innerHTML = '<img src=x onerror=\"window.ran = 7\">'; document.body.append(d);");
    std::thread::sleep(std::time::Duration::from_millis(300));
    assert!(browser.run("return window.ran ?? null;").is_null());

    at("/proposals/1/change");
    is_safe("the change");
    // Threads and findings are below their lines.
    let below = |line: &str| browser.text(&format!("#{line} + .f"));
    assert!(below("f0n2").starts_with("to-do"), "{}", below("f0n2"));
    assert!(below("f0n5").starts_with("error"), "{}", below("f0n5"));
    // A name leads to its definition, and the reading order to its uses.
    browser.click("#f1n3 code a");
    assert_eq!(browser.run("return location.hash;"), json!("#f0n1"));
    assert!(browser.text("#order").contains("tide (used in b.py:1, b.py:3)"), "{}", browser.text("#order"));
    // Keys: columns, the next file, a read mark, which stays.
    browser.press("c");
    assert_eq!(browser.count("#f0 .pair .l.a"), browser.count("#f0 .lines > .l.a"));
    browser.press("c");
    assert_eq!(browser.count(".pair"), 0);
    let reading = browser.text("#left");
    browser.run("scrollTo(0, 0);");
    browser.press("m");
    browser.until("a read mark", || browser.count("details.read") == 1);
    at("/proposals/1/change");
    assert_eq!((browser.count("details.read"), reading.as_str()), (1, "3 of 3 files to read"));
    assert_eq!(browser.text("#left"), "2 of 3 files to read");
    // A remark on two lines, kept as a draft, and published.
    browser.click("#f1n3 i a");
    browser.run("document.querySelector('#remark input[name=from]').value = 1;");
    browser.write("#remark textarea", "Which *berth*?");
    browser.click("#remark input[name=draft]");
    browser.click("#remark button[value=todo]");
    browser.until("a draft", || below("f1n3").contains("Which berth?") && below("f1n3").contains("lines 1 to 3"));
    let seen = |who: &str| w.client(who).threads(1).expect("threads").iter().filter(|t| !t.draft).count();
    assert_eq!(seen("harbour-dev"), 3);
    browser.click("#tools form button");
    browser.until("what was a draft", || seen("harbour-dev") == 4);
    // An answer goes back to where it was given.
    at("/proposals/1/change");
    browser.click("#f1n3 + .f summary");
    browser.write("#f1n3 + .f textarea", "The first one.");
    browser.click("#f1n3 + .f button[value=answer]");
    browser.until("an answer", || below("f1n3").contains("The first one."));
    // A stance, after a look at it.
    at("/proposals/1");
    browser.write("form[action$=stance] textarea", "Not **yet**.");
    browser.click("form[action$=stance] button[name=preview]");
    browser.until("a preview", || browser.text(".preview strong") == "yet");
    browser.click("button[value=object]");
    browser.until("a stance", || browser.count("td.object") == 1);
    let stances = w.client("harbour-dev").proposal(1).expect("a proposal").stances;
    assert_eq!(stances.iter().map(|s| s.text.as_str()).collect::<Vec<_>>(), ["Not **yet**."]);
    // Without scripts everything can be read.
    let (_, page) = w.ask("visitor", "GET", "/proposals/1/change", "");
    assert!(page.contains("id=\"f1n3\"") && !page.contains("remark on it"));
}
