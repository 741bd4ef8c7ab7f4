//! From the lines and columns of `sqlparser`'s trees to bytes of the text.

use sqlparser::tokenizer::Span as RawSpan;

use crate::model::Span;

/// The places of a text.
pub struct Places<'t> {
    text: &'t str,
    /// The byte at which each line begins.
    lines: Vec<usize>,
    is_ascii: bool,
}

impl<'t> Places<'t> {
    /// Of a text.
    pub fn of(text: &'t str) -> Places<'t> {
        let after = text.bytes().enumerate().filter(|(_, byte)| *byte == b'\n').map(|(at, _)| at + 1);
        Places { text, lines: std::iter::once(0).chain(after).collect(), is_ascii: text.is_ascii() }
    }

    /// The bytes of a span in the tree.
    pub fn span(&self, span: RawSpan) -> Span {
        let byte = |line: u64, column: u64| {
            let start = self.lines.get((line.max(1) - 1) as usize).copied().unwrap_or(self.text.len());
            if self.is_ascii {
                return (start + (column.max(1) - 1) as usize).min(self.text.len()) as u32;
            }
            let mut chars = self.text[start..].char_indices();
            let offset = chars.nth((column.max(1) - 1) as usize).map_or(self.text.len() - start, |(at, _)| at);
            (start + offset) as u32
        };
        Span { start: byte(span.start.line, span.start.column), end: byte(span.end.line, span.end.column) }
    }
}

#[cfg(test)]
mod tests {
    use sqlparser::tokenizer::Location;

    use super::*;

    #[test]
    fn lines_and_characters_become_bytes() {
        let text = "größe >\n  länge";
        let places = Places::of(text);
        let span = |from: (u64, u64), to: (u64, u64)| {
            let location = |(line, column)| Location { line, column };
            places.span(RawSpan { start: location(from), end: location(to) }).of(text)
        };
        assert_eq!(span((1, 1), (1, 6)), "größe");
        assert_eq!(span((2, 3), (2, 8)), "länge");
    }
}
