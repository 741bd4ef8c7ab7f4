//! Objects as PostgreSQL's DDL.

use wevrun_core::model::{Clauses, Definition, Kind, Object};
use wevrun_core::render::Writer;

use crate::{Postgres, access, canonical, write};

impl Writer for Postgres {
    fn create_statement(&self, object: &Object) -> String {
        match object.definition.kind() {
            Kind::DefaultPrivileges => access::statements(object).join(";\n"),
            _ => write::statements(object).join(";\n"),
        }
    }

    fn source_text(&self, object: &Object) -> String {
        let mut statements = write::statements(object);
        statements.extend(write::owned_by(object));
        if let Some(table) = object.as_table() {
            statements.extend(write::late_foreign_keys(&object.name, table));
            statements.extend(write::named_parts(&object.name, table));
            statements.extend(write::late_settings(&object.name, &Clauses::default(), &table.clauses));
        }
        if let Definition::View(view) = &object.definition {
            statements.extend(write::clustered(&object.name, view));
        }
        // Names without a schema are looked for where they were written for.
        let path = canonical::path_for(object);
        if path != canonical::USUAL_PATH {
            statements.insert(0, format!("SET search_path TO {path}"));
            statements.push(format!("SET search_path TO {}", canonical::USUAL_PATH));
        }
        statements.join(";\n")
    }

    fn access_statements(&self, object: &Object) -> Vec<String> {
        access::statements(object)
    }
}
