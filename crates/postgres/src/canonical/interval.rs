//! Intervals in the server's own spelling (`IntervalStyle = postgres`,
//! <https://www.postgresql.org/docs/current/datatype-datetime.html#DATATYPE-INTERVAL-OUTPUT>).

/// The canonical spelling of a constant of this type; none if the text is not understood. `interval day` and the like say what a
/// number alone counts, and what is cut off.
pub fn canonical(data_type: &str, text: &str) -> Option<String> {
    let fields = data_type.trim_start_matches("interval").trim();
    let (fields, precision) = match fields.split_once('(') {
        Some((fields, precision)) => (fields.trim(), precision.trim_end_matches(')').trim().parse::<u32>().ok()),
        None => (fields, None),
    };
    // What is smaller than the last field is cut off: only what has nothing there is followed.
    let counted = match fields {
        "" | "second" | "day to second" | "hour to second" | "minute to second" => "second",
        "year" | "month" | "day" | "hour" | "minute" if text.trim().parse::<i64>().is_ok() => fields,
        "year to month" if text.split('-').count() == 2 => {
            let (years, months) = text.trim().split_once('-')?;
            let (years, months): (u32, u32) = (years.parse().ok()?, months.parse().ok()?);
            return canonical("interval", &format!("{years} years {months} months"));
        }
        _ => {
            let whole = canonical("interval", text)?;
            let (has_days, has_time) = (whole.contains("day"), whole.contains(':'));
            let fits = match fields {
                "year" => !whole.contains("mon") && !has_days && !has_time,
                "month" | "year to month" => !has_days && !has_time,
                "day" => !has_time,
                "hour" | "day to hour" => !has_time || whole.ends_with(":00:00"),
                "minute" | "day to minute" | "hour to minute" => !has_time || whole.ends_with(":00"),
                _ => false,
            };
            return fits.then_some(whole);
        }
    };
    let (mut months, mut days, mut micros) = (0i64, 0i64, 0i64);
    if let Some(iso) = text.trim().strip_prefix('P') {
        return canonical(data_type, &of_iso(iso)?);
    }
    let lower = text.trim().to_lowercase();
    let ago = lower.ends_with(" ago");
    let lower = lower.trim_end_matches(" ago").trim_start_matches('@').trim().to_owned();
    let spaced: String = {
        // 1day is 1 day.
        let mut out = String::new();
        let mut previous = ' ';
        for ch in lower.chars() {
            if ch.is_ascii_alphabetic() && (previous.is_ascii_digit() || previous == '.') {
                out.push(' ');
            }
            out.push(ch);
            previous = ch;
        }
        out
    };
    let words: Vec<&str> = spaced.split_whitespace().collect();
    if words.is_empty() {
        return None;
    }
    let mut index = 0;
    while index < words.len() {
        let word = words[index];
        if word.contains(':') {
            micros += time(word)?;
            index += 1;
            continue;
        }
        let number: f64 = word.parse().ok()?;
        let unit = words.get(index + 1).copied().unwrap_or(counted);
        index += 2;
        let whole = number.fract() == 0.0;
        match unit.trim_end_matches('s') {
            "year" | "yr" | "y" if whole => months += number as i64 * 12,
            "decade" if whole => months += number as i64 * 120,
            "century" | "centurie" if whole => months += number as i64 * 1200,
            "month" | "mon" if whole => months += number as i64,
            "week" | "w" if whole => days += number as i64 * 7,
            "day" | "d" if whole => days += number as i64,
            "hour" | "hr" | "h" => micros += (number * 3_600_000_000.0).round() as i64,
            "minute" | "min" | "m" => micros += (number * 60_000_000.0).round() as i64,
            "second" | "sec" | "" => micros += (number * 1_000_000.0).round() as i64,
            "millisecond" | "m\u{0}" | "msec" => micros += (number * 1000.0).round() as i64,
            "microsecond" | "usec" | "u" => micros += number as i64,
            _ => return None,
        }
    }
    if ago {
        (months, days, micros) = (-months, -days, -micros);
    }
    if let Some(precision) = precision.filter(|precision| *precision < 6) {
        let unit = 10i64.pow(6 - precision);
        micros = (micros as f64 / unit as f64).round() as i64 * unit;
    }
    let mut out: Vec<String> = Vec::new();
    let mut negative_before = false;
    let mut part = |value: i64, unit: &str, plural: &str| {
        if value == 0 {
            return;
        }
        let sign = if negative_before && value > 0 { "+" } else { "" };
        out.push(format!("{sign}{value} {}", if value == 1 { unit } else { plural }));
        negative_before = value < 0;
    };
    part(months / 12, "year", "years");
    part(months % 12, "mon", "mons");
    part(days, "day", "days");
    if micros != 0 || out.is_empty() {
        let sign = if micros < 0 {
            "-"
        } else if negative_before {
            "+"
        } else {
            ""
        };
        let total = micros.unsigned_abs();
        let (hours, minutes, rest) = (total / 3_600_000_000, total / 60_000_000 % 60, total % 60_000_000);
        let fraction = rest % 1_000_000;
        let fraction =
            if fraction == 0 { String::new() } else { format!(".{fraction:06}").trim_end_matches('0').to_owned() };
        out.push(format!("{sign}{hours:02}:{minutes:02}:{:02}{fraction}", rest / 1_000_000));
    }
    Some(out.join(" "))
}

