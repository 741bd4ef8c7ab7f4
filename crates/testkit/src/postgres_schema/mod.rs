//! Random schemas for PostgreSQL, as the statements that make them.
//!
//! Every decision has a name. Its outcome is a matter of the schema's seed, and for a few of them of the side too: two
//! sides of one seed are much alike, and differ in every way that the names can.

mod features;

use std::fmt::Write;

use crate::dice::Dice;

/// A column's type and a default for it.
const TYPES: &[(&str, &str)] = &[
    ("integer", "0"),
    ("bigint", "(5 + 3)"),
    ("smallint", "-1"),
    ("numeric(10,2)", "1.50"),
    ("numeric", "0"),
    ("text", "'none'"),
    ("varchar(30)", "'it''s'"),
    ("char(5)", "'x'"),
    ("boolean", "false"),
    ("date", "CURRENT_DATE"),
    ("timestamp", "now()"),
    ("timestamptz", "CURRENT_TIMESTAMP"),
    ("interval", "'1 day'"),
    ("uuid", "gen_random_uuid()"),
    ("jsonb", "'{}'"),
    ("text[]", "'{}'"),
    ("double precision", "0.5"),
    ("bytea", "'\\x00'"),
    ("inet", "'10.0.0.1'"),
];

/// Types whose values can become one another's.
const GROUPS: &[&[usize]] = &[&[0, 1, 2, 3, 4, 16], &[5, 6], &[9, 10, 11]];

/// Types whose values can be compared with numbers.
fn is_number(data_type: &str) -> bool {
    ["integer", "bigint", "smallint", "numeric", "double precision"].iter().any(|name| data_type.starts_with(name))
}

fn is_text(data_type: &str) -> bool {
    ["text", "varchar", "char"].iter().any(|name| data_type.starts_with(name)) && !data_type.ends_with(']')
}

struct Column {
    name: String,
    data_type: String,
}

/// The statements of a schema for a server of this version. Sides of one seed that are not 0 differ from side 0 in about one
/// decision of `change`.
pub fn statements(seed: u64, side: u64, change: u64, version: u32) -> String {
    let dice = Dice { seed, side, change };
    usual(&dice) + &features::some(&dice, version).concat()
}

/// The optional features of a schema, each by itself with a title: the statements of a side as in [`statements`].
pub fn features(seed: u64, side: u64, change: u64, version: u32) -> Vec<(&'static str, String)> {
    features::each(&Dice { seed, side, change }, version)
}

