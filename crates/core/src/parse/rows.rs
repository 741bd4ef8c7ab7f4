//! Dumps without their rows, read piece by piece: a dump may be larger than memory.
//!
//! Rows are what follows COPY … FROM stdin, and INSERT statements that begin and end with their lines. All else is kept, byte by byte.

use crate::source::SkippedLines;

/// How an engine's dumps hold rows and texts.
#[derive(Debug, Clone, Copy, Default)]
pub struct RowRules {
    /// Rows may follow COPY … FROM stdin.
    pub has_copy: bool,
    /// Texts may be between `$tag$`.
    pub has_dollar_quotes: bool,
    /// Names may be between `[` and `]`.
    pub has_brackets: bool,
    /// Comments may be in one another.
    pub has_nested_comments: bool,
    /// How the names of tables begin whose rows are a part of the schema.
    pub schema_tables: Option<&'static str>,
    /// The setting without which every text has backslash escapes.
    pub plain_text_setting: Option<&'static str>,
    /// Every text has backslash escapes, also one in double quotes.
    pub has_backslash_escapes: bool,
    /// The beginning of a line that is a command for the client.
    pub client_command: Option<u8>,
    /// A comment may begin with `#`; `--` begins one only before a space.
    pub has_hash_comments: bool,
    /// DELIMITER at the beginning of a line sets the end of statements.
    pub has_delimiters: bool,
}

/// Where the filter is between two lines.
#[derive(Debug, Clone, PartialEq, Eq)]
enum State {
    /// Between statements, or in one.
    Code,
    /// In a text; `escapes`: a backslash takes the next character with it.
    Text { quote: u8, escapes: bool },
    /// Between two `$tag$`.
    Dollar(Vec<u8>),
    /// In comments, one in another.
    Comment(usize),
    /// Among the rows of a COPY.
    Rows,
}

/// Leaves rows out of a dump.
pub struct RowFilter {
    rules: RowRules,
    state: State,
    /// Whether all texts have backslash escapes.
    escapes: bool,
    /// The beginning of the statement that a line is in; nothing between statements.
    statement: Vec<u8>,
    /// The word that is read, in lower case.
    word: Vec<u8>,
    /// How many BEGIN and CASE of a CREATE statement have no END yet: its body has statements of its own.
    depth: usize,
    /// Whether the word before was END: it may be that of an IF or a loop.
    after_end: bool,
    /// Whether a delimiter other than the semicolon ends statements: what is there has bodies, and all of it is kept.
    delimited: bool,
    /// The lines of an INSERT, until it is known whether it ends with a line.
    insert: Option<(Vec<u8>, u64)>,
    has_insert: bool,
    /// How many statements have ended since that INSERT began.
    statements: usize,
    /// The start of a line whose end is not there yet.
    pending: Vec<u8>,
    kept: Vec<u8>,
    skipped: SkippedLines,
    /// The number of the line, from 1.
    line: u64,
    /// Where the rows of a COPY begin.
    rows_from: u64,
}

/// The kept parts.
#[derive(Debug)]
pub struct WithoutRows {
    /// The text.
    pub kept: Vec<u8>,
    /// The lines that are left out.
    pub skipped: SkippedLines,
    /// The line of the COPY whose rows do not end: the file was cut off.
    pub cut_off: Option<u64>,
}

/// As much of a statement as tells what it is.
const HEAD: usize = 4096;

impl RowFilter {
    /// At the start of a dump.
    pub fn new(rules: RowRules) -> RowFilter {
        RowFilter {
            rules,
            state: State::Code,
            escapes: rules.has_backslash_escapes,
            statement: Vec::new(),
            word: Vec::new(),
            depth: 0,
            after_end: false,
            delimited: false,
            insert: None,
            has_insert: false,
            statements: 0,
            pending: Vec::new(),
            kept: Vec::new(),
            skipped: SkippedLines::default(),
            line: 1,
            rows_from: 0,
        }
    }

