//! Where somebody is in going through findings, and what each key does. Nothing is drawn or changed here.

use std::collections::BTreeSet;

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use swage_core::decision::Answer;
use swage_core::ids::FindingKey;

/// What is to be done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Action {
    /// Take the fix of the finding that is shown.
    Fix,
    /// Settle it.
    Settle { answer: Answer, because: String, until: Option<String> },
    /// Open its place in the editor.
    Edit,
    /// Take the last fix or decision back.
    Undo,
    /// End.
    Quit,
}

/// What the keys mean at the moment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Mode {
    /// A finding is shown.
    Look,
    /// The answer is asked for.
    Answer,
    /// The last day is asked for.
    Until(String),
    /// The reason is asked for.
    Reason { answer: Answer, until: Option<String>, text: String },
}

/// Going through a list of findings.
#[derive(Debug)]
pub struct Session {
    /// The keys of the findings, in order.
    keys: Vec<FindingKey>,
    /// Which one is shown; after the last one at the end.
    at: usize,
    /// Keys of findings that were passed over, in this run and before.
    pub passed: BTreeSet<FindingKey>,
    pub mode: Mode,
    /// What was done or couldn't be, for the bottom line.
    pub message: String,
    /// By how many lines the text is scrolled.
    pub scroll: u16,
}

impl Session {
    /// Begins with the first finding that wasn't passed over.
    pub fn new(keys: Vec<FindingKey>, passed: BTreeSet<FindingKey>) -> Self {
        let at = keys.iter().position(|key| !passed.contains(key)).unwrap_or(keys.len());
        Self { keys, at, passed, mode: Mode::Look, message: String::new(), scroll: 0 }
    }

    /// The finding that is shown: its place in the list, and its key.
    pub fn current(&self) -> Option<(usize, &str)> {
        self.keys.get(self.at).map(|key| (self.at, key.as_str()))
    }

    /// How many findings there are.
    pub fn len(&self) -> usize {
        self.keys.len()
    }

    /// Takes a new list. What was shown stays, if it is still there; else what came after it.
    pub fn replace(&mut self, keys: Vec<FindingKey>) {
        let after = self.keys[self.at.min(self.keys.len())..].iter();
        let stays = after.filter_map(|key| keys.iter().position(|new| new == key)).next();
        self.at = stays.unwrap_or(keys.len());
        self.keys = keys;
        self.scroll = 0;
    }

    /// Shows the finding with a key, when there is one.
    pub fn show(&mut self, key: &str) {
        if let Some(at) = self.keys.iter().position(|known| known == key) {
            self.at = at;
            self.scroll = 0;
        }
    }

    /// What a key does.
    pub fn press(&mut self, key: KeyEvent) -> Option<Action> {
        if key.modifiers.contains(KeyModifiers::CONTROL) && key.code == KeyCode::Char('c') {
            return Some(Action::Quit);
        }
        match std::mem::replace(&mut self.mode, Mode::Look) {
            Mode::Look => self.look(key.code),
            Mode::Answer => {
                let answer = match key.code {
                    KeyCode::Char('i') => Answer::Intended,
                    KeyCode::Char('w') => Answer::Wrong,
                    KeyCode::Char('l') => {
                        self.mode = Mode::Until(String::new());
                        return None;
                    }
                    KeyCode::Esc => return None,
                    _ => {
                        self.mode = Mode::Answer;
                        return None;
                    }
                };
                self.mode = Mode::Reason { answer, until: None, text: String::new() };
                None
            }
            Mode::Until(text) => {
                match typed(text, key.code) {
                    Typed::More(text) => self.mode = Mode::Until(text),
                    Typed::Done(until) => {
                        let until = Some(until);
                        self.mode = Mode::Reason { answer: Answer::Later, until, text: String::new() };
                    }
                    Typed::Left => {}
                }
                None
            }
            Mode::Reason { answer, until, text } => match typed(text, key.code) {
                Typed::More(text) => {
                    self.mode = Mode::Reason { answer, until, text };
                    None
                }
                Typed::Done(because) => Some(Action::Settle { answer, because, until }),
                Typed::Left => None,
            },
        }
    }

