//! Texts of the server that the parser of expressions does not read, respelled so that it does.

use std::borrow::Cow;

use super::super::tokens;
use wevrun_core::model::Span;
use wevrun_core::parse::{TokenKind, token};

/// Types whose constants the parser does not read where the type stands before them.
const TYPED_TEXTS: [&str; 22] = [
    "INET",
    "CIDR",
    "MACADDR",
    "MACADDR8",
    "MONEY",
    "POINT",
    "LSEG",
    "BOX",
    "CIRCLE",
    "PATH",
    "POLYGON",
    "TSVECTOR",
    "TSQUERY",
    "INT4RANGE",
    "INT8RANGE",
    "NUMRANGE",
    "TSRANGE",
    "TSTZRANGE",
    "DATERANGE",
    "UUID",
    "REGCLASS",
    "BYTEA",
];

/// A text that the parser of expressions reads, and where it differs from the text that it is made of.
pub struct Readable<'t> {
    /// The text to parse.
    pub text: Cow<'t, str>,
    /// Each replaced part: its place in the parsed text, and in the text as it was.
    replaced: Vec<(Span, Span)>,
}

impl<'t> Readable<'t> {
    fn unchanged(text: &'t str) -> Readable<'t> {
        Readable { text: Cow::Borrowed(text), replaced: Vec::new() }
    }

    /// The place in the text as it was of a place in the parsed text; none if a part of it was replaced.
    pub fn place(&self, span: Span) -> Option<Span> {
        let after = self.replaced.partition_point(|(now, _)| now.end <= span.start);
        if self.replaced.get(after).is_some_and(|(now, _)| now.start < span.end) {
            return None;
        }
        let (now, was) = after.checked_sub(1).map_or((0, 0), |at| (self.replaced[at].0.end, self.replaced[at].1.end));
        Some(Span { start: span.start - now + was, end: span.end - now + was })
    }
}

/// A text that is being respelled.
struct Respelling<'t> {
    text: &'t str,
    out: String,
    done: usize,
    replaced: Vec<(Span, Span)>,
}

impl Respelling<'_> {
    /// Puts words in place of a part of the text.
    fn replace(&mut self, from: usize, to: usize, words: &str) {
        self.out.push_str(&self.text[self.done..from]);
        let start = self.out.len() as u32;
        self.out.push_str(words);
        let now = Span { start, end: self.out.len() as u32 };
        self.replaced.push((now, Span { start: from as u32, end: to as u32 }));
        self.done = to;
    }
}