    /// The next piece of the dump.
    pub fn feed(&mut self, mut piece: &[u8]) {
        while let Some(end) = memchr::memchr(b'\n', piece) {
            let (line, rest) = piece.split_at(end + 1);
            piece = rest;
            if self.pending.is_empty() {
                self.take_line(line);
            } else {
                let mut whole = std::mem::take(&mut self.pending);
                whole.extend_from_slice(line);
                self.take_line(&whole);
            }
        }
        self.pending.extend_from_slice(piece);
    }

    /// After the last piece.
    pub fn finish(mut self) -> WithoutRows {
        let last = std::mem::take(&mut self.pending);
        if !last.is_empty() {
            self.take_line(&last);
        }
        if let Some((lines, _)) = self.insert.take() {
            self.kept.extend(lines);
        }
        let cut_off = (self.state == State::Rows).then_some(self.rows_from);
        // A source's text begins after the byte order mark.
        const BYTE_ORDER_MARK: &[u8] = b"\xef\xbb\xbf";
        if self.kept.starts_with(BYTE_ORDER_MARK) {
            self.skipped.shift_back(BYTE_ORDER_MARK.len());
        }
        WithoutRows { kept: self.kept, skipped: self.skipped, cut_off }
    }

    fn take_line(&mut self, line: &[u8]) {
        self.line += 1;
        if self.state == State::Rows {
            if !line.starts_with(b"\\.") {
                self.skipped.add(self.kept.len(), 1);
                return;
            }
            self.state = State::Code;
            self.kept.extend_from_slice(line);
            return;
        }
        let begins = self.state == State::Code && self.statement.is_empty();
        if self.rules.has_delimiters && begins && self.insert.is_none() && self.reads_delimiter(line) {
            self.kept.extend_from_slice(line);
            return;
        }
        if begins && self.insert.is_none() && self.is_insert(line) {
            self.insert = Some((Vec::new(), 0));
            self.statements = 0;
        }
        let is_command = begins && line.first().copied() == self.rules.client_command && !line.is_empty();
        let ends_with_line = is_command || self.scan(line);
        match &mut self.insert {
            None => self.kept.extend_from_slice(line),
            Some((lines, number)) => {
                lines.extend_from_slice(line);
                *number += 1;
                if self.state == State::Code && self.statement.is_empty() {
                    let (lines, number) = self.insert.take().expect("just seen");
                    // The first one stays, so that it is told of.
                    if ends_with_line && self.statements == 1 && self.has_insert {
                        self.skipped.add(self.kept.len(), number);
                    } else {
                        self.kept.extend(lines);
                    }
                    self.has_insert = true;
                }
            }
        }
    }

    /// Whether a line is kept because of a delimiter: it sets one, or is before the next.
    fn reads_delimiter(&mut self, line: &[u8]) -> bool {
        let mut words = line.split(u8::is_ascii_whitespace).filter(|word| !word.is_empty());
        if words.next().is_some_and(|word| word.eq_ignore_ascii_case(b"delimiter")) {
            self.delimited = words.next().is_some_and(|delimiter| delimiter != b";");
            return true;
        }
        self.delimited
    }

