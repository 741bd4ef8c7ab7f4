use clap::Args;
use wevrun_core::diagnostics::{Code, nearest};

use crate::failure::{Ended, Failure, Outcome};
use crate::output::style::{self, paint};

/// Explain a diagnostic code, with an example and how to resolve it
#[derive(Debug, Args)]
pub struct Explain {
    /// The code, like WV110 [default: list all codes]
    #[arg(value_name = "CODE")]
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
        let Some(code) = Code::find(name) else {
            let failure = Failure::usage(format!("there is no code `{name}`"));
            return Err(match nearest(name, Code::ALL.iter().map(|code| code.name())) {
                Some(near) => failure.help(format!("did you mean `{near}`? `wevrun explain` lists all codes")),
                None => failure.help("`wevrun explain` lists all codes"),
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
