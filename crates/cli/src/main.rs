//! The command line of Wevrun.

mod choice;
mod cli;
mod commands;
mod completion;
mod failure;
mod files;
mod git;
mod mapping;
mod output;
mod pick;
mod pieces;
mod progress;
mod project;
mod scratch;
mod side;
mod source_files;

use std::io::Write;
use std::process::ExitCode;

use clap::Parser;

use crate::output::Format;

/// Many threads make what one keeps: the system's allocator is slow at that.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    end_when_nothing_can_be_printed();
    clap_complete::CompleteEnv::with_factory(<cli::Cli as clap::CommandFactory>::command)
        .var(commands::completions::VARIABLE)
        .complete();
    let arguments = cli::Cli::try_parse().unwrap_or_else(|error| wrong_usage(&error));
    arguments.color.apply();
    output::print::set(arguments.quiet, !arguments.no_pager);
    log(arguments.verbose);
    // Long expressions go deep: with room for the usual ones, no thread has to ask for more.
    let _ = rayon::ThreadPoolBuilder::new().stack_size(32 << 20).build_global();
    let format = arguments.command.format();
    match arguments.command.run(arguments.directory.as_deref()) {
        Ok(outcome) => ExitCode::from(outcome as u8),
        Err(failure) => {
            match format {
                Format::Json => output::json::print_failure(&failure),
                Format::Junit | Format::Sarif => {
                    output::findings::print(format, "wevrun", &output::findings::of_failure(&failure));
                }
                Format::Text | Format::Csv | Format::Markdown => {}
            }
            output::failure(&failure);
            ExitCode::from(failure.status)
        }
    }
}

/// Writes a log to standard error, if it is asked for.
fn log(verbose: u8) {
    let level = match verbose {
        0 => return,
        1 => tracing::Level::INFO,
        _ => tracing::Level::DEBUG,
    };
    let log = tracing_subscriber::fmt().with_max_level(level).with_writer(std::io::stderr).with_target(false);
    log.with_ansi(std::io::IsTerminal::is_terminal(&std::io::stderr())).init();
}

/// The error of clap for wrong arguments; with `--format json` also as a document.
fn wrong_usage(error: &clap::Error) -> ! {
    let arguments: Vec<String> = std::env::args().collect();
    let json = arguments.iter().any(|argument| argument == "--format=json")
        || arguments.windows(2).any(|pair| pair[0] == "--format" && pair[1] == "json");
    if json && error.use_stderr() {
        let text = error.to_string();
        let message = text.lines().next().unwrap_or_default().trim_start_matches("error: ");
        output::json::print_failure(&failure::Failure::usage(message));
    }
    if let Err(problem) = error.print() {
        let _ = writeln!(std::io::stderr(), "error: standard output can't be written: {}", files::reason(&problem));
        std::process::exit(1);
    }
    std::process::exit(error.exit_code())
}

/// A closed pipe (`wevrun … | head`) ends the program quietly, as it does every other tool; a full disk with a message.
fn end_when_nothing_can_be_printed() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        let text = panic.payload_as_str().unwrap_or_default();
        if text.starts_with("failed printing to") {
            if text.contains("Broken pipe") {
                std::process::exit(141); // 128 + SIGPIPE
            }
            let why = text.split_once(": ").map_or(text, |(_, why)| why);
            let why = why.split(" (os error").next().unwrap_or(why).to_lowercase();
            // Standard error may be the one that can't be written.
            let _ = writeln!(std::io::stderr(), "error: standard output can't be written: {why}");
            std::process::exit(1);
        }
        usual(panic);
    }));
}
