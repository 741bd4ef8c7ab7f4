//! Objects as MariaDB's DDL.

use wevrun_core::model::{Kind, Object};
use wevrun_core::render::Writer;

use crate::{MariaDb, grants, write};

impl Writer for MariaDb {
    fn create_statement(&self, object: &Object) -> String {
        write::create_statement(object)
    }

    fn source_text(&self, object: &Object) -> String {
        write::source_text(object)
    }

    fn access_statements(&self, object: &Object) -> Vec<String> {
        grants::statements(object)
    }

    fn source_texts(&self, object: &Object, owned: &[&Object]) -> Vec<String> {
        let (keys, others): (Vec<&Object>, Vec<&Object>) =
            owned.iter().partition(|object| object.definition.kind() == Kind::Index);
        let own = match object.as_table() {
            Some(table) => write::tables::create(&object.name, table, &keys),
            None => write::source_text(object),
        };
        [own].into_iter().chain(others.into_iter().map(write::source_text)).collect()
    }
}
