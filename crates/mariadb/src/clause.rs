//! The clauses of MariaDB objects: each key with the type of its value.

use wevrun_core::model::{Clause, ClauseFamily, Expression, Flag, Name, QualifiedName};

// Columns.
pub const AUTO_INCREMENT: Clause<'static, Flag> = Clause::new("auto_increment");
pub const CHECK: Clause<'static, Expression> = Clause::new("check");
pub const COMMENT: Clause<'static, String> = Clause::new("comment");
pub const COMPRESSED: Clause<'static, String> = Clause::new("compressed");
pub const INVISIBLE: Clause<'static, Flag> = Clause::new("invisible");
pub const ON_UPDATE: Clause<'static, Expression> = Clause::new("on update");
pub const REF_SYSTEM_ID: Clause<'static, String> = Clause::new("ref_system_id");
pub const ROW_MOMENT: Clause<'static, String> = Clause::new("generated always as row");
pub const SYSTEM_VERSIONING: Clause<'static, String> = Clause::new("system versioning");

// Tables.
pub const COLLATE: Clause<'static, String> = Clause::new("collate");
pub const ENGINE: Clause<'static, Expression> = Clause::new("engine");
/// CREATE TABLE … LIKE, until that table is there.
pub const LIKE: Clause<'static, QualifiedName> = Clause::new("like");
pub const OPTION: ClauseFamily<Expression> = ClauseFamily::new("with.");
pub const PARTITION_BY: Clause<'static, Expression> = Clause::new("partition by");
pub const PERIOD: ClauseFamily<Vec<Name>> = ClauseFamily::new("period for ");

// Keys.
pub const IGNORED: Clause<'static, Flag> = Clause::new("ignored");
pub const KEY_BLOCK_SIZE: Clause<'static, String> = Clause::new("key_block_size");
pub const KIND: Clause<'static, String> = Clause::new("kind");
pub const LENGTH: Clause<'static, String> = Clause::new("length");
pub const LENGTH_OF: ClauseFamily<String> = ClauseFamily::new("length of ");
pub const PARSER: Clause<'static, String> = Clause::new("with parser");
pub const USING: Clause<'static, String> = Clause::new("using");
pub const WITHOUT_OVERLAPS: Clause<'static, Name> = Clause::new("without overlaps");

// Views.
pub const ALGORITHM: Clause<'static, String> = Clause::new("algorithm");
pub const CHECK_OPTION: Clause<'static, String> = Clause::new("check option");

// Programs.
pub const BODY: Clause<'static, Expression> = Clause::new("body");
pub const DATA_ACCESS: Clause<'static, String> = Clause::new("data access");
pub const DETERMINISTIC: Clause<'static, Flag> = Clause::new("deterministic");
pub const EVENT: Clause<'static, String> = Clause::new("event");
/// Where a trigger has its place among others: written as `FOLLOWS` or `PRECEDES` and a name, and not compared.
pub const PLACE: Clause<'static, Expression> = Clause::new("place");
pub const PARAMETERS: Clause<'static, Expression> = Clause::new("parameters");
pub const RETURNS: Clause<'static, Expression> = Clause::new("returns");
pub const SQL_MODE: Clause<'static, String> = Clause::new("sql_mode");
pub const SQL_SECURITY: Clause<'static, String> = Clause::new("sql security");
pub const TIMING: Clause<'static, String> = Clause::new("timing");

// Events.
pub const ON_COMPLETION: Clause<'static, String> = Clause::new("on completion");
pub const SCHEDULE: Clause<'static, Expression> = Clause::new("schedule");
pub const STATUS: Clause<'static, String> = Clause::new("status");

// Sequences.
pub const CACHE: Clause<'static, String> = Clause::new("cache");
pub const CYCLE: Clause<'static, Flag> = Clause::new("cycle");
pub const INCREMENT: Clause<'static, String> = Clause::new("increment");
pub const MAXVALUE: Clause<'static, String> = Clause::new("maxvalue");
pub const MINVALUE: Clause<'static, String> = Clause::new("minvalue");
pub const START: Clause<'static, String> = Clause::new("start");

// Who runs it: read always, compared with privileges.
/// A privilege and the user or role that has it.
pub const GRANT: ClauseFamily<Expression> = ClauseFamily::new("grant ");
/// The privileges on the object could not be read.
pub const GRANTS_UNREAD: Clause<'static, Expression> = Clause::new("grants unread");
pub const DEFINER: Clause<'static, String> = Clause::new("definer");
