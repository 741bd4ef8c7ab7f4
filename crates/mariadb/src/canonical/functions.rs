//! Functions that the server calls by another name, or writes as something else (`item_create.cc`, `sql_yacc.yy`).

/// Synonyms: what a person may write, and what the server writes. Each pair was measured on 10.11.
const SYNONYMS: &[(&str, &str)] = &[
    ("character_length", "char_length"),
    ("ceil", "ceiling"),
    ("curdate", "curdate"),
    ("current_date", "curdate"),
    ("current_time", "curtime"),
    ("current_timestamp", "current_timestamp"),
    ("day", "dayofmonth"),
    ("length", "octet_length"),
    ("localtime", "current_timestamp"),
    ("localtimestamp", "current_timestamp"),
    ("lower", "lcase"),
    ("mid", "substr"),
    ("now", "current_timestamp"),
    ("nvl", "ifnull"),
    ("power", "pow"),
    ("schema", "database"),
    ("session_user", "user"),
    ("sha1", "sha"),
    ("std", "std"),
    ("stddev", "std"),
    ("stddev_pop", "std"),
    ("substring", "substr"),
    ("system_user", "user"),
    ("upper", "ucase"),
    ("var_pop", "variance"),
    ("asbinary", "st_aswkb"),
    ("aswkt", "st_astext"),
    ("disjoint", "mbrdisjoint"),
    ("glength", "st_length"),
    ("intersects", "mbrintersects"),
    ("mbrequal", "mbrequals"),
    ("mbrtouches", "st_touches"),
    ("overlaps", "mbroverlaps"),
    ("st_asbinary", "st_aswkb"),
    ("st_aswkt", "st_astext"),
    ("st_srid", "srid"),
];

/// Spatial functions that the server writes with `ST_`.
const SPATIAL: &str = " area astext aswkb boundary buffer centroid contains convexhull crosses dimension endpoint envelope equals exteriorring \
     geometryn geometrytype interiorringn isclosed isempty isring issimple numgeometries numinteriorrings numpoints pointn \
     pointonsurface startpoint touches within x y ";

/// Geometries whose constructors from a text or from bytes are one function.
const GEOMETRIES: &str = " geom geometry point line linestring poly polygon mpoint multipoint mline multilinestring mpoly multipolygon geomcoll \
     geometrycollection ";

/// The name that the server writes.
pub fn name(written: &str) -> String {
    let lower = written.to_ascii_lowercase();
    if let Some((_, name)) = SYNONYMS.iter().find(|(own, _)| *own == lower) {
        return (*name).to_owned();
    }
    if is_in(SPATIAL, &lower) {
        return format!("st_{lower}");
    }
    let bare = lower.strip_prefix("st_").unwrap_or(&lower);
    match bare.split_once("from") {
        Some((geometry, source @ ("text" | "wkb"))) if is_in(GEOMETRIES, geometry) => {
            format!("st_geometryfrom{source}")
        }
        _ => lower,
    }
}

fn is_in(words: &str, word: &str) -> bool {
    words.contains(&format!(" {word} "))
}

/// Units of time (<https://mariadb.com/kb/en/date-and-time-units/>).
pub const UNITS: [&str; 20] = [
    "microsecond",
    "second",
    "minute",
    "hour",
    "day",
    "week",
    "month",
    "quarter",
    "year",
    "second_microsecond",
    "minute_microsecond",
    "minute_second",
    "hour_microsecond",
    "hour_second",
    "hour_minute",
    "day_microsecond",
    "day_second",
    "day_minute",
    "day_hour",
    "year_month",
];

/// The unit of a word, without the prefix that the standard's function takes.
pub fn unit(word: &str) -> Option<String> {
    let lower = word.to_ascii_lowercase();
    let lower = lower.strip_prefix("sql_tsi_").unwrap_or(&lower);
    UNITS.contains(&lower).then(|| lower.to_owned())
}

/// The type of a CAST as the server writes it; none if it is not known.
pub fn cast_type(written: &str) -> Option<String> {
    let lower = written.to_ascii_lowercase();
    let (head, arguments) = match lower.split_once('(') {
        Some((head, rest)) => (head.trim().to_owned(), rest.split_once(')')?),
        None => (lower.clone(), ("", "")),
    };
    let (arguments, rest) = arguments;
    let mut words: Vec<&str> = head.split_whitespace().chain(rest.split_whitespace()).collect();
    let sized = |name: &str| {
        if arguments.is_empty() { name.to_owned() } else { format!("{name}({})", arguments.replace(' ', "")) }
    };
    // CHARACTER SET and CHARSET are one.
    if let Some(at) = words.windows(2).position(|pair| pair == ["character", "set"]) {
        words.splice(at..at + 2, ["charset"]);
    }
    let charset = words.iter().position(|word| *word == "charset").and_then(|at| words.get(at + 1)).copied();
    let is_binary = words.get(1..).is_some_and(|rest| rest.contains(&"binary"));
    Some(match (*words.first()?, charset) {
        ("unsigned", _) => "unsigned".to_owned(),
        ("signed" | "int" | "integer", _) => "signed".to_owned(),
        ("decimal" | "dec" | "numeric", _) => match arguments.replace(' ', "") {
            none if none.is_empty() => "decimal(10,0)".to_owned(),
            some if some.contains(',') => format!("decimal({some})"),
            some => format!("decimal({some},0)"),
        },
        ("date", _) => "date".to_owned(),
        ("time", _) => sized("time"),
        ("datetime", _) => sized("datetime"),
        ("double" | "float" | "real", _) => sized(if words[0] == "real" { "double" } else { words[0] }),
        ("binary" | "varbinary", _) => format!("{} charset binary", sized("char")),
        ("nchar", _) | ("national", _) => format!("{} charset utf8mb3", sized("char")),
        ("char" | "character" | "varchar", Some(charset)) => {
            format!("{} charset {}", sized("char"), crate::charset::character_set(charset))
        }
        ("char" | "character" | "varchar", None) if !is_binary => format!("{} charset utf8mb4", sized("char")),
        _ => return None,
    })
}