    /// Follows texts, comments and statements through a line. Whether nothing is on it after the last statement's end.
    fn scan(&mut self, line: &[u8]) -> bool {
        let mut at = 0;
        let mut is_at_end = false;
        while at < line.len() {
            match &mut self.state {
                State::Rows => return true,
                State::Text { quote, escapes } => {
                    let (quote, escapes) = (*quote, *escapes);
                    let found = line[at..].iter().position(|byte| *byte == quote || (escapes && *byte == b'\\'));
                    let Some(found) = found else { return false };
                    at += found;
                    if line[at] == b'\\' {
                        at += 2;
                    } else {
                        // A doubled quote begins another text at once.
                        at += 1;
                        self.state = State::Code;
                    }
                }
                State::Dollar(tag) => {
                    let Some(found) = memchr::memmem::find(&line[at..], tag) else { return false };
                    at += found + tag.len();
                    self.state = State::Code;
                }
                State::Comment(depth) => {
                    let rest = &line[at..];
                    let next = rest.windows(2).position(|pair| pair == b"*/" || pair == b"/*");
                    let Some(next) = next else { return false };
                    let opens = rest[next] == b'/';
                    at += next + 2;
                    if opens && self.rules.has_nested_comments {
                        *depth += 1;
                    } else if !opens {
                        *depth -= 1;
                        if *depth == 0 {
                            self.state = State::Code;
                        }
                    }
                }
                State::Code => {
                    let byte = line[at];
                    let rest = &line[at..];
                    if byte.is_ascii_alphanumeric() || byte == b'_' {
                        self.word.push(byte.to_ascii_lowercase());
                    } else {
                        self.end_word();
                        self.after_end &= byte.is_ascii_whitespace();
                    }
                    match byte {
                        b'-' if rest.starts_with(b"--") && self.is_comment(rest) => return is_at_end,
                        b'#' if self.rules.has_hash_comments => return is_at_end,
                        b'/' if rest.starts_with(b"/*") => {
                            self.state = State::Comment(1);
                            at += 2;
                            continue;
                        }
                        b'\'' | b'"' | b'`' => {
                            let is_escape = match byte {
                                b'\'' => self.escapes || is_escape_string(line, at),
                                b'"' => self.rules.has_backslash_escapes,
                                _ => false,
                            };
                            self.state = State::Text { quote: byte, escapes: is_escape };
                        }
                        b'[' if self.rules.has_brackets => {
                            self.state = State::Text { quote: b']', escapes: false };
                        }
                        b'$' if self.rules.has_dollar_quotes => {
                            if let Some(tag) = dollar_tag(line, at) {
                                at += tag.len();
                                self.remember(b'$');
                                self.state = State::Dollar(tag);
                                is_at_end = false;
                                continue;
                            }
                        }
                        b';' if self.depth > 0 => {}
                        b';' => {
                            let head = std::mem::take(&mut self.statement);
                            self.ended(&head);
                            is_at_end = true;
                            at += 1;
                            if self.state == State::Rows {
                                return true;
                            }
                            continue;
                        }
                        byte if byte.is_ascii_whitespace() => {
                            if !self.statement.is_empty() {
                                self.remember(b' ');
                            }
                            at += 1;
                            continue;
                        }
                        _ => {}
                    }
                    self.remember(byte);
                    is_at_end = false;
                    at += 1;
                }
            }
        }
        is_at_end
    }

    fn remember(&mut self, byte: u8) {
        if self.statement.len() < HEAD {
            self.statement.push(byte.to_ascii_lowercase());
        }
    }

    fn end_word(&mut self) {
        if self.word.is_empty() {
            return;
        }
        let word = std::mem::take(&mut self.word);
        if self.statement.starts_with(b"create ") {
            match word.as_slice() {
                b"case" if self.after_end => {}
                // Their beginnings are not counted.
                b"if" | b"loop" | b"while" | b"repeat" | b"for" if self.after_end => self.depth += 1,
                b"begin" | b"case" => self.depth += 1,
                b"end" => self.depth = self.depth.saturating_sub(1),
                _ => {}
            }
        }
        self.after_end = word == b"end";
    }

    fn is_comment(&self, dashes: &[u8]) -> bool {
        !self.rules.has_hash_comments || dashes.get(2).is_none_or(u8::is_ascii_whitespace)
    }

    fn ended(&mut self, head: &[u8]) {
        self.statements += 1;
        let has = |words: &[u8]| memchr::memmem::find(head, words).is_some();
        if self.rules.has_copy && head.starts_with(b"copy ") && has(b" from stdin") {
            self.state = State::Rows;
            self.rows_from = self.line - 1;
        }
        let has_setting = self.rules.plain_text_setting.is_some_and(|setting| has(setting.as_bytes()));
        if head.starts_with(b"set ") && has_setting {
            self.escapes = has(b"off");
        }
    }

