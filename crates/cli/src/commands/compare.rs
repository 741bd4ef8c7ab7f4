use std::path::Path;

use clap::Args;
use wevrun_core::Engine;
use wevrun_core::compare::{add_access, compare, lookalikes};
use wevrun_core::dialects::dialect;

use super::{Scratch, context};
use crate::cli::Format;
use crate::failure::{Ended, Failure, Outcome};
use crate::output::comparison::{self, View};
use crate::output::json::{self, JsonComparison, JsonSide};
use crate::side::{Context, Loaded, Side};

/// Show what differs between two sides, grouped by what would have to happen
///
/// Exit status 0 if nothing differs, 3 if something does. Layout, comments, letter case of names, and the order of columns and
/// constraints are no differences; column order is named apart. What nobody but the engine can tell is called unproven, and is
/// no difference either.
#[derive(Debug, Args)]
pub struct Compare {
    /// The sides
    #[command(flatten)]
    pub sides: Sides,

    /// Show the definitions of both, with what differs in them
    #[arg(long)]
    pub details: bool,

    /// Let the order of columns count as a difference
    #[arg(long)]
    pub column_order: bool,

    /// Let owners, grants and security labels count as differences
    #[arg(long)]
    pub access: bool,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub format: Format,
}

/// Have and want, as `compare` and `script` take them.
#[derive(Debug, Args)]
pub struct Sides {
    /// The state that there is: short for --have
    #[arg(value_name = "TARGET", conflicts_with = "have")]
    pub target: Option<String>,

    /// The state that there is
    #[arg(long, value_name = "SIDE")]
    pub have: Option<String>,

    /// The state wished for [default: the project's source]
    #[arg(long, value_name = "SIDE")]
    pub want: Option<String>,

    /// The engine of sides that do not say theirs [default: that of a database beside them, or the project's]
    #[arg(long)]
    pub engine: Option<Engine>,

    /// Where sources are spelled
    #[command(flatten)]
    pub scratch: Scratch,
}

impl Sides {
    /// Reads both.
    pub fn load(&self, context: &mut Context) -> Ended<(Loaded, Loaded)> {
        let Some(have) = self.target.as_ref().or(self.have.as_ref()) else {
            return Err(Failure::usage("have is missing: name a TARGET, or write --have SIDE"));
        };
        let have = context.side(have)?;
        let want = match &self.want {
            Some(want) => context.side(want)?,
            None if context.project.is_some() => Side::Source,
            None => {
                return Err(Failure::usage("want is missing: write --want SIDE")
                    .help("in a project, want is the project's source by default"));
            }
        };
        for side in [&have, &want] {
            if let Side::Live(_, url) = side {
                context.beside(url);
            }
        }
        let context = &*context;
        // While a server answers, the other side can be read.
        let (have, want) = std::thread::scope(|scope| {
            let other = scope.spawn(|| context.load(&want));
            let have = context.load(&have);
            (have, other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
        });
        let (have, want) = (have?, want?);
        if have.engine != want.engine && !have.model.is_empty() && !want.model.is_empty() {
            return Err(Failure::usage(format!(
                "{} is for {} and {} for {}",
                have.name, have.engine, want.name, want.engine
            )));
        }
        Ok((have, want))
    }
}

impl Compare {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let mut context = self.sides.scratch.of(context(directory, self.sides.engine)?)?;
        let (have, want) = self.sides.load(&mut context)?;
        let dialect = dialect(want.engine);
        let mut comparison = compare(dialect, &have.model, &want.model);
        if self.access {
            add_access(dialect, &mut comparison, &have.model, &want.model);
        }
        let identical = comparison.is_identical() && (comparison.reordered.is_empty() || !self.column_order);
        let side = |loaded: &Loaded| JsonSide {
            side: loaded.name.clone(),
            fingerprint: loaded.model.fingerprint().to_string(),
        };
        if self.format == Format::Json {
            let identical = identical && comparison.unproven.is_empty();
            json::print(&JsonComparison::new(
                dialect,
                &comparison,
                (side(&have), side(&want)),
                identical,
                self.details,
            ));
        } else {
            let named = |loaded: &Loaded| (loaded.name.clone(), loaded.model.fingerprint().short().to_owned());
            let view = View {
                have: named(&have),
                want: named(&want),
                heads: ["To create", "To change", "To remove"],
                dialect,
                sides: ["have", "want"],
                details: self.details,
                column_order: self.column_order,
            };
            comparison::print(&comparison, &lookalikes(dialect, &comparison), &view);
        }
        Ok(if identical { Outcome::Done } else { Outcome::Differences })
    }
}
