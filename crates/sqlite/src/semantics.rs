//! What SQLite's statements do to a model, and what the engine adds to what they say.

use wevrun_core::change::Semantics;
use wevrun_core::fold::{Completion, Taken};
use wevrun_core::model::{Definition, Kind, Model, Name, Object, ObjectKey, QualifiedName};

use crate::{Sqlite, canonical, parse, remove_shadow_tables, rename};

impl Semantics for Sqlite {
    fn can_rename(&self, kind: Kind) -> bool {
        // There is no ALTER INDEX (https://sqlite.org/lang.html).
        kind != Kind::Index
    }

    fn rename_object(&self, model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
        let from = &key.name;
        rename::table(model, from, to);
    }

    fn rename_column(&self, model: &mut Model, table: &QualifiedName, from: &Name, to: &Name) {
        rename::column(model, table, from, to);
    }
}

impl Completion for Sqlite {
    fn settle(&self, object: &mut Object, _: &Taken) -> Vec<Object> {
        if let Definition::Table(table) = &mut object.definition {
            parse::settle(table);
        }
        Vec::new()
    }

    fn finish(&self, model: &mut Model) {
        remove_shadow_tables(model);
        canonical::finish(model);
    }
}