    /// Whether a line begins an INSERT, other than one into a table whose rows are a part of the schema.
    fn is_insert(&self, line: &[u8]) -> bool {
        let start = line.iter().position(|byte| !byte.is_ascii_whitespace()).unwrap_or(line.len());
        let head = line[start..line.len().min(start + 80)].to_ascii_lowercase();
        let is_kept = |tables: &str| memchr::memmem::find(&head, tables.as_bytes()).is_some();
        [&b"insert into "[..], b"insert or ", b"replace into "].iter().any(|words| head.starts_with(words))
            && !self.rules.schema_tables.is_some_and(is_kept)
    }
}

/// Whether the quote at a place begins an `E'…'`.
fn is_escape_string(line: &[u8], at: usize) -> bool {
    let before = |by: usize| at.checked_sub(by).map(|at| line[at]);
    let is_word = |byte: Option<u8>| byte.is_some_and(|byte| byte.is_ascii_alphanumeric() || byte == b'_');
    matches!(before(1), Some(b'e' | b'E')) && !is_word(before(2))
}

/// The `$tag$` that begins at a place.
fn dollar_tag(line: &[u8], at: usize) -> Option<Vec<u8>> {
    let is_word = |byte: &u8| byte.is_ascii_alphanumeric() || *byte == b'_' || !byte.is_ascii();
    if at.checked_sub(1).is_some_and(|before| is_word(&line[before])) {
        return None;
    }
    let length = line[at + 1..].iter().position(|byte| !is_word(byte))?;
    let tag = &line[at..at + length + 2];
    (tag.ends_with(b"$") && !tag[1..].first().is_some_and(u8::is_ascii_digit)).then(|| tag.to_vec())
}

#[cfg(test)]
mod tests {
    use super::*;

    const POSTGRES: RowRules = RowRules {
        has_copy: true,
        has_dollar_quotes: true,
        has_brackets: false,
        has_nested_comments: true,
        schema_tables: Some("catalogue_"),
        has_backslash_escapes: false,
        plain_text_setting: Some("standard_conforming_strings"),
        client_command: Some(b'\\'),
        has_hash_comments: false,
        has_delimiters: false,
    };

    /// Fed in pieces of every length, the result is the same.
    fn filtered(text: &str, rules: RowRules) -> WithoutRows {
        let of = |length: usize| {
            let mut filter = RowFilter::new(rules);
            text.as_bytes().chunks(length).for_each(|piece| filter.feed(piece));
            filter.finish()
        };
        let whole = of(text.len().max(1));
        for length in 1..9 {
            assert_eq!(of(length).kept, whole.kept, "in pieces of {length}");
        }
        whole
    }

    fn kept(text: &str) -> String {
        String::from_utf8(filtered(text, POSTGRES).kept).expect("it was text")
    }

    #[test]
    fn rows_are_left_out_and_lines_counted() {
        let text = "CREATE TABLE a (b text);\nCOPY a (b) FROM stdin;\nCREATE TABLE x;\n'\n\\N\n\\.\nCREATE TABLE c (d text);\n";
        let found = filtered(text, POSTGRES);
        let kept = String::from_utf8(found.kept).expect("it was text");
        assert_eq!(kept, "CREATE TABLE a (b text);\nCOPY a (b) FROM stdin;\n\\.\nCREATE TABLE c (d text);\n");
        assert_eq!(found.skipped.before(kept.find("CREATE TABLE c").expect("kept")), 3);
        assert_eq!(found.skipped.before(0), 0);
        assert_eq!(found.cut_off, None);
    }

    #[test]
    fn all_but_the_first_insert_is_left_out() {
        let first = "INSERT INTO a VALUES (1);\n";
        let last = "insert into a values (2); CREATE TABLE b (c text);\n";
        let text = format!("{first}INSERT INTO a VALUES ('x;\n'');\n');\n{last}INSERT INTO a VALUES (3);\n");
        assert_eq!(kept(&text), format!("{first}{last}"));
        let catalogue = "INSERT INTO a VALUES (1);\nINSERT INTO catalogue_rows VALUES (2);\n";
        assert_eq!(kept(catalogue), catalogue);
    }

