//! The trait of scripts: how the engine's own client runs them.

use std::borrow::Cow;

use super::Frame;
use crate::plan::{Mode, Planner};

/// How an engine's own client runs a script.
pub trait Client: Planner {
    /// How a person runs a script with it: `… < THIS_FILE`.
    fn client_command(&self) -> &'static str;

    /// Commands of the client before everything else in a script: it stops at the first error.
    fn client_settings(&self) -> &'static [&'static str];

    /// The command of the client that runs another file, by its path from the folder of the one that has the command.
    fn include_command(&self, path: &str) -> String;

    /// A statement as the client takes it, with what ends it.
    fn client_statement(&self, statement: &str) -> String {
        format!("{statement};")
    }

    /// The text of a script without what [`Client::client_statement`] puts around statements. Offsets stay as they are.
    fn without_client_frames<'t>(&self, text: &'t str) -> Cow<'t, str> {
        Cow::Borrowed(text)
    }

    /// The statements around the steps of a part.
    fn frame(&self, mode: Mode) -> Frame;
}