/// `1Y2M3DT4H5M6S`, what ISO 8601 has after its P, in words.
fn of_iso(text: &str) -> Option<String> {
    let (date, time) = text.split_once('T').unwrap_or((text, ""));
    let mut words = Vec::new();
    for (part, units) in [(date, "YMWD"), (time, "HMS")] {
        let mut rest = part;
        while !rest.is_empty() {
            let at = rest.find(|ch: char| ch.is_ascii_alphabetic())?;
            let (number, tail) = rest.split_at(at);
            let unit = tail.chars().next().filter(|unit| units.contains(*unit))?;
            let unit = match (unit, units) {
                ('Y', _) => "years",
                ('M', "YMWD") => "months",
                ('W', _) => "weeks",
                ('D', _) => "days",
                ('H', _) => "hours",
                ('M', _) => "minutes",
                _ => "seconds",
            };
            number.parse::<f64>().ok()?;
            words.push(format!("{number} {unit}"));
            rest = &tail[1..];
        }
    }
    (!words.is_empty()).then(|| words.join(" "))
}

/// `[-]HH:MM[:SS[.ffffff]]` in microseconds.
fn time(word: &str) -> Option<i64> {
    let (sign, word) = match word.strip_prefix('-') {
        Some(rest) => (-1, rest),
        None => (1, word.trim_start_matches('+')),
    };
    let parts: Vec<f64> = word.split(':').map(str::parse).collect::<Result<_, _>>().ok()?;
    let seconds = match parts[..] {
        [hours, minutes] => hours * 3600.0 + minutes * 60.0,
        [hours, minutes, seconds] => hours * 3600.0 + minutes * 60.0 + seconds,
        _ => return None,
    };
    Some(sign * (seconds * 1_000_000.0).round() as i64)
}

#[cfg(test)]
mod tests {
    use super::canonical;

    #[test]
    fn intervals_have_one_spelling() {
        for (text, expected) in [
            ("1 day", "1 day"),
            ("24 hours", "24:00:00"),
            ("1 month 2 days", "1 mon 2 days"),
            ("14 mons", "1 year 2 mons"),
            ("90 minutes", "01:30:00"),
            ("-1 day", "-1 days"),
            ("1 week", "7 days"),
            ("0", "00:00:00"),
            ("1.5 seconds", "00:00:01.5"),
            ("01:02:03.5", "01:02:03.5"),
            ("1 day ago", "-1 days"),
            ("30 days 04:00", "30 days 04:00:00"),
        ] {
            assert_eq!(canonical("interval", text).as_deref(), Some(expected), "{text}");
        }
        assert_eq!(canonical("interval", "soon"), None);
        for (data_type, text, expected) in [
            ("interval", "P1Y2M3DT4H5M6.5S", "1 year 2 mons 3 days 04:05:06.5"),
            ("interval", "PT90M", "01:30:00"),
            ("interval day", "1", "1 day"),
            ("interval hour", "3", "03:00:00"),
            ("interval year to month", "1-2", "1 year 2 mons"),
            ("interval(3)", "1.23456 s", "00:00:01.235"),
        ] {
            assert_eq!(canonical(data_type, text).as_deref(), Some(expected), "{data_type} {text}");
        }
        assert_eq!(canonical("interval day", "1 day 2 hours"), None);
    }
}
