//! `compare --pick`: differences are ticked in the terminal. What is ticked and what results is the core's (`wevrun_core::pick`);
//! here are keys and drawing.

mod draw;
mod keys;
mod texts;

use std::io::IsTerminal;
use std::path::PathBuf;

use ratatui::crossterm::event::{self, Event, KeyEventKind};
use wevrun_core::pick::Picker;
use wevrun_core::select::Selection;

use crate::failure::{Ended, Failure};
use crate::files::reason;
use keys::Step;

/// The user's decision at the end.
pub enum PickResult {
    /// No script.
    Quit,
    /// To write the script of what is ticked.
    Write(PathBuf, Selection),
}

/// The contents of the right side.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Pane {
    /// Both definitions.
    Definition,
    /// The script of the row alone.
    OwnScript,
    /// The script of everything that is ticked.
    Script,
    /// Its risks, and what is included.
    Risks,
}

/// The present mode of the keys.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Mode {
    /// Moving and ticking.
    List,
    /// Typing words of the filter.
    Filter,
    /// Typing the name of a selection.
    Name(String),
    /// Typing the name of the script's file.
    File(String),
    /// Reading what the keys are.
    Help,
    /// Being asked whether to leave although something is ticked.
    Leaving,
}

/// The state of the view.
struct View<'v> {
    picker: Picker<'v>,
    names: (String, String),
    cursor: usize,
    /// The first line of the right side that is shown.
    scroll: usize,
    pane: Pane,
    mode: Mode,
    /// The last action, or the reason of its failure.
    message: String,
    /// Saves a selection and returns a line about it.
    save: &'v dyn Fn(&str, &Selection) -> Result<String, String>,
}

/// Shows the differences to be ticked. `names` are the sides'; `save` keeps a selection under a name.
pub fn pick(
    picker: Picker<'_>,
    names: (String, String),
    save: &dyn Fn(&str, &Selection) -> Result<String, String>,
) -> Ended<PickResult> {
    if !(std::io::stdin().is_terminal() && std::io::stdout().is_terminal()) {
        return Err(Failure::usage("--pick needs a terminal"));
    }
    let mut view = View {
        picker,
        names,
        cursor: 0,
        scroll: 0,
        pane: Pane::Definition,
        mode: Mode::List,
        message: String::new(),
        save,
    };
    // The first row is a heading.
    view.cursor = usize::from(view.picker.rows().len() > 1);
    let failed = |error: std::io::Error| Failure::new(format!("the terminal can't be used: {}", reason(&error)));
    let mut terminal = ratatui::try_init().map_err(failed)?;
    let wish = loop {
        if let Err(error) = terminal.draw(|frame| draw::draw(frame, &mut view)) {
            break Err(failed(error));
        }
        match event::read() {
            Ok(Event::Key(key)) if key.kind != KeyEventKind::Release => match view.press(key) {
                Step::Stay => {}
                Step::End(wish) => break Ok(wish),
            },
            Ok(_) => {}
            Err(error) => break Err(failed(error)),
        }
    };
    ratatui::restore();
    wish
}
