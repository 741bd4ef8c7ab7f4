//! What a change of a column's type does to the values that are there
//! (<https://www.postgresql.org/docs/current/catalog-pg-cast.html>). A conversion is called free of loss only where it is known to be.

/// What a change of type does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Conversion {
    /// Nothing is written again.
    Free,
    /// All values fit, and are written again.
    Rewrite,
    /// The server converts by itself, and values may not fit.
    Lossy,
    /// Only an explicit cast converts.
    Explicit,
    /// There is no cast: values go through their text.
    ByText,
    /// What a value means depends on a time zone.
    Zoned,
}

/// A type's name in parts.
struct Type<'t> {
    /// The name without its modifiers: `timestamp with time zone`.
    base: String,
    /// Length, or precision and scale; as they are written.
    modifiers: Vec<&'t str>,
    is_array: bool,
}

impl<'t> Type<'t> {
    fn of(name: &'t str) -> Type<'t> {
        let element = name.trim_end_matches("[]");
        let is_array = element.len() < name.len();
        // A name in quotes may hold any character.
        let parts = element.split_once('(').filter(|_| !element.contains('"'));
        let Some((before, rest)) = parts else {
            return Type { base: element.to_owned(), modifiers: Vec::new(), is_array };
        };
        let (inner, after) = rest.split_once(')').unwrap_or((rest, ""));
        let modifiers = inner.split(',').map(str::trim).collect();
        Type { base: format!("{}{after}", before.trim_end()), modifiers, is_array }
    }

    fn number(&self, at: usize) -> Option<i64> {
        self.modifiers.get(at)?.parse().ok()
    }

    fn is_text(&self) -> bool {
        matches!(self.base.as_str(), "text" | "character varying")
    }
}

/// The conversion from one type to another, by their canonical names.
pub fn conversion(from: &str, to: &str) -> Conversion {
    let (a, b) = (Type::of(from), Type::of(to));
    if a.is_array || b.is_array {
        if a.is_array && b.is_array {
            let of_elements = conversion(from.trim_end_matches("[]"), to.trim_end_matches("[]"));
            return match of_elements {
                // The server checks and writes the elements of arrays one by one.
                Conversion::Free => Conversion::Rewrite,
                Conversion::Zoned => Conversion::ByText,
                other => other,
            };
        }
        let to_text = a.is_array && b.is_text() && b.modifiers.is_empty();
        return if to_text || !a.is_array && a.is_text() { Conversion::Explicit } else { Conversion::ByText };
    }
    if a.base == b.base || a.is_text() && b.is_text() {
        return if fits(&a, &b) { Conversion::Free } else { Conversion::Lossy };
    }
    if a.base.starts_with("interval") && b.base.starts_with("interval") {
        return Conversion::Lossy;
    }
    if is_moment(&a.base) && is_moment(&b.base) && has_zone(&a.base) != has_zone(&b.base) {
        return Conversion::Zoned;
    }
    const NUMBERS: [&str; 6] = ["smallint", "integer", "bigint", "numeric", "real", "double precision"];
    let rank = |one: &Type<'_>| NUMBERS.iter().position(|number| *number == one.base);
    match (rank(&a), rank(&b)) {
        (Some(a), Some(number)) if a < number && number <= 3 && b.modifiers.is_empty() => return Conversion::Rewrite,
        (Some(_), Some(_)) => return Conversion::Lossy,
        _ => {}
    }
    // Everything has a text; the server assigns it without being asked.
    if b.is_text() && b.modifiers.is_empty() {
        return if from.contains('.') { Conversion::Explicit } else { Conversion::Rewrite };
    }
    if a.base.starts_with("timestamp") && b.base.starts_with("timestamp")
        || a.base == "date" && b.base.starts_with("timestamp")
    {
        return Conversion::Lossy;
    }
    const EXPLICIT: [(&str, &str); 6] = [
        ("integer", "boolean"),
        ("boolean", "integer"),
        ("json", "jsonb"),
        ("jsonb", "json"),
        ("jsonb", "numeric"),
        ("jsonb", "boolean"),
    ];
    let cast = EXPLICIT.contains(&(a.base.as_str(), b.base.as_str()))
        || a.is_text()
        || a.base == "character"
        || is_moment(&a.base) && is_moment(&b.base) && a.base != "date";
    if cast { Conversion::Explicit } else { Conversion::ByText }
}

/// Whether every value of a type is one of the same type, or of text, with other modifiers.
fn fits(a: &Type<'_>, b: &Type<'_>) -> bool {
    if a.modifiers == b.modifiers && a.base == b.base {
        return true;
    }
    match b.base.as_str() {
        "numeric" => match (b.number(0), a.number(0)) {
            (None, _) => true,
            (Some(_), None) => false,
            (Some(precision), Some(before)) => {
                let (scale, old_scale) = (b.number(1).unwrap_or(0), a.number(1).unwrap_or(0));
                scale >= old_scale && precision - scale >= before - old_scale
            }
        },
        // Its length is a part of each value.
        "bit" => false,
        "text"
        | "character varying"
        | "character"
        | "bit varying"
        | "timestamp with time zone"
        | "timestamp without time zone"
        | "timestamp"
        | "time with time zone"
        | "time without time zone"
        | "time" => match (b.number(0), a.number(0)) {
            (None, _) => true,
            (Some(_), None) => false,
            (Some(after), Some(before)) => after >= before,
        },
        // Fields of intervals, and what extensions make of modifiers.
        _ => b.modifiers.is_empty() && b.base == a.base,
    }
}

fn is_moment(base: &str) -> bool {
    base == "date" || base.starts_with("timestamp") || base == "time" || base.starts_with("time ")
}

fn has_zone(base: &str) -> bool {
    base.ends_with("with time zone")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_keeps_every_value_is_free_of_loss() {
        use Conversion::{ByText, Explicit, Free, Lossy, Rewrite, Zoned};
        for (from, to, expected) in [
            ("character varying(20)", "character varying(30)", Free),
            ("character varying(20)", "character varying(5)", Lossy),
            ("text", "character varying(5)", Lossy),
            ("character varying(5)[]", "character varying(9)[]", Rewrite),
            ("character varying(9)[]", "character varying(5)[]", Lossy),
            ("numeric(10,4)", "numeric(10,2)", Lossy),
            ("numeric(10,4)", "numeric(12,6)", Free),
            ("numeric(10,4)", "numeric(12,7)", Lossy),
            ("numeric(10,4)[]", "numeric(10,2)[]", Lossy),
            ("numeric(10,4)", "numeric", Free),
            ("bit(4)", "bit(8)", Lossy),
            ("bit varying(4)", "bit varying(8)", Free),
            ("timestamp(0) with time zone", "timestamp(3) with time zone", Free),
            ("timestamp(0) with time zone", "timestamp(3) without time zone", Zoned),
            ("timestamp with time zone", "timestamp(3) with time zone", Lossy),
            ("timestamp without time zone", "timestamp with time zone", Zoned),
            ("date", "timestamp with time zone", Zoned),
            ("timestamp with time zone[]", "timestamp without time zone[]", ByText),
            ("date", "timestamp without time zone", Lossy),
            ("integer", "bigint", Rewrite),
            ("bigint", "integer", Lossy),
            ("integer", "numeric(5,2)", Lossy),
            ("integer", "text", Rewrite),
            ("integer[]", "text", Explicit),
            ("text", "integer", Explicit),
            ("text", "integer[]", Explicit),
            ("numeric", "text[]", ByText),
            ("interval", "interval day to second(3)", Lossy),
        ] {
            assert_eq!(conversion(from, to), expected, "{from} to {to}");
        }
    }
}
