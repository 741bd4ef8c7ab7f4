//! The stable codes of findings, and the texts of `wevrun explain`.

use std::fmt;

use super::Severity;

macro_rules! codes {
    ($($code:ident $severity:ident $title:literal $explanation:literal)*) => {
        /// A stable code. The hundreds are the stage: 0 reading, 1 references and names, 2 the engine's rules,
        /// 3 hints, 4 the project's files.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Code {
            $(#[doc = $title] $code,)*
        }

        impl Code {
            /// Every code.
            pub const ALL: &[Code] = &[$(Code::$code),*];

            /// The code as it is printed.
            pub fn name(self) -> &'static str {
                match self { $(Code::$code => stringify!($code),)* }
            }

            /// Its subject, in a few words.
            pub fn title(self) -> &'static str {
                match self { $(Code::$code => $title,)* }
            }

            /// Meaning, reason and remedy, with an example.
            pub fn explanation(self) -> &'static str {
                match self { $(Code::$code => $explanation,)* }
            }

            /// How much it usually weighs.
            pub fn severity(self) -> Severity {
                match self { $(Code::$code => Severity::$severity,)* }
            }
        }
    };
}

codes! {
    WV001 Error "the file is not text"
"DDL files are UTF-8 text. This one holds bytes that are not UTF-8, or NUL bytes, so it is
probably a database file, an archive, or a text in another encoding.

If it is no DDL, leave it out with the `source` globs in wevrun.toml. If it is, save it as
UTF-8."

    WV002 Error "a quote, bracket or comment is not closed"
"A quote, a bracket or a comment is opened and never closed, or a character is not allowed at its
place.

    CREATE TABLE hives (label TEXT DEFAULT 'unnamed);
                                           ^ opened here, never closed

Close it. A quote inside a quoted text is written twice: 'the queen''s hive'."

    WV003 Error "a parenthesis is not closed"
"Every ( in a statement needs its ), before the semicolon that ends the statement."

    WV004 Error "the statement is unknown"
"Source files define the schema. Wevrun reads CREATE, ALTER and DROP of every kind of object that
the engine has, follows session settings, and reports statements about rows in a note. An unknown
statement is an error: nothing is skipped silently.

If the statement is valid for the engine, that is a gap in Wevrun worth reporting. Until it is
closed, keep the statement in a file that the `source` globs leave out."

    WV005 Error "the statement has a syntax error"
"The beginning of the statement is known, but the rest does not follow the engine's grammar. The
message says what was expected and what was found."

    WV006 Error "CREATE TABLE … AS can't be used here"
"CREATE TABLE … AS SELECT takes its columns from the result of a query in one database. A
schema under version control must list its columns.

Write the columns out: CREATE TABLE apiaries_by_site (site_id INTEGER, apiaries INTEGER);"

    WV007 Note "a statement about rows is not part of the schema"
"INSERT, UPDATE, DELETE and similar statements change rows, not structure. Wevrun leaves them out of the
snapshot, and says so."

    WV008 Note "a temporary object is not part of the schema"
"A temporary table, view or trigger lives as long as one connection, so no database can be
compared with it. Roles, databases and tablespaces belong to the whole server: they are left
out as well."

    WV009 Error "a comment holds an unknown instruction to Wevrun"
"A comment that begins with `wevrun:` is an instruction. There is one:

    -- wevrun: formerly OLD_NAME

For a table, write it before CREATE TABLE or on its first line; for a column, on the column's line
or on the line before it."

    WV010 Warning "a block of code can't be part of the schema"
"A DO block creates or changes things while it runs, so it can't be part of a snapshot that is
built without a database. Two forms are read: IF NOT EXISTS (…) THEN … END IF around plain
statements, and plain statements with EXCEPTION WHEN duplicate_object THEN NULL.

Write what the block creates as plain statements, or keep the file out with the `source` globs in
wevrun.toml. Objects that are named in a block that is not read are left unchanged in a database: see WV011."

    WV011 Warning "an object is left unchanged because code in the source names it"
"The database has the object and the source does not define it, but a statement in the source that
runs code (a DO block, SELECT f(), CALL) names it. That code may have created it, so Wevrun neither
drops nor changes it, and reports it as unproven.

Define it with a plain statement. If it is no longer needed, remove its name from the code first."

    WV012 Note "an option is left out because its value may be a secret"
"Options of foreign servers, user mappings and foreign tables often hold passwords, keys and tokens. Only
options that are known to hold none are written to snapshots and scripts. Any other option is neither
compared nor changed: set it in the database by hand."

    WV013 Warning "a text may have a name that is mapped"
"`--map` or [[map]] in wevrun.toml gives objects the names that they have on the target. In the body of a routine,
Wevrun replaces names where the language's grammar shows what they are, and in texts, as in EXECUTE 'SELECT …', the names of
objects that are written with their schema. Any other word in a text, or in another language, may be such a name
or not: it is left as it is.

Read the body. If the word is a name, write it with its schema outside of texts, or use format('%I', …)
with a name that the routine is given."

    WV014 Warning "a clause has no effect"
"The server accepts the clause and does nothing with it, as MariaDB does with the foreign keys of tables that InnoDB
does not store. Wevrun reads the object without it.

Remove the clause, or change what keeps it from having an effect."

    WV101 Error "two objects have the same name"
"In SQLite, tables, views, virtual tables and indexes share one namespace; triggers have their
own. Letter case makes no difference: `Hives` and `hives` are one name.

Rename one, or delete the definition that is no longer needed. If a file drops and creates the
object again, the DROP must be before the CREATE, in the same file."

    WV102 Error "two columns of one table have the same name"
"Letter case makes no difference: `Weight` and `weight` are one name."

    WV110 Error "a table or view does not exist"
"A foreign key, index, view or trigger names a table or view that no file creates, or a table
names such a parent. Either the name is misspelled, or the file that creates it is not covered
by the `source` globs in wevrun.toml. DROP INDEX can't name an index that belongs to a constraint or
to an index of a partitioned table."

    WV111 Error "a column does not exist"
"A key, foreign key, index or trigger names a column that the table does not have, or a statement
changes a column that neither the table nor one of its parents has."

    WV112 Error "a foreign key references columns that are not unique"
"The referenced columns must be the parent's primary key, or have a UNIQUE constraint or a unique
index over exactly these columns, without a WHERE and with the columns' own collations
(<https://sqlite.org/foreignkeys.html#fk_indexes>). Otherwise the engine fails with \"foreign
key mismatch\" at the first change of a row.

Add UNIQUE (column, …) to the parent table, or let the foreign key reference its primary key."

    WV113 Error "a foreign key has more or fewer columns than it references"
"The number of columns must be the same on both sides. A foreign key that lists no parent columns
references the whole primary key."

    WV114 Error "a type, function, schema or label does not exist"
"A definition names a type, function, schema or label that neither the source nor the engine has, or compares values of
types that the engine can't compare. If the source creates an extension or a language, unknown types and functions
are not reported: the extension may have them. Objects that code in the source names (DO, SELECT f()) are assumed
to exist.

Correct the name, or create what is missing in a source file. If it is created in another way, put WV114 into `tolerate`
in wevrun.toml: then it is a warning."

    WV115 Error "a block in a PL/pgSQL body is not closed"
"An IF, CASE, loop or BEGIN has no END of its own, a THEN or LOOP is missing, or a statement has no semicolon. Scripts create
routines without letting the server check their bodies, because a body may name what is created later: the error would
show only when the routine is called. `--scratch URL` lets a server check everything else in bodies."

    WV116 Error "a dropped column is still used"
"ALTER TABLE … DROP COLUMN drops a column that a key, a CHECK, a foreign key, a generated column, an
index, a view or a trigger uses. The engine refuses that.

    CREATE TABLE hives (id INTEGER PRIMARY KEY, weight_kg REAL, CHECK (weight_kg > 0));
    ALTER TABLE hives DROP COLUMN weight_kg;
                                  ^ the CHECK uses it

Drop what uses the column first, or write the table without both."

    WV120 Error "views depend on each other in a cycle"
"Each of these views reads, directly or through others, from itself. No order
exists in which they can be created. Move the shared part into a separate view."

    WV130 Error "the engine's version does not support this"
"The project's `engine-version` in wevrun.toml says which version the databases run, and that
version does not support this construct yet. Raise the version if every database has been upgraded,
or rewrite it."

    WV131 Error "the table breaks a rule of the engine"
"The engine refuses the table for a reason that its manual gives: a STRICT table allows only the
types INT, INTEGER, REAL, TEXT, BLOB and ANY, each column must have one; WITHOUT ROWID needs a
primary key; AUTOINCREMENT needs an INTEGER PRIMARY KEY; a table has at most one primary key and
at least one column that is not generated."

    WV132 Error "the trigger is not allowed on this object"
"INSTEAD OF triggers belong to views; BEFORE and AFTER triggers belong to tables. Virtual tables
and the engine's own tables can't have triggers."

    WV133 Error "the object is not allowed on this object"
"Indexes belong to tables. A view or a virtual table can't be indexed, and a foreign key can't
reference one."

    WV200 Error "the engine refuses the object"
"After Wevrun's own checks the whole schema is compiled by the engine, in memory, as a second
opinion. The engine refused this object; the message is its own."

    WV201 Note "the built-in engine can't check the object"
"The object uses a function, collation or module that is not part of the engine that is built
into Wevrun: probably one that your application registers. The object is accepted; its name could
not be checked."

    WV202 Error "the engine does not have the function"
"The object calls a function that is not part of the engine. If the application registers it with
every connection, name it in wevrun.toml:

    functions = [\"grade\"]"

    WV300 Warning "a removed and an added name look like a rename"
"The script drops one column (or table) and adds another of the same type in the same place. If
it is the same thing under a new name, its rows would be lost for nothing.

Name the former name in the source, on the column's line or before CREATE TABLE:

    weight_g INTEGER NOT NULL, -- wevrun: formerly weight

Then the plan renames. If it really is another column, nothing needs to be done."

    WV301 Warning "a former name can't be used"
"The comment `-- wevrun: formerly OLD_NAME` can't be followed: two columns claim the same former
name."

    WV400 Error "wevrun.toml is not valid"
"The project's settings are wrong at the place shown. docs/project-file.md lists every key, and
docs/schema/project.schema.json lets an editor complete and check them."

    WV401 Error "an environment variable is not set"
"A target's URL names an environment variable as ${NAME}, so that no file holds a password.
Set the variable in the shell or in the pipeline's secrets."

    WV402 Error "waivers.toml is not valid"
"Each waiver names one risk, one object, a reason and the last day on which it holds:

    [[waiver]]
    risk = \"loses-column\"
    object = \"column hives.paint_colour\"
    reason = \"the colour is read from the photo now, see ticket 412\"
    until = \"2026-12-31\""
}

impl Code {
    /// Whether a project may tolerate it: databases exist that have it, and the engine opens them all the same.
    pub fn is_tolerable(self) -> bool {
        use Code::{WV110, WV111, WV112, WV113, WV114, WV115, WV120, WV133, WV200, WV202};
        matches!(self, WV110 | WV111 | WV112 | WV113 | WV114 | WV115 | WV120 | WV133 | WV200 | WV202)
    }

    /// The code of this name, in any letter case.
    pub fn find(name: &str) -> Option<Code> {
        Code::ALL.iter().copied().find(|code| code.name().eq_ignore_ascii_case(name))
    }
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}
