//! Constants for text search as their types write them, as far as they are plain
//! (<https://www.postgresql.org/docs/current/datatype-textsearch.html>).

/// A `tsvector` of words without positions: each once, the shorter first.
pub fn vector(text: &str) -> Option<String> {
    let mut words: Vec<&str> = text.split_whitespace().map(plain_word).collect::<Option<_>>()?;
    words.sort_by_key(|word| (word.len(), *word));
    words.dedup();
    Some(words.into_iter().map(quoted).collect::<Vec<_>>().join(" "))
}

/// A `tsquery` of words with one kind of operator between them.
pub fn query(text: &str) -> Option<String> {
    let spaced = text.replace('&', " & ").replace('|', " | ");
    let mut operator = None;
    let mut out = Vec::new();
    for (index, item) in spaced.split_whitespace().enumerate() {
        match item {
            "&" | "|" if index % 2 == 1 && operator.is_none_or(|before| before == item) => {
                operator = Some(item);
                out.push(item.to_owned());
            }
            word if index % 2 == 0 => out.push(quoted(plain_word(word)?)),
            _ => return None,
        }
    }
    (out.len() % 2 == 1).then(|| out.join(" "))
}

/// A word that can be written with quotes or without; the quotes may be doubled, as they are in a constant.
fn plain_word(word: &str) -> Option<&str> {
    let within = |quote: &str| word.strip_prefix(quote).and_then(|rest| rest.strip_suffix(quote));
    let inner = within("''").or_else(|| within("'")).unwrap_or(word);
    let is_plain = !inner.is_empty() && inner.chars().all(|ch| ch.is_alphanumeric() || ch == '_');
    is_plain.then_some(inner)
}

fn quoted(word: &str) -> String {
    format!("''{word}''")
}
