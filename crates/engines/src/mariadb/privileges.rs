//! Privileges of users and roles on objects, from the server's own tables: `information_schema` shows only one's own.

use wevrun_core::model::{Identifiers, Kind, Model, NameParts, Object, ObjectKey};
use wevrun_mariadb::MariaDb;

use super::connection::{MariaDatabase, text};
use super::rights;
use crate::error::LiveError;

const GRANTED: &str = "SELECT 'TABLE', Table_name, '', User, Host, Table_priv FROM mysql.tables_priv WHERE Db = DATABASE()
    UNION ALL SELECT 'TABLE', Table_name, Column_name, User, Host, Column_priv FROM mysql.columns_priv WHERE Db = DATABASE()
    UNION ALL SELECT Routine_type, Routine_name, '', User, Host, Proc_priv FROM mysql.procs_priv WHERE Db = DATABASE()";

impl MariaDatabase {
    /// Adds the privileges on every object; that they are not known where the user may not read them.
    pub(super) fn read_privileges(&mut self, model: &mut Model, grants: &[String]) -> Result<(), LiveError> {
        if !rights::sees_privileges(grants) {
            model.objects_mut().filter(|object| can_be_granted(object)).for_each(|object| {
                wevrun_mariadb::privileges_are_unread(&mut object.access);
            });
            return Ok(());
        }
        for row in self.rows(GRANTED)? {
            let [kind, name, column, user, host, privileges] =
                [0, 1, 2, 3, 4, 5].map(|at| text(&row, at).unwrap_or_default());
            let Some(object) = kinds(&kind).iter().find_map(|kind| find(model, *kind, &name)) else { continue };
            let Some(object) = model.get_mut(&object) else { continue };
            let user = wevrun_mariadb::user(&user, &host);
            for privilege in privileges.split(',').filter(|one| !one.is_empty()).map(str::to_lowercase) {
                let privilege = match (privilege.as_str(), column.as_str()) {
                    ("grant", _) => "grant option".to_owned(),
                    (own, "") => own.to_owned(),
                    (own, column) => format!("{own} ({})", column.to_lowercase()),
                };
                wevrun_mariadb::granted(&mut object.access, &privilege, &user);
            }
        }
        Ok(())
    }
}

fn can_be_granted(object: &Object) -> bool {
    !matches!(object.definition.kind(), Kind::Index | Kind::Trigger | Kind::Event)
}

fn kinds(word: &str) -> &'static [Kind] {
    match word {
        "TABLE" => &[Kind::Table, Kind::View, Kind::Sequence],
        "FUNCTION" => &[Kind::Function, Kind::Aggregate],
        "PROCEDURE" => &[Kind::Procedure],
        "PACKAGE" => &[Kind::Package],
        _ => &[Kind::PackageBody],
    }
}

fn find(model: &Model, kind: Kind, name: &str) -> Option<ObjectKey> {
    let parts = NameParts { identifier: name.into(), ..NameParts::default() };
    let key = ObjectKey::new(kind, MariaDb.name_of(kind, parts));
    model.get(&key).map(|object| object.key())
}
