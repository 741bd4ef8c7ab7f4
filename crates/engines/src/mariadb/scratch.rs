//! A scratch database: what the server makes of a schema, or all that it refuses of it.

use std::time::{SystemTime, UNIX_EPOCH};

use wevrun_core::check::Refusal;
use wevrun_core::plan::Mode;
use wevrun_core::script::{Client as _, Script};
use wevrun_mariadb::MariaDb;

use super::connection::MariaDatabase;
use super::settings::Settings;
use crate::database::Spelling;
use crate::error::LiveError;

/// Runs what a script makes in a new database of the server of this URL, which is dropped again.
///
/// Errors if no database can be made there, if the connection is lost, or if a step fails that makes no object.
pub fn spell(url: &str, script: &Script) -> Result<Spelling, LiveError> {
    let settings = Settings::of(url)?;
    let mut server = MariaDatabase::connect(settings.clone())?;
    let moment = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |moment| moment.as_nanos());
    let name = format!("wevrun_scratch_{}_{moment}", std::process::id());
    server.run(&format!("CREATE DATABASE {name}")).map_err(|error| match error {
        LiveError::Engine(words) if words.contains("denied") => LiveError::Engine(
            "this user may not create databases there: GRANT ALL ON `wevrun\\_scratch\\_%`.* TO the_user".to_owned(),
        ),
        other => other,
    })?;
    let spelled = MariaDatabase::connect(settings.on(Some(&name))).and_then(|mut scratch| {
        let refusals = scratch.make(script)?;
        let content = if refusals.is_empty() { Some(scratch.content()?) } else { None };
        Ok(Spelling { content, refusals })
    });
    // Whatever came of it.
    let dropped = server.run(&format!("DROP DATABASE {name}"));
    let spelled = spelled?;
    dropped?;
    Ok(spelled)
}

impl MariaDatabase {
    /// Makes all that the server takes; gives what it refuses.
    fn make(&mut self, script: &Script) -> Result<Vec<Refusal>, LiveError> {
        let mut refusals: Vec<Refusal> = Vec::new();
        for statement in &MariaDb.frame(Mode::EachStatement).before {
            self.run(statement)?;
        }
        for step in script.plan.steps() {
            for statement in &step.statements {
                match (self.run(statement), &step.object) {
                    (Ok(()), _) => continue,
                    (Err(error @ (LiveError::ConnectionLost(_) | LiveError::DiskFull(_))), _) => return Err(error),
                    (Err(error), Some(key)) => {
                        let message = error.to_string();
                        refusals.push(Refusal { key: key.clone(), message, offset: None, culprit: None, lacks: false });
                    }
                    // It needs several objects, and one of them was refused.
                    (Err(_), None) if !refusals.is_empty() => {}
                    (Err(error), None) => return Err(error),
                }
                break;
            }
        }
        Ok(refusals)
    }
}
