//! What is drawn while going through findings.

use ratatui::Frame;
use ratatui::layout::{Constraint, Layout};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Borders, Paragraph, Wrap};
use swage_core::decision::Answer;
use swage_core::review::{Finding, Marker, Proof};
use swage_core::rule::Severity;
use swage_core::view::{LineView, Word};

use super::session::{Mode, Session};
use crate::terminal::{count, printable};

/// What is shown of the finding.
pub struct Shown<'a> {
    pub finding: &'a Finding,
    pub help: Option<&'a str>,
    /// The code around it.
    pub lines: Vec<&'a LineView>,
    /// The fix as a diff, without its header.
    pub fix: Option<&'a str>,
}

const FAINT: Style = Style::new().add_modifier(Modifier::DIM);
const STRONG: Style = Style::new().add_modifier(Modifier::BOLD);
const ADDED: Style = Style::new().fg(Color::Green);
const REMOVED: Style = Style::new().fg(Color::LightRed);

/// Draws everything again.
pub fn draw(frame: &mut Frame<'_>, session: &Session, shown: Option<&Shown<'_>>) {
    let parts = Layout::vertical([Constraint::Length(1), Constraint::Min(1), Constraint::Length(3)]);
    let [top, middle, bottom] = parts.areas(frame.area());
    let head = match (session.current(), shown) {
        (Some((at, _)), Some(shown)) => head(at, session.len(), shown.finding),
        _ => Line::styled(format!("All {} have been gone through.", count(session.len(), "finding")), STRONG),
    };
    frame.render_widget(head, top);
    let body = shown.map(body).unwrap_or_default();
    frame.render_widget(Paragraph::new(body).wrap(Wrap { trim: false }).scroll((session.scroll, 0)), middle);
    let foot = Paragraph::new(foot(session, shown)).block(Block::new().borders(Borders::TOP));
    frame.render_widget(foot, bottom);
}

fn head(at: usize, all: usize, f: &Finding) -> Line<'static> {
    let colour = match f.severity {
        Severity::Error => Color::Red,
        Severity::Warning => Color::Yellow,
        Severity::Note => Color::Cyan,
    };
    Line::from(vec![
        Span::styled(format!("{} of {all}  ", at + 1), FAINT),
        Span::styled(f.severity.word(), STRONG.fg(colour)),
        Span::raw(format!("  {}  ", printable(&f.place()))),
        Span::styled(format!("{} · {}", f.rule, f.state_word()), FAINT),
    ])
}

fn body(shown: &Shown<'_>) -> Vec<Line<'static>> {
    let f = shown.finding;
    let mut lines = vec![Line::styled(printable(&f.message).into_owned(), STRONG), Line::default()];
    lines.extend(shown.lines.iter().map(|line| code(line, f)));
    if let Some(help) = shown.help {
        lines.push(Line::default());
        lines.extend(help.lines().map(|line| Line::styled(printable(line).into_owned(), FAINT)));
    }
    match (&f.fix, shown.fix) {
        (Some(fix), Some(diff)) => {
            lines.extend([Line::default(), Line::styled(format!("Fix: {}", printable(&fix.title)), STRONG)]);
            lines.extend(diff.lines().map(|line| {
                let style = match line.chars().next() {
                    Some('+') => ADDED,
                    Some('-') => REMOVED,
                    _ => Style::new(),
                };
                Line::styled(printable(line).into_owned(), style)
            }));
        }
        (Some(fix), None) => {
            let why = if let Proof::Unproved(why) = &fix.proof { why.as_str() } else { "it can't be applied here" };
            let hint = format!("Hint: {} (not proved: {})", printable(&fix.title), printable(why));
            lines.extend([Line::default(), Line::styled(hint, FAINT)]);
        }
        (None, _) => {}
    }
    lines
}

/// A line of code with its number and in colours; the lines that the finding is about are marked.
fn code(line: &LineView, f: &Finding) -> Line<'static> {
    let number = line.new.or(line.old).unwrap_or(0);
    let is_meant = f.span().is_some_and(|span| span.has_number(number)) && line.new.is_some();
    let (mark, style) = match line.marker {
        Marker::Added => ('+', ADDED),
        Marker::Removed => ('-', REMOVED),
        Marker::Same => (' ', Style::new()),
    };
    let pointer = if is_meant { "▸" } else { " " };
    let mut spans =
        vec![Span::styled(format!("{pointer}{number:>5} "), FAINT), Span::styled(format!("{mark} "), style)];
    let plain = |text: &str| printable(&text.replace('\t', "    ")).into_owned();
    let mut at = 0;
    for word in &line.words {
        let colour = match word.word {
            Word::Comment => FAINT,
            Word::Text => Style::new().fg(Color::Green),
            Word::Number => Style::new().fg(Color::Yellow),
            Word::Keyword => Style::new().fg(Color::Magenta),
            Word::Definition => STRONG,
        };
        spans.push(Span::raw(plain(&line.text[at..word.range.start])));
        spans.push(Span::styled(plain(&line.text[word.range.clone()]), colour));
        at = word.range.end;
    }
    spans.push(Span::raw(plain(&line.text[at..])));
    Line::from(spans)
}

fn foot(session: &Session, shown: Option<&Shown<'_>>) -> Vec<Line<'static>> {
    let asked = |question: String, text: &str| {
        vec![Line::styled(question, STRONG), Line::from(format!("> {}▏", printable(text)))]
    };
    match &session.mode {
        Mode::Look => {
            let fix = if shown.is_some_and(|shown| shown.fix.is_some()) { "f fix  " } else { "" };
            let keys = if shown.is_some() {
                format!("{fix}s settle  n next  b back  e edit  u undo  ↑↓ scroll  q quit")
            } else {
                "b back  u undo  q quit".to_owned()
            };
            vec![Line::styled(printable(&session.message).into_owned(), STRONG), Line::styled(keys, FAINT)]
        }
        Mode::Answer => {
            let answers = "i intended, the code is as it should be   w the rule is wrong here   l later   Esc leave";
            vec![Line::styled("Settle as", STRONG), Line::from(answers)]
        }
        Mode::Until(text) => asked("Until which day (YYYY-MM-DD)?".to_owned(), text),
        Mode::Reason { answer, text, .. } => {
            let word = match answer {
                Answer::Intended => "intended",
                Answer::Wrong => "wrong",
                Answer::Later => "for later",
            };
            asked(format!("Why is it {word}?"), text)
        }
    }
}
