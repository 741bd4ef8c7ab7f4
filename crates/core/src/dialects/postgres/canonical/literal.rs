//! Constants of a type in the spelling in which the server gives them back.

use super::interval;

/// The text of a constant of this type as the type's output function writes it; none if it is the same or not understood.
pub fn canonical(data_type: &str, text: &str) -> Option<String> {
    let base = super::infer::base(data_type);
    match base.as_str() {
        "jsonb" => json(text),
        "interval" => interval::canonical(text),
        name if name.starts_with("interval") => interval::canonical(text),
        "time" | "time without time zone" => time(text),
        name if name.starts_with("timestamp") => moment(text).map(|moment| {
            // Midnight says no more than the day.
            let zoned = name.ends_with("with time zone");
            let moment = if zoned { moment } else { moment.strip_suffix("+00").unwrap_or(&moment).to_owned() };
            let day = moment.strip_suffix("+00").unwrap_or(&moment).strip_suffix(" 00:00:00").map(str::to_owned);
            day.unwrap_or(moment)
        }),
        "date" => text.strip_suffix(" 00:00:00").map(str::to_owned),
        name if name.ends_with("[]") => array(text),
        "uuid" | "macaddr" => Some(text.to_lowercase()),
        _ => None,
    }
    .filter(|canonical| canonical != text)
}

/// `12:00` is `12:00:00`.
fn time(text: &str) -> Option<String> {
    let parts: Vec<&str> = text.split(':').collect();
    let number = |part: &&str| part.len() <= 2 && part.parse::<u8>().is_ok();
    match &parts[..] {
        [hour, minute] if number(hour) && number(minute) => Some(format!("{hour:0>2}:{minute:0>2}:00")),
        [hour, minute, second] if number(hour) && number(minute) => {
            Some(format!("{hour:0>2}:{minute:0>2}:{second:0>2}"))
        }
        _ => None,
    }
}

/// A day is its midnight; a fraction of nothing is nothing.
fn moment(text: &str) -> Option<String> {
    let text = text.trim().replacen('T', " ", 1);
    let (day, rest) = text.split_once(' ').unwrap_or((&text, "00:00:00"));
    let numbers: Vec<&str> = day.split('-').collect();
    if numbers.len() != 3 || !numbers.iter().all(|number| number.bytes().all(|byte| byte.is_ascii_digit())) {
        return None;
    }
    let zone = rest.find(['+', '-', 'Z', 'z']).unwrap_or(rest.len());
    let (clock, zone) = rest.split_at(zone);
    let zone = match zone {
        "" | "Z" | "z" | "+00" | "+00:00" | "-00" => "+00",
        other => other,
    };
    Some(format!("{}-{:0>2}-{:0>2} {}{zone}", numbers[0], numbers[1], numbers[2], time(clock.trim())?))
}

/// An array of plain items without blanks between them.
fn array(text: &str) -> Option<String> {
    let inner = text.trim().strip_prefix('{')?.strip_suffix('}')?;
    if inner.contains(['"', '\\', '{']) {
        return None;
    }
    Some(format!("{{{}}}", inner.split(',').map(str::trim).collect::<Vec<_>>().join(",")))
}

/// `jsonb` keeps keys by length and name, each once, with a blank after colons and commas
/// (<https://www.postgresql.org/docs/current/datatype-json.html>).
fn json(text: &str) -> Option<String> {
    let value: serde_json::Value = serde_json::from_str(&text.replace("''", "'")).ok()?;
    let mut out = String::new();
    write_json(&value, &mut out);
    Some(out.replace('\'', "''"))
}

fn write_json(value: &serde_json::Value, out: &mut String) {
    match value {
        serde_json::Value::Object(fields) => {
            let mut keys: Vec<&String> = fields.keys().collect();
            keys.sort_by(|a, b| (a.len(), a.as_bytes()).cmp(&(b.len(), b.as_bytes())));
            out.push('{');
            for (index, key) in keys.into_iter().enumerate() {
                out.push_str(if index > 0 { ", " } else { "" });
                out.push_str(&serde_json::Value::String(key.clone()).to_string());
                out.push_str(": ");
                write_json(&fields[key], out);
            }
            out.push('}');
        }
        serde_json::Value::Array(items) => {
            out.push('[');
            for (index, item) in items.iter().enumerate() {
                out.push_str(if index > 0 { ", " } else { "" });
                write_json(item, out);
            }
            out.push(']');
        }
        other => out.push_str(&other.to_string()),
    }
}
