//! One file a command.

pub mod adopt;
pub mod build;
pub mod compare;
pub mod completions;
pub mod demo;
pub mod deploy;
pub mod drift;
pub mod explain;
pub mod man;
pub mod new;
mod object_script;
mod picking;
pub mod script;
mod script_options;
pub mod snapshot;
pub mod status;

use std::path::Path;

use clap::Args;
use wevrun_core::Engine;

use crate::failure::Ended;
use crate::project::Project;
use crate::side::Context;

/// The context in which sides are resolved, for a command that also works without a project.
fn context(directory: Option<&Path>, engine: Option<&'static Engine>) -> Ended<Context> {
    Ok(Context { project: Project::find(directory)?, engine, second_opinion: true, scratch: None })
}

/// `--scratch`, where sources are read.
#[derive(Debug, Clone, Args)]
pub struct Scratch {
    /// A scratch server: the source is created in a new database there, read back and dropped
    ///
    /// A server rewrites views and expressions when it stores them. With a scratch server of the targets' version, these are
    /// compared exactly; without one, an object that can't be compared is reported as unproven. Everything that the server refuses
    /// is reported at its place in the source. A project can set one: `scratch = "${URL}"` in wevrun.toml.
    #[arg(long, value_name = "URL")]
    pub scratch: Option<String>,
}

impl Scratch {
    fn of(&self, mut context: Context) -> Ended<Context> {
        context.scratch = match (&self.scratch, &context.project) {
            (Some(url), _) => Some(context.require_target(url)?),
            (None, Some(project)) => project.scratch()?,
            (None, None) => None,
        };
        Ok(context)
    }
}