/// The text with spellings that the parser does not know replaced by others that mean the same.
pub fn readable(text: &str) -> Readable<'_> {
    let upper = text.to_ascii_uppercase();
    if ![
        "BOTH FROM",
        "LEADING FROM",
        "TRAILING FROM",
        "ISNULL",
        "NOTNULL",
        "ONLY",
        "&>",
        "OPERATOR(",
        "VARIADIC ARRAY",
        "::INTERVAL",
        ":=",
        "COLLATE",
        "0X",
    ]
    .iter()
    .any(|words| upper.contains(words))
        && !TYPED_TEXTS.iter().any(|name| upper.contains(name))
    {
        return Readable::unchanged(text);
    }
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    let is = |index: usize, word: &str| tokens.get(index).is_some_and(|token| token.is_word(text, word));
    let mut respelled = Respelling { text, out: String::with_capacity(text.len()), done: 0, replaced: Vec::new() };
    let mut index = 0;
    let mut closing: Vec<usize> = Vec::new();
    while index < tokens.len() {
        // VARIADIC ARRAY[a, b]) for a, b)
        let listed = end_of_variadic(text, &tokens, index);
        closing.extend(listed);
        // TRIM(BOTH FROM x)
        let place = [("BOTH", "btrim("), ("LEADING", "ltrim("), ("TRAILING", "rtrim(")];
        let trim =
            place.into_iter().find(|(word, _)| is(index, "TRIM") && is(index + 2, word) && is(index + 3, "FROM"));
        let postfix = [("ISNULL", "IS NULL"), ("NOTNULL", "IS NOT NULL")].into_iter().find(|(word, _)| is(index, word));
        // FROM ONLY x: counted apart.
        let only = is_only(text, &tokens, index);
        // RANGE '1 day'::interval PRECEDING: the parser wants no cast there.
        let bound = tokens[index].is_symbol(text, "::")
            && is(index + 1, "INTERVAL")
            && ["PRECEDING", "FOLLOWING"].iter().any(|word| is(index + 2, word));
        // `x::text COLLATE c`: the parser wants no cast there, and only texts have a collation.
        let collated = (tokens[index].is_symbol(text, "::") && is(index + 1, "TEXT") && is(index + 2, "COLLATE"))
            .then_some(("", 1));
        // sqlparser takes what follows this operator for a part of it.
        let greedy = tokens[index].is_symbol(text, "&>");
        let named = tokens[index].is_symbol(text, ":=");
        // The parser takes 0x1F for X'1F'.
        let digits = Some(tokens[index].text(text)).filter(|_| tokens[index].kind == TokenKind::Number);
        if let Some(digits) = digits.filter(|digits| digits.len() > 2 && digits[..2].eq_ignore_ascii_case("0x"))
            && let Ok(number) = u64::from_str_radix(&digits[2..].replace('_', ""), 16)
        {
            respelled.replace(tokens[index].start as usize, tokens[index].end as usize, &number.to_string());
        }
        // inet '10.0.0.1': the parser knows few types there.
        if let Some(name) = TYPED_TEXTS.iter().find(|name| is(index, name))
            && let Some(constant) = tokens.get(index + 1).filter(|token| token.kind == TokenKind::Text)
        {
            let cast = format!("CAST({} AS {name})", constant.text(text));
            respelled.replace(tokens[index].start as usize, constant.end as usize, &cast);
            index += 2;
            continue;
        }
        let replaced = trim
            .map(|(_, function)| (function, 3))
            .or(greedy.then_some(("&> ", 0)))
            .or(named.then_some(("=>", 0)))
            .or(collated)
            .or(postfix.map(|(_, words)| (words, 0)))
            .or(quantified_operator(text, &tokens, index))
            .or(listed.map(|_| ("", 2)))
            .or(bound.then_some(("", 1)))
            .or((only || closing.contains(&index)).then_some(("", 0)));
        if let Some((words, more)) = replaced {
            let start = tokens[index].start as usize;
            index += more;
            respelled.replace(start, tokens[index].end as usize, words);
        }
        index += 1;
    }
    let Respelling { mut out, done, replaced, .. } = respelled;
    if replaced.is_empty() {
        return Readable::unchanged(text);
    }
    out.push_str(&text[done..]);
    Readable { text: Cow::Owned(out), replaced }
}

/// Where the list of a `VARIADIC ARRAY[…]` ends that is the last argument: the server writes so what a function takes any number of.
fn end_of_variadic(text: &str, tokens: &[token::Token], index: usize) -> Option<usize> {
    let symbol = |index: usize, symbol: &str| tokens.get(index).is_some_and(|token| token.is_symbol(text, symbol));
    if !(tokens[index].is_word(text, "VARIADIC")
        && tokens.get(index + 1)?.is_word(text, "ARRAY")
        && symbol(index + 2, "["))
    {
        return None;
    }
    let mut depth = 0;
    let end = (index + 2..tokens.len()).find(|at| {
        depth += i32::from(symbol(*at, "[")) - i32::from(symbol(*at, "]"));
        depth == 0
    })?;
    symbol(end + 1, ")").then_some(end)
}

/// The symbol of `OPERATOR(public.=) ANY`, and how many tokens follow its first: the parser knows it only without ANY.
fn quantified_operator<'t>(text: &'t str, tokens: &[token::Token], index: usize) -> Option<(&'t str, usize)> {
    let is = |index: usize, word: &str| tokens.get(index).is_some_and(|token| token.is_word(text, word));
    let symbol = |index: usize, symbol: &str| tokens.get(index).is_some_and(|token| token.is_symbol(text, symbol));
    let schema = is(index + 2, "public") || is(index + 2, "pg_catalog");
    if !(is(index, "OPERATOR") && symbol(index + 1, "(") && schema && symbol(index + 3, ".")) {
        return None;
    }
    let end = (index + 4..tokens.len()).find(|end| symbol(*end, ")"))?;
    let quantifier = ["ANY", "ALL", "SOME"].iter().any(|word| is(end + 1, word));
    quantifier.then(|| (&text[tokens[index + 4].start as usize..tokens[end].start as usize], end - index))
}

/// Whether the token is the ONLY before a table.
pub fn is_only(text: &str, tokens: &[token::Token], index: usize) -> bool {
    let before = |word: &str| index > 0 && tokens[index - 1].is_word(text, word);
    tokens[index].is_word(text, "ONLY") && (before("FROM") || before("JOIN"))
}
