//! Asking a scratch server what it makes of a source.

use wevrun_core::EngineVersion;
use wevrun_core::check::{self, Refusal};
use wevrun_core::compare::compare;
use wevrun_core::model::{Kind, Model};
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::make_script;
use wevrun_core::spelling::take_over;
use wevrun_engines::{DatabaseUrl, LiveError, registry::dialect};

use crate::failure::{Ended, Failure};
use crate::progress;

/// The answer of a scratch server for a model.
pub struct Spelled {
    /// The number of objects that it spells differently than they are written; none if it did not take all of them.
    pub otherwise: Option<usize>,
    /// The statements that it refuses.
    pub refusals: Vec<Refusal>,
}

/// Spells a model on a scratch server.
pub fn spell(url: &DatabaseUrl, version: EngineVersion, model: &mut Model) -> Ended<Spelled> {
    let dialect = dialect(url.engine());
    let nothing = Model::empty();
    // A scratch database subscribes to nothing.
    let whole = &*model;
    let asked: Model =
        whole.objects().filter(|object| object.definition.kind() != Kind::Subscription).cloned().collect();
    let comparison = compare(dialect, &nothing, &asked);
    let script = make_script(
        dialect,
        "scratch",
        (&nothing, &asked),
        &comparison,
        PlanOptions::default(),
        version,
        &Evidence::default(),
    );
    let spelled = progress::while_running(&format!("asking {url}"), || wevrun_engines::spell(url, &script));
    let spelled = spelled.map_err(|error| match &error {
        LiveError::StepFailed { title, message, .. } => refused_by_scratch(&format!("{title}: {message}")),
        _ => Failure::live(&format!("the scratch server {url}"), &error),
    })?;
    if let Some(unknown) = spelled.refusals.iter().find(|refusal| model.get(&refusal.key).is_none()) {
        return Err(refused_by_scratch(&format!("{}: {}", unknown.key, unknown.message)));
    }
    let refusals = check::independent(model, spelled.refusals);
    Ok(Spelled { otherwise: spelled.content.map(|content| take_over(model, &content.model)), refusals })
}

fn refused_by_scratch(what: &str) -> Failure {
    Failure::new(format!("the scratch server refuses the schema: {what}"))
        .help("the server must also have the extensions, roles and settings that the schema needs")
}
