//! The effects of SQLite's statements on a model, and the engine's additions.

use wevrun_core::change::Semantics;
use wevrun_core::fold::{Completion, Taken};
use wevrun_core::model::{Definition, Kind, Model, Name, Object, ObjectKey, QualifiedName};

use crate::rename::{self, Renames};
use crate::{Sqlite, parse, remove_shadow_tables, resolve};

impl Semantics for Sqlite {
    fn can_rename(&self, kind: Kind) -> bool {
        // There is no ALTER INDEX (https://sqlite.org/lang.html).
        kind != Kind::Index
    }

    fn rename_object(&self, model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
        rename::apply(model, &Renames::object(key, to));
    }

    fn rename_column(&self, model: &mut Model, table: &QualifiedName, from: &Name, to: &Name) {
        rename::apply(model, &Renames::column(table, from, to));
    }
}

impl Completion for Sqlite {
    fn settle(&self, object: &mut Object, _: &Taken) -> Vec<Object> {
        if let Definition::Table(table) = &mut object.definition {
            parse::settle(table);
        }
        Vec::new()
    }

    fn resolve_own_names(&self, table: &mut Object) {
        resolve::own(table);
    }

    fn users_of_column(&self, model: &Model, table: &QualifiedName, column: &Name) -> Vec<ObjectKey> {
        resolve::users_of_column(model, table, column)
    }

    fn resolve_names(&self, model: &mut Model) {
        resolve::canonical(model);
    }

    fn finish(&self, model: &mut Model) {
        remove_shadow_tables(model);
        resolve::all(model);
    }
}
