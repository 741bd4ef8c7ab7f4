//! Progress of work that takes longer than a second: a bar on a terminal, else a line on standard error.

use std::io::{IsTerminal, stderr};
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::thread;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

use crate::output::print::{is_quiet, note};
use crate::output::style::{self, paint};

/// The time after which a line names the work; after ten times as long, again.
const PATIENCE: Duration = Duration::from_secs(1);

/// Does something, saying what it is if it takes long.
pub fn while_running<T>(what: &str, work: impl FnOnce() -> T) -> T {
    let bar = ProgressBar::hidden().with_message(what.to_owned());
    while_shown(&bar, "{spinner} {msg} {elapsed}", work)
}

/// Does something in steps; `work` moves the bar.
pub fn while_stepping<T>(what: &str, steps: u64, work: impl FnOnce(&ProgressBar) -> T) -> T {
    let bar = ProgressBar::hidden().with_message(what.to_owned());
    bar.set_length(steps);
    while_shown(&bar, "{spinner} {msg} [{bar:30}] step {human_pos} of {human_len}, {elapsed}", || work(&bar))
}

fn while_shown<T>(bar: &ProgressBar, template: &str, work: impl FnOnce() -> T) -> T {
    if is_quiet() {
        return work();
    }
    let (done, waits) = channel::<()>();
    let on_terminal = stderr().is_terminal();
    bar.set_style(ProgressStyle::with_template(template).expect("a template").progress_chars("━╸ "));
    thread::scope(|scope| {
        scope.spawn(move || {
            let started = Instant::now();
            let mut wait = PATIENCE;
            while let Err(RecvTimeoutError::Timeout) = waits.recv_timeout(wait) {
                if on_terminal && wait == PATIENCE {
                    bar.set_draw_target(ProgressDrawTarget::stderr());
                    bar.enable_steady_tick(Duration::from_millis(100));
                } else if !on_terminal {
                    let seconds = started.elapsed().as_secs();
                    let since = if wait > PATIENCE { format!(" ({seconds} s)") } else { String::new() };
                    note!("{}", paint(style::FAINT, format!("{} …{since}", bar.message())));
                }
                wait = 10 * PATIENCE;
            }
        });
        let outcome = work();
        drop(done);
        bar.finish_and_clear();
        outcome
    })
}
