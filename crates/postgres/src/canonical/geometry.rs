//! Geometric constants as their types write them (<https://www.postgresql.org/docs/current/datatype-geometric.html>).

/// The text of a constant of this type; none if it is not understood.
pub fn canonical(data_type: &str, text: &str) -> Option<String> {
    let trimmed = text.trim();
    let punctuation = |byte: u8| matches!(byte, b'(' | b')' | b'[' | b']' | b'{' | b'}' | b'<' | b'>' | b',' | b' ');
    let numbers: Option<Vec<f64>> = trimmed
        .split(|ch: char| u8::try_from(ch).is_ok_and(punctuation))
        .filter(|number| !number.is_empty())
        .map(|number| number.parse().ok().filter(|number: &f64| number.is_finite()))
        .collect();
    let numbers = numbers?;
    let points: Option<Vec<String>> = numbers
        .chunks(2)
        .map(|pair| if let [x, y] = pair { Some(format!("({},{})", shown(*x)?, shown(*y)?)) } else { None })
        .collect();
    Some(match (data_type, &numbers[..]) {
        ("point", [_, _]) => points?.join(","),
        ("lseg", [_, _, _, _]) => format!("[{}]", points?.join(",")),
        // The upper right corner is first.
        ("box", [a, b, c, d]) => {
            format!("({},{}),({},{})", shown(a.max(*c))?, shown(b.max(*d))?, shown(a.min(*c))?, shown(b.min(*d))?)
        }
        ("circle", [x, y, radius]) => format!("<({},{}),{}>", shown(*x)?, shown(*y)?, shown(*radius)?),
        ("line", [a, b, c]) if trimmed.starts_with('{') => format!("{{{},{},{}}}", shown(*a)?, shown(*b)?, shown(*c)?),
        ("path", [_, ..]) if trimmed.starts_with('[') => format!("[{}]", points?.join(",")),
        ("path" | "polygon", [_, ..]) => format!("({})", points?.join(",")),
        _ => return None,
    })
}

/// A number without an exponent; none for one that would have one.
fn shown(number: f64) -> Option<String> {
    (number == 0.0 || (1e-4..1e15).contains(&number.abs())).then(|| (number + 0.0).to_string())
}
