//! SQLite has no owners and privileges.

use wevrun_core::compare::Privileges;

use crate::Sqlite;

impl Privileges for Sqlite {}