/// Usual tables with the objects on them.
fn usual(dice: &Dice) -> String {
    let seed = dice.seed;
    let mut out = String::new();
    let mut line = |text: &str| writeln!(out, "{text};").expect("a String takes every byte");
    let schemas = if dice.yes("second schema", 5) { vec!["public", "apiary"] } else { vec!["public"] };
    if schemas.len() > 1 {
        line("CREATE SCHEMA apiary");
    }
    let enums: Vec<String> =
        (0..2).filter(|n| dice.yes(&format!("enum {n}"), 8)).map(|n| format!("public.kind_{n}")).collect();
    for name in &enums {
        let mut labels = vec!["'calm'", "'busy'"];
        if dice.yes(&format!("{name} third"), 5) {
            labels.push("'angry'");
        }
        if dice.yes(&format!("{name} middle"), 3) {
            labels.insert(1, "'it''s odd'");
        }
        line(&format!("CREATE TYPE {name} AS ENUM ({})", labels.join(", ")));
    }
    let domain = dice.yes("domain", 7);
    if domain {
        let default = if dice.yes("domain default", 5) { " DEFAULT 1" } else { "" };
        let limit = dice.one("domain limit", &["0", "-5"]);
        line(&format!("CREATE DOMAIN public.grams AS integer{default} CONSTRAINT fits CHECK (VALUE >= {limit})"));
    }
    if dice.yes("composite", 5) {
        let more = if dice.yes("composite more", 5) { ", note text" } else { "" };
        line(&format!("CREATE TYPE public.span AS (low integer, high numeric{more})"));
    }
    let sequence = dice.yes("sequence", 7);
    if sequence {
        let by = dice.one("sequence by", &["1", "5", "-1"]);
        let cache = dice.one("sequence cache", &["1", "20"]);
        line(&format!("CREATE SEQUENCE public.lots INCREMENT {by} CACHE {cache}"));
    }
    if dice.yes("function", 8) {
        let body = dice.one("function body", &["SELECT a + 1", "SELECT a * 2"]);
        let volatility = dice.one("function volatility", &["IMMUTABLE", "STABLE"]);
        let returns = dice.one("function returns", &["integer", "bigint"]);
        line(&format!(
            "CREATE FUNCTION public.more(a integer) RETURNS {returns} LANGUAGE sql {volatility} AS $$ {body} $$"
        ));
    }
    if dice.yes("overload", 4) {
        line(
            "CREATE FUNCTION public.more(a text, b text DEFAULT 'x') RETURNS text LANGUAGE plpgsql AS $$ BEGIN RETURN a || b; END $$",
        );
    }
    line("CREATE FUNCTION public.touch() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RETURN NEW; END $$");

    let mut tables: Vec<(String, Vec<Column>)> = Vec::new();
    for n in 0..5 {
        if !dice.yes(&format!("table {n}"), 8) {
            continue;
        }
        let bare = ["hives", "queens", "Odd \"Name\"; --", "sites", "lots_of"][n];
        let schema = if n == 3 && schemas.len() > 1 { "apiary" } else { "public" };
        let quoted = format!("\"{}\"", bare.replace('"', "\"\""));
        let name = format!("{schema}.{quoted}");
        let own = |what: &str| format!("table {n} {what}");
        let mut columns = vec![Column { name: "id".to_owned(), data_type: "integer".to_owned() }];
        let mut elements = vec![match dice.pick(&own("id"), 4) {
            0 => "id integer NOT NULL".to_owned(),
            1 => "id serial".to_owned(),
            2 => "id integer GENERATED ALWAYS AS IDENTITY".to_owned(),
            _ => "id integer GENERATED BY DEFAULT AS IDENTITY (START WITH 10)".to_owned(),
        }];
        let mut comments = Vec::new();
        for c in 0..7 {
            let own = |what: &str| format!("table {n} column {c} {what}");
            if !dice.yes(&own("is there"), 7) {
                continue;
            }
            let column = ["label", "weight", "\"Kind Of\"", "made", "data", "ratio", "\"select\""][c];
            // Mostly a type that values of the other side's can become.
            let of_seed = dice.number((&own("type"), seed, 0)) as usize % (TYPES.len() + 3);
            let choice = match GROUPS.iter().find(|group| group.contains(&of_seed)) {
                _ if dice.yes(&own("any type"), 1) => dice.pick(&own("type"), TYPES.len() as u64 + 3) as usize,
                Some(group) => group[dice.pick(&own("type in group"), group.len() as u64) as usize],
                None => of_seed,
            };
            let (data_type, default) = match choice.checked_sub(TYPES.len()) {
                None => (TYPES[choice].0.to_owned(), TYPES[choice].1.to_owned()),
                Some(0) if domain => ("public.grams".to_owned(), "5".to_owned()),
                Some(1) if sequence => ("bigint".to_owned(), "nextval('public.lots')".to_owned()),
                Some(_) if !enums.is_empty() => (enums[0].clone(), "'busy'".to_owned()),
                Some(_) => ("text".to_owned(), "''".to_owned()),
            };
            let mut element = format!("{column} {data_type}");
            if is_text(&data_type) && dice.yes(&own("collate"), 2) {
                element += " COLLATE \"C\"";
            }
            let has_default = dice.yes(&own("default"), 4);
            if has_default {
                element += &format!(" DEFAULT {default}");
            }
            // What must not be NULL has a default, so that rows that are there do not stop the script.
            if has_default && dice.yes(&own("not null"), 5) {
                element += " NOT NULL";
            }
            if dice.yes(&own("comment"), 2) {
                comments.push(format!("COMMENT ON COLUMN {name}.{column} IS 'the {c}th; it''s odd'"));
            }
            elements.push(element);
            columns.push(Column { name: column.to_owned(), data_type });
        }
        let number =
            columns.iter().skip(1).find(|column| is_number(&column.data_type) || column.data_type == "public.grams");
        let text = columns.iter().find(|column| is_text(&column.data_type));
        if let Some(number) = number.filter(|_| dice.yes(&own("generated"), 3)) {
            elements.push(format!("twice numeric GENERATED ALWAYS AS ({} * 2) STORED", number.name));
        }
        if dice.yes(&own("key"), 8) {
            elements.push(format!(
                "{}PRIMARY KEY (id)",
                if dice.yes(&own("key name"), 3) { format!("CONSTRAINT key_{n} ") } else { String::new() }
            ));
        }
        if let Some(number) = number.filter(|_| dice.yes(&own("check"), 5)) {
            let condition = dice.one(
                &own("condition"),
                &["> -100", "BETWEEN -5 AND 5000", "IN (0, 1, 5, 8, -1)", "IS NOT NULL OR id > 0"],
            );
            elements.push(format!("CHECK ({} {condition})", number.name));
        }
        if let Some(text) = text.filter(|_| dice.yes(&own("text check"), 3)) {
            elements
                .push(format!("CONSTRAINT text_{n} CHECK ({} <> 'never' AND length({}) < 1000)", text.name, text.name));
        }
        if let Some(text) = text.filter(|_| dice.yes(&own("unique"), 3)) {
            let late = if dice.yes(&own("late"), 3) { " DEFERRABLE" } else { "" };
            elements.push(format!("UNIQUE (id, {}){late}", text.name));
        }
        let filled = if dice.yes(&own("fillfactor"), 2) { " WITH (fillfactor = 70)" } else { "" };
        line(&format!("CREATE TABLE {name} (\n    {}\n){filled}", elements.join(",\n    ")));
        if dice.yes(&own("comment"), 3) {
            line(&format!("COMMENT ON TABLE {name} IS 'table {n}'"));
        }
        comments.iter().for_each(|comment| line(comment));
        if let Some(text) = text.filter(|_| dice.yes(&own("index"), 6)) {
            let what =
                dice.one(&own("index on"), &["lower({})", "{}", "{} DESC", "({} || 'x')"]).replace("{}", &text.name);
            let only = if dice.yes(&own("partial"), 3) {
                format!(" WHERE {} IS NOT NULL AND id <> 5", text.name)
            } else {
                String::new()
            };
            let unique = if dice.yes(&own("unique index"), 2) { "UNIQUE " } else { "" };
            line(&format!("CREATE {unique}INDEX by_text_{n} ON {name} ({what}, id){only}"));
        }
        if dice.yes(&own("trigger"), 4) {
            let event = dice.one(&own("trigger on"), &["INSERT", "INSERT OR UPDATE", "UPDATE OF id"]);
            let when = dice.one(&own("trigger when"), &["", "WHEN (NEW.id > 5) "]);
            line(&format!(
                "CREATE TRIGGER touched BEFORE {event} ON {name} FOR EACH ROW {when}EXECUTE FUNCTION public.touch()"
            ));
        }
        if dice.yes(&own("policy"), 3) {
            let using = dice.one(&own("policy using"), &["id > 0", "id BETWEEN 1 AND 100"]);
            line(&format!("CREATE POLICY own ON {name} FOR SELECT USING ({using})"));
            if dice.yes(&own("security"), 5) {
                line(&format!("ALTER TABLE {name} ENABLE ROW LEVEL SECURITY"));
            }
        }
        if dice.yes(&own("statistics"), 2) && columns.len() > 2 {
            line(&format!("CREATE STATISTICS {schema}.stats_{n} ON id, {} FROM {name}", columns[1].name));
        }
        tables.push((name, columns));
    }
    if dice.yes("fast table", 5) {
        let unlogged = dice.one("unlogged", &["UNLOGGED ", ""]);
        line(&format!("CREATE {unlogged}TABLE public.fast (id integer)"));
    }
    // Foreign keys to tables that have a key, in any direction.
    for (a, (name, _)) in tables.iter().enumerate() {
        for (b, (parent, _)) in tables.iter().enumerate() {
            let own = format!("reference {name} {parent}");
            if dice.yes(&own, 3) && a != b {
                let unique = format!("target_{b}");
                line(&format!("CREATE UNIQUE INDEX IF NOT EXISTS {unique}_{a} ON {parent} (id)"));
                let action = dice.one(
                    &format!("{own} action"),
                    &["", " ON DELETE CASCADE", " ON UPDATE CASCADE ON DELETE SET NULL"],
                );
                let late = dice.one(&format!("{own} late"), &["", " DEFERRABLE INITIALLY DEFERRED"]);
                line(&format!(
                    "ALTER TABLE {name} ADD CONSTRAINT to_{b} FOREIGN KEY (id) REFERENCES {parent} (id){action}{late}"
                ));
            }
        }
    }
    let mut views: Vec<String> = Vec::new();
    for (n, (name, columns)) in tables.iter().enumerate() {
        let own = |what: &str| format!("view of {name} {what}");
        if !dice.yes(&own("is there"), 6) {
            continue;
        }
        let listed: Vec<&str> =
            columns.iter().map(|column| column.name.as_str()).filter(|column| dice.yes(&own(column), 7)).collect();
        let listed = if listed.is_empty() { "id".to_owned() } else { listed.join(", ") };
        let condition = dice.one(
            &own("where"),
            &["", " WHERE id BETWEEN 1 AND 10", " WHERE id IN (1, 2, 3) OR id > 100", " WHERE NOT id = 4"],
        );
        let view = format!("public.view_{n}");
        let materialized = if dice.yes(&own("kept"), 2) { "MATERIALIZED " } else { "" };
        line(&format!("CREATE {materialized}VIEW {view} AS SELECT id AS number, {listed} FROM {name} t{condition}"));
        if dice.yes(&own("comment"), 3) {
            line(&format!("COMMENT ON {materialized}VIEW {view} IS 'seen'"));
        }
        views.push(view);
    }
    if let [first, rest @ ..] = &views[..]
        && dice.yes("view of views", 6)
    {
        let join: String = rest
            .iter()
            .enumerate()
            .map(|(n, view)| format!(" LEFT JOIN {view} v{n} ON v{n}.number = a.number"))
            .collect();
        let counted = dice.one("counted", &["count(*)", "count(DISTINCT a.number)", "max(a.number)"]);
        line(&format!(
            "CREATE VIEW public.above AS SELECT a.number, {counted} AS counted FROM {first} a{join} GROUP BY a.number"
        ));
    }
    if dice.yes("partitions", 5) {
        let key = dice.one("partition key", &["RANGE (day)"]);
        let note = if dice.yes("partition note", 5) { ", note text" } else { "" };
        line(&format!("CREATE TABLE public.inspections (day date NOT NULL, hive integer{note}) PARTITION BY {key}"));
        for year in 2024..2027 {
            if dice.yes(&format!("partition {year}"), 6) {
                line(&format!(
                    "CREATE TABLE public.inspections_{year} PARTITION OF public.inspections FOR VALUES FROM ('{year}-01-01') TO ('{}-01-01')",
                    year + 1
                ));
            }
        }
        if dice.yes("partition index", 5) {
            line("CREATE INDEX inspections_by_hive ON public.inspections (hive)");
        }
    }
    out
}
