//! Where lines for a person go: nowhere if the command is quiet, through a pager if they are many, else to the terminal.

use std::fmt;
use std::io::{IsTerminal, Write, stdout};
use std::process::{Command, Stdio};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};

static QUIET: AtomicBool = AtomicBool::new(false);
static PAGER: AtomicBool = AtomicBool::new(true);

/// The text for a pager; none if lines are printed at once.
static PAGE: Mutex<Option<String>> = Mutex::new(None);

/// Prints a line of a result on standard output, unless the command is quiet.
macro_rules! say {
    () => { $crate::output::print::line(format_args!("")) };
    ($($text:tt)*) => { $crate::output::print::line(format_args!($($text)*)) };
}

/// Prints a warning, note or message on standard error, unless the command is quiet.
macro_rules! note {
    ($($text:tt)*) => {
        if !$crate::output::print::is_quiet() {
            anstream::eprintln!($($text)*);
        }
    };
}

pub(crate) use {note, say};

/// The options `--quiet` and `--no-pager`.
pub fn set(quiet: bool, pager: bool) {
    QUIET.store(quiet, Ordering::Relaxed);
    PAGER.store(pager, Ordering::Relaxed);
}

/// Whether only errors are printed.
pub fn is_quiet() -> bool {
    QUIET.load(Ordering::Relaxed)
}

/// Prints a line: see [`say`].
pub fn line(text: fmt::Arguments<'_>) {
    if is_quiet() {
        return;
    }
    match &mut *PAGE.lock().unwrap_or_else(|poisoned| poisoned.into_inner()) {
        Some(page) => {
            page.push_str(&text.to_string());
            page.push('\n');
        }
        None => anstream::println!("{text}"),
    }
}

/// Collects the lines from here to [`end_page`], if standard output is a terminal.
pub fn begin_page() {
    if PAGER.load(Ordering::Relaxed) && stdout().is_terminal() {
        *PAGE.lock().unwrap_or_else(|poisoned| poisoned.into_inner()) = Some(String::new());
    }
}

/// Prints what was collected: through a pager, if it is longer than the terminal.
pub fn end_page() {
    let page = PAGE.lock().unwrap_or_else(|poisoned| poisoned.into_inner()).take();
    let Some(page) = page else { return };
    let height = terminal_size::terminal_size().map_or(usize::MAX, |(_, height)| usize::from(height.0));
    if page.lines().count() < height || !through_pager(&page) {
        anstream::print!("{page}");
    }
}

/// Shows a text in the program that PAGER names, or in `less`; false if it can't be started.
fn through_pager(page: &str) -> bool {
    let named = std::env::var("PAGER").ok();
    let mut words = named.as_deref().unwrap_or("less").split_whitespace();
    let Some(program) = words.next() else { return false };
    let mut command = Command::new(program);
    command.args(words).stdin(Stdio::piped());
    if std::env::var_os("LESS").is_none() {
        // Colours are shown, a short text is printed at once, and the text stays.
        command.env("LESS", "RFX");
    }
    let Ok(mut child) = command.spawn() else { return false };
    if let Some(mut input) = child.stdin.take() {
        let page = match anstream::AutoStream::choice(&stdout()) {
            anstream::ColorChoice::Never => anstream::adapter::strip_str(page).to_string(),
            _ => page.to_owned(),
        };
        // A pager that is left early closes its input, which is no error.
        let _ = input.write_all(page.as_bytes());
    }
    child.wait().is_ok()
}

/// Whether a person reads standard output as it is printed.
pub fn is_terminal() -> bool {
    stdout().is_terminal()
}

/// The width of the terminal; 80 columns if there is none.
pub fn width() -> usize {
    let width = terminal_size::terminal_size().map(|(width, _)| usize::from(width.0));
    let said = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
    width.or(said).unwrap_or(80)
}
