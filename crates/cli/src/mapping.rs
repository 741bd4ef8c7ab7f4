//! Mapped names: `--map` and `[[map]]`.

use clap::Args;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::mapping::{Doubt, MapRule, map};
use wevrun_engines::registry::dialect;

use crate::failure::{Ended, Failure};
use crate::output::count;
use crate::side::{Context, Loaded};

/// The options that map names
#[derive(Debug, Clone, Default, Args)]
pub struct MapOptions {
    /// Map a name of want to a name of have: sales_eu=sales (schemas), table:eu_*=*, column:hives.grams=hives.weight
    ///
    /// The left name is the one on the target, the right one the source's. `KIND:` maps objects of a kind, `*:` of any kind; `*` in
    /// both names matches the same characters. `tenant_*=tenant` compares each such schema of the target with one schema of
    /// the source. Scripts have the target's names.
    #[arg(long, value_name = "HAVE=WANT")]
    pub map: Vec<MapRule>,
}

/// A rule of wevrun.toml, with the targets that it is for; none: for all.
#[derive(Debug, Clone)]
pub struct ProjectRule {
    /// The rule.
    pub rule: MapRule,
    /// The targets.
    pub targets: Vec<String>,
}

impl MapOptions {
    /// Whether nothing is asked for.
    pub fn is_empty(&self) -> bool {
        self.map.is_empty()
    }

    /// The rules for a database, or for any other side: the project's are about databases, and its own source.
    fn rules(&self, context: &Context, database: Option<&str>, want: Option<&str>) -> Vec<MapRule> {
        let own = context.project.iter().filter(|project| want.is_none_or(|want| want == project.name));
        let of_project = own.flat_map(|project| &project.maps);
        let is_for = |rule: &&ProjectRule| {
            database.is_some_and(|name| rule.targets.is_empty() || rule.targets.iter().any(|target| target == name))
        };
        let of_project = of_project.filter(is_for).map(|rule| &rule.rule);
        of_project.chain(&self.map).cloned().collect()
    }

    fn rules_for(&self, context: &Context, have: &Loaded, want: &Loaded) -> Vec<MapRule> {
        let database = have.live.as_ref().map(|_| have.name.as_str());
        self.rules(context, database, Some(want.project.as_deref().unwrap_or_default()))
    }

    /// The rules for have, as they are written; `as they are`, if there are none.
    pub fn words(&self, context: &Context, have: &Loaded, want: &Loaded) -> String {
        let rules = self.rules_for(context, have, want);
        let rules: Vec<String> = rules.iter().map(ToString::to_string).collect();
        if rules.is_empty() { "as they are".to_owned() } else { rules.join(", ") }
    }

    /// Gives want the names of have.
    pub fn apply(&self, context: &Context, have: &Loaded, want: &mut Loaded) -> Ended<()> {
        let rules = self.rules_for(context, have, want);
        if rules.is_empty() || want.model.is_empty() {
            return Ok(());
        }
        let version = want.engine_version.unwrap_or(want.engine.default_version);
        let sides = (&have.model, &want.model);
        let mapped = map(dialect(want.engine), version, sides, &want.scope, &rules).map_err(Failure::usage)?;
        let found: Vec<Diagnostic> = mapped.doubts.iter().map(|doubt| diagnostic(doubt, want)).collect();
        want.model = mapped.want;
        want.scope = mapped.scope;
        want.name = match &rules[..] {
            [only] => format!("{} ({} as {})", want.name, only.want, only.have),
            several => format!("{} ({} mapped)", want.name, count(several.len(), "name")),
        };
        want.diagnostics.extend(found);
        Ok(())
    }

    /// Whether any rule is about a database.
    pub fn concerns(&self, context: &Context, database: &str) -> bool {
        !self.rules(context, Some(database), None).is_empty()
    }
}

fn diagnostic(doubt: &Doubt, want: &Loaded) -> Diagnostic {
    let message =
        format!("{} has `{}` in a text, which may be a mapped name; it is left as it is", doubt.object, doubt.word);
    let found = Diagnostic::new(Code::WV013, message);
    match want.model.get(&doubt.object).and_then(|object| object.location) {
        Some(location) if !want.sources.is_empty() => found.at(location, "this body"),
        _ => found,
    }
}
