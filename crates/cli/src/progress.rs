//! What takes longer than a second is named on standard error, so that nobody wonders.

use std::sync::mpsc::{RecvTimeoutError, channel};
use std::thread;
use std::time::{Duration, Instant};

use crate::output::style::{self, paint};

/// After this long it is said what is going on, and after ten times as long again.
const PATIENCE: Duration = Duration::from_secs(1);

/// Does something, saying what it is if it takes long.
pub fn while_running<T>(what: &str, work: impl FnOnce() -> T) -> T {
    let (done, waits) = channel::<()>();
    thread::scope(|scope| {
        scope.spawn(move || {
            let started = Instant::now();
            let mut wait = PATIENCE;
            while let Err(RecvTimeoutError::Timeout) = waits.recv_timeout(wait) {
                let seconds = started.elapsed().as_secs();
                let since = if wait > PATIENCE { format!(" ({seconds} s)") } else { String::new() };
                anstream::eprintln!("{}", paint(style::FAINT, format!("{what} …{since}")));
                wait = 10 * PATIENCE;
            }
        });
        let outcome = work();
        drop(done);
        outcome
    })
}
