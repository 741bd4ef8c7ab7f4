use clap::Args;
use clap_complete::ArgValueCompleter;
use wevrun_core::compare::{Aspect, DefaultTreatment};
use wevrun_core::diagnostics::{Code, nearest};

use crate::completion;
use crate::failure::{Ended, Failure, Outcome};
use crate::output::style::{self, paint};

/// Explain a diagnostic code, with an example and how to resolve it; or list the aspects in which objects differ
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun explain WV110")]
pub struct Explain {
    /// The code, like WV110, or `aspects` [default: list all codes]
    #[arg(value_name = "CODE", add = ArgValueCompleter::new(completion::codes))]
    pub code: Option<String>,
}

impl Explain {
    /// Runs the command.
    pub fn run(&self) -> Ended {
        let Some(name) = &self.code else {
            for code in Code::ALL {
                anstream::println!(
                    "{}  {:<8} {}",
                    paint(style::STRONG, code),
                    code.severity().to_string(),
                    code.title()
                );
            }
            return Ok(Outcome::Done);
        };
        if name == "aspects" {
            return Ok(aspects());
        }
        let Some(code) = Code::find(name) else {
            let failure = Failure::usage(format!("there is no code `{name}`"));
            return Err(match nearest(name, Code::ALL.iter().map(|code| code.name())) {
                Some(near) => failure.help(format!("did you mean `{near}`? `wevrun explain` lists all codes")),
                None => failure
                    .help("`wevrun explain` lists all codes, `wevrun explain aspects` the aspects of a comparison"),
            });
        };
        anstream::println!(
            "{} ({}): {}\n\n{}",
            paint(style::STRONG, code),
            code.severity(),
            code.title(),
            code.explanation()
        );
        if code.is_tolerable() {
            anstream::println!(
                "\nWhere an old database has it and must keep it: tolerate = [\"{code}\"] under [project] in wevrun.toml."
            );
        }
        Ok(Outcome::Done)
    }
}

/// Lists the aspects, and whether they count.
fn aspects() -> Outcome {
    anstream::println!("Aspects in which two objects can differ, for --ignore, --mind and [compare] in wevrun.toml:\n");
    for (_, name, standing, words) in Aspect::ALL {
        let standing = match standing {
            DefaultTreatment::Always => "always",
            DefaultTreatment::Compared => "compared",
            DefaultTreatment::Ignored => "ignored",
        };
        anstream::println!("{}  {standing:<8}  {words}", paint(style::STRONG, format!("{name:<16}")));
    }
    anstream::println!(
        "\n`always` can't be ignored. `access` stands for owner, privileges and security-label together. An ignored difference is\n\
         not changed by a script, which keeps the current value where it must recreate an object."
    );
    Outcome::Done
}
