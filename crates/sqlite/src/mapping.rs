//! Objects of SQLite under other names.

use wevrun_core::mapping::Mapper;
use wevrun_core::model::{Model, ObjectKey, QualifiedName};

use crate::Sqlite;
use crate::rename::{self, Renames};

impl Mapper for Sqlite {
    fn rename_any(&self, model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
        rename::apply(model, &Renames::object(key, to));
    }
}
