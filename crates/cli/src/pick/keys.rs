//! Keys and their actions.

use std::path::PathBuf;

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use wevrun_core::pick::{Grouping, Outcome, Row};
use wevrun_core::select::Selection;

use super::{Mode, Pane, PickResult, View};

/// Every key, and what it does: for the help.
pub const KEYS: &[(&str, &str)] = &[
    ("↑ ↓  or  k j", "move through the list"),
    ("Home  End", "first and last row"),
    ("Space  or  Enter", "tick or untick"),
    ("a", "tick or untick everything that is listed"),
    ("/", "filter by words; Esc removes the filter"),
    ("g", "group by change, kind or schema"),
    ("Tab", "right side: definition, script for this, script, risks"),
    ("PgUp  PgDn", "scroll the right side"),
    ("s", "save the ticks as a selection in wevrun.toml"),
    ("w", "write the script to a file, and quit"),
    ("?", "this list"),
    ("q", "quit"),
];

/// The next step after a key.
pub enum Step {
    /// The view stays.
    Stay,
    /// The view ends.
    End(PickResult),
}

impl View<'_> {
    /// Takes a key.
    pub fn press(&mut self, key: KeyEvent) -> Step {
        if key.modifiers.contains(KeyModifiers::CONTROL) && key.code == KeyCode::Char('c') {
            return Step::End(PickResult::Quit);
        }
        self.message.clear();
        match &mut self.mode {
            Mode::List => self.press_in_list(key.code),
            Mode::Help => {
                self.mode = Mode::List;
                Step::Stay
            }
            Mode::Leaving => match key.code {
                KeyCode::Char('y') => Step::End(PickResult::Quit),
                _ => {
                    self.mode = Mode::List;
                    Step::Stay
                }
            },
            Mode::Filter => {
                let mut words = self.picker.filter().to_owned();
                match typed(&mut words, key.code) {
                    Typed::Changed => self.filter(&words),
                    Typed::Done => self.mode = Mode::List,
                    Typed::Left => {
                        self.mode = Mode::List;
                        self.filter("");
                    }
                }
                Step::Stay
            }
            Mode::Name(text) => match typed(text, key.code) {
                Typed::Changed => Step::Stay,
                Typed::Done => {
                    let name = std::mem::take(text);
                    self.mode = Mode::List;
                    self.message = match self.selection().and_then(|selection| (self.save)(name.trim(), &selection)) {
                        Ok(done) => done,
                        Err(problem) => format!("not saved: {problem}"),
                    };
                    Step::Stay
                }
                Typed::Left => {
                    self.mode = Mode::List;
                    Step::Stay
                }
            },
            Mode::File(text) => match typed(text, key.code) {
                Typed::Changed => Step::Stay,
                Typed::Done if !text.trim().is_empty() => {
                    let path = PathBuf::from(text.trim());
                    self.mode = Mode::List;
                    match self.selection() {
                        Ok(selection) => Step::End(PickResult::Write(path, selection)),
                        Err(problem) => {
                            self.message = format!("not written: {problem}");
                            Step::Stay
                        }
                    }
                }
                Typed::Done | Typed::Left => {
                    self.mode = Mode::List;
                    Step::Stay
                }
            },
        }
    }

    fn press_in_list(&mut self, code: KeyCode) -> Step {
        let last = self.picker.rows().len().saturating_sub(1);
        match code {
            KeyCode::Down | KeyCode::Char('j') => self.move_to((self.cursor + 1).min(last)),
            KeyCode::Up | KeyCode::Char('k') => self.move_to(self.cursor.saturating_sub(1)),
            KeyCode::Home => self.move_to(0),
            KeyCode::End => self.move_to(last),
            KeyCode::Char(' ') | KeyCode::Enter => self.picker.toggle(self.cursor),
            KeyCode::Char('a') => self.picker.toggle_shown(),
            KeyCode::Char('/') => self.mode = Mode::Filter,
            KeyCode::Esc => self.filter(""),
            KeyCode::Char('g') => {
                let current = self.picker.rows().get(self.cursor).cloned();
                self.picker.set_grouping(match self.picker.grouping() {
                    Grouping::Change => Grouping::Kind,
                    Grouping::Kind => Grouping::Schema,
                    Grouping::Schema => Grouping::Change,
                });
                let found = self.picker.rows().iter().position(|row| Some(row) == current.as_ref());
                self.move_to(found.unwrap_or(0));
            }
            KeyCode::Tab => {
                self.scroll = 0;
                self.pane = match self.pane {
                    Pane::Definition => Pane::OwnScript,
                    Pane::OwnScript => Pane::Script,
                    Pane::Script => Pane::Risks,
                    Pane::Risks => Pane::Definition,
                };
            }
            KeyCode::PageDown => self.scroll += 10,
            KeyCode::PageUp => self.scroll = self.scroll.saturating_sub(10),
            KeyCode::Char('s') => self.ask(Mode::Name(String::new())),
            KeyCode::Char('w') => self.ask(Mode::File("release.sql".to_owned())),
            KeyCode::Char('?') => self.mode = Mode::Help,
            KeyCode::Char('q') if self.picker.counts().0 == 0 => return Step::End(PickResult::Quit),
            KeyCode::Char('q') => self.mode = Mode::Leaving,
            _ => {}
        }
        Step::Stay
    }

    fn move_to(&mut self, row: usize) {
        self.cursor = row;
        self.scroll = 0;
    }

    fn filter(&mut self, words: &str) {
        self.picker.set_filter(words);
        self.move_to(usize::from(matches!(self.picker.rows().first(), Some(Row::Heading { .. }))));
    }

    /// Asks for a name, if there is anything to be named.
    fn ask(&mut self, mode: Mode) {
        match self.picker.outcome() {
            Outcome::Done(_) => self.mode = mode,
            Outcome::Nothing => self.message = "nothing is ticked".to_owned(),
            Outcome::Invalid(_) => self.message = "the ticked differences make no valid schema".to_owned(),
        }
    }

    fn selection(&self) -> Result<Selection, String> {
        self.picker
            .selection()
            .ok_or_else(|| "no patterns choose exactly what is ticked; tick whole objects".to_owned())
    }
}

/// The effect of a key on a line that is typed.
enum Typed {
    Changed,
    Done,
    Left,
}

fn typed(text: &mut String, code: KeyCode) -> Typed {
    match code {
        KeyCode::Char(ch) => text.push(ch),
        KeyCode::Backspace => drop(text.pop()),
        KeyCode::Enter => return Typed::Done,
        KeyCode::Esc => return Typed::Left,
        _ => {}
    }
    Typed::Changed
}
