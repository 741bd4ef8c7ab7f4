//! Objects of SQLite under other names.

use wevrun_core::mapping::Mapper;
use wevrun_core::model::{Kind, Model, ObjectKey, QualifiedName};

use crate::{Sqlite, rename};

impl Mapper for Sqlite {
    fn rename_any(&self, model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
        match key.kind {
            // Views and triggers read from them.
            Kind::Table | Kind::VirtualTable => rename::table(model, &key.name, to),
            Kind::View => {
                rename::table(model, &key.name, to);
                rename::itself(model, key, to);
            }
            _ => rename::itself(model, key, to),
        }
    }
}
