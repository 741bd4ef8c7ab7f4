//! Random changes of MariaDB schemas, as a person makes them over the years.

use rand::Rng;
use rand::rngs::SmallRng;

const TYPES: &[&str] = &[
    "int",
    "bigint",
    "varchar(20)",
    "varchar(40) NOT NULL DEFAULT 'x'",
    "decimal(8,2) DEFAULT 1",
    "text",
    "date",
    "datetime DEFAULT now()",
    "enum('a','b') DEFAULT 'b'",
    "json",
    "tinyint(1) NOT NULL DEFAULT true",
    "char(3) COLLATE utf8mb4_bin",
    "double",
    "int unsigned",
    "varchar(10) CHARACTER SET latin1",
    "timestamp NULL",
    "set('x','y')",
    "int COMMENT 'it''s'",
    "int CHECK (COLUMN > 0)",
    "int INVISIBLE",
];

fn one<'o>(random: &mut SmallRng, options: &[&'o str]) -> &'o str {
    options[random.random_range(0..options.len())]
}

/// One statement about the tables `t0` to `t2`. The server may refuse it.
pub fn statement(random: &mut SmallRng, number: usize) -> String {
    let table = format!("t{}", random.random_range(0..3));
    let other = format!("t{}", random.random_range(0..3));
    let mut column = || format!("c{}", random.random_range(0..7));
    let (a, b) = (column(), column());
    let data_type = one(random, TYPES).replace("COLUMN", &a);
    let place = one(random, &["", "", " FIRST", " AFTER id"]);
    let named = one(random, &["", "", "named"]);
    let key = if named.is_empty() { String::new() } else { format!("k{}", random.random_range(0..4)) };
    let constraint = if named.is_empty() { String::new() } else { format!("CONSTRAINT x{number}") };
    match random.random_range(0..26) {
        0..3 => format!("ALTER TABLE {table} ADD COLUMN {a} {data_type}{place}"),
        3..5 => format!("ALTER TABLE {table} MODIFY COLUMN {a} {data_type}{place}"),
        5 => format!("ALTER TABLE {table} CHANGE {a} {b} {}", one(random, TYPES).replace("COLUMN", &b)),
        6 => format!("ALTER TABLE {table} DROP COLUMN {a}"),
        7 => format!("ALTER TABLE {table} RENAME COLUMN {a} TO {b}"),
        8 => format!("ALTER TABLE {table} ADD KEY {key} ({a})"),
        9 => format!("ALTER TABLE {table} ADD UNIQUE {key} ({a}, {b})"),
        10 => format!("CREATE INDEX k{} ON {table} ({a} DESC)", random.random_range(0..4)),
        11 => format!("DROP INDEX k{} ON {table}", random.random_range(0..4)),
        12 => format!("ALTER TABLE {table} RENAME INDEX k0 TO k3"),
        13 => format!("ALTER TABLE {table} ADD {constraint} CHECK ({a} <> 3)"),
        14 => format!("ALTER TABLE {table} DROP CONSTRAINT CONSTRAINT_1"),
        15 => format!(
            "ALTER TABLE {table} ADD COLUMN p{number} int, ADD {constraint} FOREIGN KEY (p{number}) REFERENCES {other} (id)"
        ),
        16 => format!("ALTER TABLE {table} DROP FOREIGN KEY {table}_ibfk_1"),
        17 => format!("ALTER TABLE {table} ALTER COLUMN {a} SET DEFAULT 5"),
        18 => format!("ALTER TABLE {table} ALTER {a} DROP DEFAULT"),
        19 => format!(
            "ALTER TABLE {table} COMMENT='after {number}', {}",
            one(random, &["ROW_FORMAT=DYNAMIC", "STATS_PERSISTENT=1", "ENGINE=InnoDB"])
        ),
        20 => format!("RENAME TABLE {table} TO spare, {other} TO {table}, spare TO {other}"),
        21 => format!("ALTER TABLE {table} ADD COLUMN (x{number} int, y{number} varchar(9) UNIQUE), DROP COLUMN {a}"),
        22 => format!(
            "ALTER TABLE {table} {}",
            one(
                random,
                &[
                    "DEFAULT CHARSET=latin1",
                    "CONVERT TO CHARACTER SET latin1",
                    "COLLATE=utf8mb4_bin",
                    "CONVERT TO CHARACTER SET utf8mb4"
                ]
            )
        ),
        23 => {
            format!("ALTER TABLE {table} ADD COLUMN g{number} int AS ({a} + 1) {}", one(random, &["STORED", "VIRTUAL"]))
        }
        24 => format!("DROP TABLE IF EXISTS copy{number}, nothing{number}"),
        _ => format!("CREATE TABLE copy{number} LIKE {table}"),
    }
}
