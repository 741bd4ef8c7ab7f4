//! Objects as SQLite's DDL.

use wevrun_core::model::Object;
use wevrun_core::render::Writer;

use crate::{Sqlite, write};

impl Writer for Sqlite {
    fn create_statement(&self, object: &Object) -> String {
        write::create_statement(object)
    }

    fn source_text(&self, object: &Object) -> String {
        wevrun_core::adopt::layout(self, object)
    }
}