    fn look(&mut self, code: KeyCode) -> Option<Action> {
        self.message.clear();
        let is_shown = self.current().is_some();
        match code {
            KeyCode::Char('f') if is_shown => return Some(Action::Fix),
            KeyCode::Char('e') if is_shown => return Some(Action::Edit),
            KeyCode::Char('s') if is_shown => self.mode = Mode::Answer,
            KeyCode::Char('u') => return Some(Action::Undo),
            KeyCode::Char('q') | KeyCode::Esc => return Some(Action::Quit),
            KeyCode::Char('n' | ' ') | KeyCode::Right | KeyCode::Enter if is_shown => {
                self.passed.extend(self.keys.get(self.at).cloned());
                self.at += 1;
                self.scroll = 0;
            }
            KeyCode::Char('b') | KeyCode::Left => {
                self.at = self.at.saturating_sub(1);
                self.scroll = 0;
            }
            KeyCode::Down | KeyCode::PageDown => self.scroll = self.scroll.saturating_add(step(code)),
            KeyCode::Up | KeyCode::PageUp => self.scroll = self.scroll.saturating_sub(step(code)),
            _ => {}
        }
        None
    }
}

/// By how many lines a key scrolls.
fn step(code: KeyCode) -> u16 {
    if matches!(code, KeyCode::PageDown | KeyCode::PageUp) { 10 } else { 1 }
}

/// A line that is being typed, after a key.
enum Typed {
    More(String),
    Done(String),
    Left,
}

fn typed(mut text: String, code: KeyCode) -> Typed {
    match code {
        KeyCode::Enter if !text.trim().is_empty() => Typed::Done(text.trim().to_owned()),
        KeyCode::Esc => Typed::Left,
        KeyCode::Backspace => {
            text.pop();
            Typed::More(text)
        }
        KeyCode::Char(c) => {
            text.push(c);
            Typed::More(text)
        }
        _ => Typed::More(text),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn press(session: &mut Session, keys: &str) -> Vec<Action> {
        let key = |c| match c {
            '\n' => KeyCode::Enter,
            '\u{1b}' => KeyCode::Esc,
            '\u{8}' => KeyCode::Backspace,
            c => KeyCode::Char(c),
        };
        keys.chars().filter_map(|c| session.press(KeyEvent::new(key(c), KeyModifiers::NONE))).collect()
    }

    #[test]
    fn keys_lead_through_the_list() {
        let keys = |names: &[&str]| names.iter().map(|name| FindingKey::from(*name)).collect::<Vec<_>>();
        let mut session = Session::new(keys(&["a", "b", "c"]), keys(&["a"]).into_iter().collect());
        assert_eq!(session.current(), Some((1, "b")));
        assert_eq!(press(&mut session, "nb"), []);
        assert_eq!(session.current(), Some((1, "b")));
        // At the end nothing is shown, and nothing can be done but going back and taking back.
        assert_eq!(press(&mut session, "nnnfes"), []);
        assert_eq!((session.current(), session.passed.len()), (None, 3));
        assert_eq!(press(&mut session, "ubbbb"), [Action::Undo]);
        assert_eq!(session.current(), Some((0, "a")));
        // What was shown stays; when it is gone, what came after it is shown.
        session.show("b");
        session.replace(keys(&["x", "b", "c"]));
        assert_eq!(session.current(), Some((1, "b")));
        session.replace(keys(&["x", "c"]));
        assert_eq!(session.current(), Some((1, "c")));
        session.replace(keys(&["x"]));
        assert_eq!(session.current(), None);
        assert_eq!(press(&mut session, "q"), [Action::Quit]);
    }

    #[test]
    fn settling_asks_for_answer_day_and_reason() {
        let mut session = Session::new(vec!["a".into()], BTreeSet::new());
        let settle = |answer, because: &str, until: Option<&str>| Action::Settle {
            answer,
            because: because.to_owned(),
            until: until.map(str::to_owned),
        };
        assert_eq!(press(&mut session, "sxiq it is\u{8}\u{8}is so\n"), [settle(Answer::Intended, "q it is so", None)]);
        assert_eq!(press(&mut session, "sl2031-05-01\nsoon\n"), [settle(Answer::Later, "soon", Some("2031-05-01"))]);
        // Nothing is settled without a reason, and Escape leaves.
        assert_eq!(press(&mut session, "sw  \n\u{1b}s\u{1b}f"), [Action::Fix]);
        assert_eq!(session.mode, Mode::Look);
    }
}