    #[test]
    fn what_looks_like_rows_in_a_text_is_none() {
        for text in [
            "CREATE FUNCTION f() RETURNS void LANGUAGE sql AS $$\nINSERT INTO a VALUES (1);\nINSERT INTO a VALUES (2);\n$$;\n",
            "COMMENT ON TABLE a IS '\nCOPY a FROM stdin;\nINSERT INTO a VALUES (1);\nINSERT INTO a VALUES (2);\n';\nCREATE TABLE b (c text);\n",
            "/* COPY a FROM stdin; /*\n*/ INSERT INTO a VALUES (1);\nINSERT INTO a VALUES (1);\n*/ CREATE TABLE b (c text);\n",
            "SELECT E'it\\'s;\nCOPY a FROM stdin;\n';\n-- COPY a FROM stdin;\nCREATE TABLE b (c text);\n",
            "SET standard_conforming_strings = off;\nSELECT 'it\\'s;\nCOPY a FROM stdin;\n';\nCREATE TABLE b (c text);\n",
            "\\echo it's\nCREATE TABLE a (b text);\n\\echo it's\nCREATE TABLE b (c text);\n",
            "CREATE TRIGGER t AFTER INSERT ON a BEGIN\nSELECT CASE WHEN 1 THEN 2 END;\nINSERT INTO a VALUES (1);\nINSERT INTO a VALUES (2);\nEND;\n",
            "CREATE FUNCTION f() RETURNS void LANGUAGE sql BEGIN ATOMIC\nINSERT INTO a VALUES (1);\nINSERT INTO a VALUES (2);\nEND;\n",
            "CREATE RULE r AS ON INSERT TO a DO INSTEAD\nINSERT INTO b VALUES (1);\nCREATE TABLE b (c text);\n",
        ] {
            assert_eq!(kept(text), text);
        }
    }

    #[test]
    fn statements_of_bodies_are_no_rows() {
        let rules = RowRules {
            has_backslash_escapes: true,
            has_hash_comments: true,
            has_delimiters: true,
            ..RowRules::default()
        };
        for text in [
            "DELIMITER ;;\nCREATE PROCEDURE p()\nBEGIN\nIF a THEN SET b = 1; END IF;\nINSERT INTO a VALUES (1);\n\
             INSERT INTO a VALUES (2);\nEND;;\nINSERT INTO a VALUES (3);;\nDELIMITER ;\n",
            "CREATE PROCEDURE p()\nBEGIN\nWHILE a DO CASE b WHEN 1 THEN SET b = 2; END CASE; END WHILE;\n\
             INSERT INTO a VALUES (1);\nINSERT INTO a VALUES (2);\nEND;\n",
            "# it's\nSELECT 5--'1;\nINSERT INTO a VALUES (1);\nINSERT INTO a VALUES (2);\n';\n",
        ] {
            assert_eq!(String::from_utf8(filtered(text, rules).kept).expect("it was text"), text);
        }
        let text = "DELIMITER ;;\nCREATE EVENT e DO\nSELECT 1;;\nDELIMITER ;\nINSERT INTO a VALUES (1);\nINSERT INTO a VALUES (2);\n";
        let kept = filtered(text, rules).kept;
        assert_eq!(String::from_utf8(kept).expect("it was text"), text.replace("INSERT INTO a VALUES (2);\n", ""));
    }

    #[test]
    fn rows_without_an_end_are_a_file_that_was_cut_off() {
        let found = filtered("SELECT 1;\nCOPY\na\nFROM stdin;\n1\n2\n", POSTGRES);
        assert_eq!(found.cut_off, Some(4));
        let open = "INSERT INTO a VALUES (1);\nINSERT INTO a VALUES ('x\n";
        assert_eq!(kept(open), open);
    }
}
