//! The command line of Wevrun.

mod cli;
mod commands;
mod failure;
mod files;
mod git;
mod output;
mod progress;
mod project;
mod side;
mod source_files;

use std::process::ExitCode;

use clap::Parser;

/// Many threads make what one keeps: the system's allocator is slow at that.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    quiet_when_nobody_reads();
    let arguments = cli::Cli::parse();
    arguments.color.apply();
    // Long expressions go deep: with room for the usual ones, no thread has to ask for more.
    let _ = rayon::ThreadPoolBuilder::new().stack_size(32 << 20).build_global();
    match commands::run(arguments) {
        Ok(outcome) => ExitCode::from(outcome as u8),
        Err(failure) => {
            output::failure(&failure);
            ExitCode::from(failure.status)
        }
    }
}

/// A closed pipe (`wevrun … | head`) ends the program quietly, as it does every other tool.
fn quiet_when_nobody_reads() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        let text = panic.payload_as_str().unwrap_or_default();
        if text.starts_with("failed printing to") && text.contains("Broken pipe") {
            std::process::exit(141); // 128 + SIGPIPE
        }
        usual(panic);
    }));
}
