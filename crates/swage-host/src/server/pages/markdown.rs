//! What people write, as HTML: CommonMark, of which nothing gets through that isn't made here. Markup in the text is shown as
//! text, and only addresses of the web and of mail are links.

use pulldown_cmark::{CowStr, Event, Options, Parser, Tag, TagEnd, html};
use swage_core::invisible::shown;

/// The HTML of a text.
pub fn html_of(text: &str) -> String {
    let lines: Vec<_> = text.split('\n').map(shown).collect();
    let text = lines.join("\n");
    let mut dropped = 0u32;
    let events = Parser::new_ext(&text, Options::empty()).filter_map(|event| match event {
        Event::Html(raw) | Event::InlineHtml(raw) => Some(Event::Text(raw)),
        // A picture would be fetched from elsewhere; its words stay.
        Event::Start(Tag::Image { .. }) | Event::End(TagEnd::Image) => None,
        Event::Start(Tag::Link { dest_url, .. }) if !is_address(&dest_url) => {
            dropped += 1;
            None
        }
        Event::Start(Tag::Link { link_type, dest_url, id, .. }) => {
            Some(Event::Start(Tag::Link { link_type, dest_url, title: CowStr::Borrowed(""), id }))
        }
        Event::End(TagEnd::Link) if dropped > 0 => {
            dropped -= 1;
            None
        }
        event => Some(event),
    });
    let mut out = String::new();
    html::push_html(&mut out, events);
    out
}

fn is_address(link: &str) -> bool {
    let lower = link.trim().to_ascii_lowercase();
    ["http://", "https://", "mailto:"].iter().any(|scheme| lower.starts_with(scheme))
}

#[cfg(test)]
mod tests {
    use super::html_of;

    #[test]
    fn nothing_of_the_writer_is_markup() {
        let cases = [
            ("*quay* `x < y`", "<p><em>quay</em> <code>x &lt; y</code></p>\n"),
            ("<script>alert(1)</script>", "&lt;script&gt;alert(1)&lt;/script&gt;"),
            ("a <b onclick=x>c</b>", "<p>a &lt;b onclick=x&gt;c&lt;/b&gt;</p>\n"),
            (
                "[x](javascript:alert(1)) [y](https://example.org/?a=1&b)",
                "<p>x <a href=\"https://example.org/?a=1&amp;b\">y</a></p>\n",
            ),
            (
                "[x](data:text/html,y) <mailto:a@example.org>",
                "<p>x <a href=\"mailto:a@example.org\">mailto:a@example.org</a></p>\n",
            ),
            ("![tide](https://example.org/t.png)", "<p>tide</p>\n"),
            ("[x](JaVaScRiPt:y \"t\")", "<p>x</p>\n"),
            ("&lt;img&gt; &#60;b&#62;", "<p>&lt;img&gt; &lt;b&gt;</p>\n"),
            ("a\u{202e}b\u{1b}[31m", "<p>a&lt;U+202E&gt;b\u{241b}[31m</p>\n"),
            ("[a [b](javascript:x) c](https://example.org)", "<p>[a b c](https://example.org)</p>\n"),
        ];
        for (text, expected) in cases {
            assert_eq!(html_of(text), expected, "{text}");
        }
    }
}
