//! Objects of SQLite under other names.

use wevrun_core::mapping::{Mapper, Renamed};
use wevrun_core::model::{Model, ObjectKey, QualifiedName};

use crate::Sqlite;
use crate::rename::{self, Renames};

impl Mapper for Sqlite {
    fn rename_any(&self, model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
        rename::apply(model, &Renames::object(key, to));
    }

    fn rename_all(&self, model: &mut Model, names: &Renamed<'_>) -> Result<bool, String> {
        names.require_free(self, model)?;
        rename::apply(model, &Renames { objects: names.objects.clone(), columns: names.columns.clone() });
        Ok(true)
    }
}
