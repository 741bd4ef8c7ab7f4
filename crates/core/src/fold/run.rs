//! The effect of a script on a model.

use rayon::prelude::*;

use super::{Completion, Folded, Folder, fold};
use crate::change::Scope;
use crate::diagnostics::Diagnostic;
use crate::model::Model;
use crate::parse::{ParsedSource, Statement, StatementKind, parse_source};
use crate::source::Source;

/// A model on which statements are run, one after the other, as the engine runs a script on a database.
pub struct Run<'d> {
    folder: Folder<'d>,
}

impl<'d> Run<'d> {
    /// Begins with a canonical model.
    pub fn new(dialect: &'d dyn Completion, model: &Model) -> Run<'d> {
        // What an object has from others is a part of its canonical form, and changes with them: so the model is read again from
        // the definitions of the objects.
        let objects: Vec<_> = model.objects().collect();
        let parsed: Vec<ParsedSource> = objects
            .par_iter()
            .map(|object| parse_source(dialect, &Source::new("", &dialect.source_text(object)), 0))
            .collect();
        let mut start = fold(dialect, parsed);
        for object in start.model.objects_mut() {
            object.location = None;
            if let Some(before) = model.get(&object.key()) {
                object.access.clone_from(&before.access);
                object.names_in.clone_from(&before.names_in);
            }
        }
        let mut folder = Folder::new(dialect, Folded { model: start.model, ..Folded::default() });
        folder.count_names();
        Run { folder }
    }

    /// Runs the statements of a text. Statements about rows and settings change nothing.
    ///
    /// Returns what was found wrong with them; such a statement has changed nothing.
    pub fn statements(&mut self, text: &str) -> Vec<Diagnostic> {
        let parsed = parse_source(self.folder.dialect, &Source::new("", text), 0);
        let mut found = parsed.diagnostics;
        found.extend(self.apply(parsed.statements));
        found
    }

    /// The same for statements that have been read.
    pub fn apply(&mut self, statements: Vec<Statement>) -> Vec<Diagnostic> {
        statements.into_iter().for_each(|statement| self.folder.run(statement));
        std::mem::take(&mut self.folder.folded.diagnostics)
    }

    /// The model as it is now, in canonical form.
    pub fn state(&self) -> Model {
        let mut model = self.folder.folded.model.clone();
        self.folder.dialect.finish(&mut model);
        model
    }
}

impl Folder<'_> {
    /// Runs one statement.
    fn run(&mut self, Statement { location, kind }: Statement) {
        let (kind, if_missing) = match kind {
            StatementKind::IfMissing(kind) => (*kind, true),
            kind => (kind, false),
        };
        match kind {
            StatementKind::Create { mut object, if_not_exists, or_replace } => {
                object.location = None;
                self.create(*object, if_not_exists || if_missing, or_replace);
                self.copy_all();
            }
            kind @ StatementKind::Alter(_) if if_missing => self.if_missing(kind, location),
            // It follows the object that it was generated with.
            StatementKind::Alter(alter)
                if self.find(&alter.kinds, &alter.name).is_none()
                    && self.dialect.is_generated(&self.folded.model, &alter.kinds, &alter.name) => {}
            StatementKind::Alter(alter) => self.alter(&alter, location),
            StatementKind::Drop { kind, name, if_exists, cascade } => {
                self.drop(kind, &name, (if_exists, cascade), location);
            }
            StatementKind::Grant(grant) => grant.change.apply(&mut self.folded.model, Scope::All),
            StatementKind::Aside { .. } | StatementKind::Session | StatementKind::IfMissing(_) => {}
        }
    }
}
