//! How MariaDB cuts text into tokens, where statements end, and what its client's commands look like.
//!
//! The client's `DELIMITER` is followed: what it sets ends a statement, and is one character ([`END`]) for everything after this file.

use std::borrow::Cow;

use sqlparser::dialect::Dialect as TokenRules;
use wevrun_core::parse::{Token, TokenKind};

use crate::syntax::Syntax;

/// The mark of a delimiter other than the semicolon: a character that no text of a statement holds.
const END: char = '\u{1}';

/// The mark of a command that sets the delimiter.
const NEW_DELIMITER: char = '\u{2}';

/// The rules for the tokenizer.
pub fn rules() -> &'static dyn TokenRules {
    &Syntax
}

/// The version up to which comments like `/*!50003 … */` are statements: the newest that is known. Those from 5.7 of the other
/// engine that has them are not (<https://mariadb.com/kb/en/comment-syntax/>).
fn is_executed(version: &str) -> bool {
    let number: u32 = version.parse().unwrap_or(0);
    !(50_700..=99_999).contains(&number) && number <= 110_499
}

/// The text as the server gets it: the client's own commands are blanked out, and the frames of executable comments. Offsets stay.
pub fn without_client_commands(text: &str) -> Cow<'_, str> {
    let scan = Scan::of(text);
    if scan.edits.is_empty() {
        return Cow::Borrowed(text);
    }
    let mut masked = text.as_bytes().to_vec();
    for (start, end, first) in scan.edits {
        for byte in &mut masked[start..end] {
            // Line ends stay, so that comments end where they do.
            *byte = if *byte == b'\n' { b'\n' } else { b' ' };
        }
        if let Some(first) = first {
            masked[start] = first;
        }
    }
    Cow::Owned(String::from_utf8(masked).expect("whole characters are blanked out"))
}

/// A script of ours without the lines that set delimiters. Every other command of the client stays, and is no statement.
pub fn without_delimiters(text: &str) -> Cow<'_, str> {
    if !text.contains("\nDELIMITER ") {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    let mut delimited = false;
    for line in text.split_inclusive('\n') {
        match line.trim_end_matches('\n') {
            "DELIMITER ;;" if !delimited => delimited = true,
            "DELIMITER ;" if delimited => delimited = false,
            // One of the two ends the statement; offsets and lines stay.
            other if delimited && other.ends_with(";;") => {
                out.push_str(&other[..other.len() - 2]);
                out.push_str("; ");
                out.push_str(&line[other.len()..]);
                continue;
            }
            _ => {
                out.push_str(line);
                continue;
            }
        }
        out.extend(line.chars().map(|ch| if ch == '\n' { '\n' } else { ' ' }));
    }
    Cow::Owned(out)
}

/// The files that `source FILE` and `\. FILE` name, each with the byte at which the command begins.
pub fn included_files(text: &str) -> Vec<(usize, String)> {
    Scan::of(text).included
}

/// The parts of a text that are not the server's.
#[derive(Default)]
struct Scan {
    /// Ranges that are blanked out, each with what its first byte becomes.
    edits: Vec<(usize, usize, Option<u8>)>,
    included: Vec<(usize, String)>,
}

impl Scan {
    fn of(text: &str) -> Scan {
        let mut scan = Scan::default();
        let bytes = text.as_bytes();
        let mut delimiter = ";".to_owned();
        let (mut at, mut in_statement, mut executable, mut ansi) = (0, false, 0usize, false);
        while at < bytes.len() {
            let rest = &text[at..];
            let line_start = at == 0 || bytes[at - 1] == b'\n';
            if line_start && !in_statement {
                let line = rest.split('\n').next().unwrap_or_default();
                if let Some(command) = Command::read(line) {
                    let end = at + line.len();
                    match command {
                        Command::Delimiter(new) => {
                            delimiter = new;
                            scan.edits.push((at, end, Some(NEW_DELIMITER as u8)));
                        }
                        // The statement ends with its line.
                        Command::Use => scan.edits.extend((end < bytes.len()).then_some((end, end + 1, Some(b';')))),
                        Command::Include(file) => {
                            scan.included.push((at, file));
                            scan.edits.push((at, end, None));
                        }
                        Command::Other => scan.edits.push((at, end, None)),
                    }
                    at = end + 1;
                    continue;
                }
            }
            if rest.starts_with(&delimiter) {
                if delimiter != ";" {
                    scan.edits.push((at, at + delimiter.len(), Some(END as u8)));
                }
                at += delimiter.len();
                in_statement = false;
                continue;
            }
            let first = rest.chars().next().expect("there is more");
            // A session that reads names in double quotes.
            if !in_statement && is_word(rest, "SET") {
                let statement = rest.split(';').next().unwrap_or_default().to_ascii_uppercase();
                if statement.contains("SQL_MODE") {
                    ansi = ["ANSI", "ORACLE", "DB2", "MSSQL", "POSTGRESQL", "MAXDB"]
                        .iter()
                        .any(|mode| statement.contains(mode));
                }
            }
            match first {
                '"' if ansi => {
                    let length = quoted_length(rest, first);
                    let inner = &rest[1..(length - 1).max(1)];
                    if !inner.contains(['"', '`', '\\']) {
                        scan.edits.push((at, at + 1, Some(b'`')));
                        scan.edits.push((at + length - 1, at + length, Some(b'`')));
                    }
                    at += length;
                }
                '\'' | '"' | '`' => at += quoted_length(rest, first),
                '#' => at += rest.find('\n').unwrap_or(rest.len()),
                '-' if is_line_comment(rest) => at += rest.find('\n').unwrap_or(rest.len()),
                '/' if rest.starts_with("/*") => {
                    let head = executable_head(rest);
                    match head {
                        Some((length, true)) => {
                            scan.edits.push((at, at + length, None));
                            executable += 1;
                            at += length;
                        }
                        Some((_, false)) => {
                            let length = comment_length(rest);
                            scan.edits.push((at, at + length, None));
                            at += length;
                        }
                        None => at += comment_length(rest),
                    }
                    continue;
                }
                '*' if executable > 0 && rest.starts_with("*/") => {
                    scan.edits.push((at, at + 2, None));
                    executable -= 1;
                    at += 2;
                    continue;
                }
                // Ends a statement as the delimiter does.
                '\\' if rest.starts_with("\\g") || rest.starts_with("\\G") => {
                    let end = if delimiter == ";" { b';' } else { END as u8 };
                    scan.edits.push((at, at + 2, Some(end)));
                    at += 2;
                    in_statement = false;
                    continue;
                }
                // The client leaves it out.
                '\\' if rest.starts_with("\\\n") || rest.starts_with("\\\r\n") => {
                    scan.edits.push((at, at + 1, None));
                    at += 1;
                    continue;
                }
                _ => {
                    at += first.len_utf8();
                    in_statement |= !first.is_whitespace();
                    continue;
                }
            }
            in_statement |= matches!(first, '\'' | '"' | '`');
        }
        scan
    }
}

/// A command of the client that takes its whole line.
enum Command {
    Delimiter(String),
    Use,
    Include(String),
    Other,
}

impl Command {
    fn read(line: &str) -> Option<Command> {
        let line = line.trim_end_matches('\r').trim();
        let (word, rest) = line.split_once(char::is_whitespace).unwrap_or((line, ""));
        let rest = rest.trim();
        Some(match word.to_ascii_lowercase().as_str() {
            "delimiter" | "\\d" if !rest.is_empty() => {
                Command::Delimiter(rest.split_whitespace().next().unwrap_or(";").to_owned())
            }
            "use" | "\\u" if !rest.is_empty() && !rest.contains(';') => Command::Use,
            "source" | "\\." if !rest.is_empty() => {
                Command::Include(rest.trim_end_matches(';').trim_matches(['\'', '"']).to_owned())
            }
            "warnings" | "nowarning" | "notee" | "nopager" | "charset" | "tee" | "pager" | "prompt" | "system"
            | "status" | "\\w" | "\\!" | "\\c" | "\\s" | "\\t" | "\\p" | "\\q" | "\\r" => Command::Other,
            word if word.starts_with("\\-") => Command::Other,
            _ => return None,
        })
    }
}

/// Whether a text begins with this keyword.
fn is_word(text: &str, keyword: &str) -> bool {
    let begins = text.get(..keyword.len()).is_some_and(|first| first.eq_ignore_ascii_case(keyword));
    begins && text[keyword.len()..].starts_with(char::is_whitespace)
}

/// How long a string or name is, with its quotes.
fn quoted_length(text: &str, quote: char) -> usize {
    let bytes = text.as_bytes();
    let mut at = 1;
    while at < bytes.len() {
        match bytes[at] {
            b'\\' if quote != '`' => at += 2,
            byte if byte == quote as u8 => {
                // A doubled quote is none.
                if bytes.get(at + 1) == Some(&byte) {
                    at += 2;
                } else {
                    return at + 1;
                }
            }
            _ => at += 1,
        }
    }
    text.len()
}

fn is_line_comment(text: &str) -> bool {
    text.starts_with("--") && text[2..].chars().next().is_none_or(|ch| ch.is_whitespace() || ch.is_control())
}

fn comment_length(text: &str) -> usize {
    text[2..].find("*/").map_or(text.len(), |end| end + 4)
}

/// How long the beginning of an executable comment is, and whether it is executed.
fn executable_head(text: &str) -> Option<(usize, bool)> {
    let after = text.strip_prefix("/*!").or_else(|| text.strip_prefix("/*M!"))?;
    let digits = after.bytes().take_while(u8::is_ascii_digit).count().min(6);
    // Five digits or six; fewer are part of the statement.
    let digits = if digits >= 5 { digits } else { 0 };
    let executed = digits == 0 || is_executed(&after[..digits]);
    Some((text.len() - after.len() + digits, executed))
}

/// How many tokens the first statement has, without what ends it. The blocks of a compound statement are followed, so that the
/// semicolons in it end nothing, whether or not a `DELIMITER` is set.
pub fn statement_length(text: &str, tokens: &[Token]) -> usize {
    let is = |token: &Token, mark: char| token.kind == TokenKind::Symbol && token.text(text).starts_with(mark);
    let is_mark = |token: &Token| is(token, END) || is(token, NEW_DELIMITER);
    // No more tokens are looked at than the statement has: a file may have many statements, and no mark at all.
    let head = tokens.iter().take(HEAD).position(is_mark).unwrap_or(tokens.len().min(HEAD));
    // The client sends all up to the delimiter; the server ends a statement at a semicolon that is not in a block.
    if !is_compound(text, &tokens[..head]) {
        return tokens.iter().position(|token| is_mark(token) || token.is_symbol(text, ";")).unwrap_or(tokens.len());
    }
    if is_package(text, &tokens[..head])
        && let Some(mark) = tokens.iter().position(is_mark)
        && is(&tokens[mark], END)
    {
        return mark;
    }
    let until_mark = || tokens.iter().take_while(|token| !is_mark(token)).count();
    follow_blocks(text, tokens, is_mark).0.unwrap_or_else(until_mark)
}

/// The tokens that decide the kind of a statement.
const HEAD: usize = 24;

fn is_package(text: &str, tokens: &[Token]) -> bool {
    tokens.iter().take(8).any(|token| token.is_word(text, "PACKAGE"))
}

/// Whether a statement can hold others.
fn is_compound(text: &str, tokens: &[Token]) -> bool {
    let is = |index: usize, word: &str| tokens.get(index).is_some_and(|token| token.is_word(text, word));
    if is(0, "BEGIN") {
        return is(1, "NOT");
    }
    if is(0, "IF") {
        return true;
    }
    if !(is(0, "CREATE") || is(0, "ALTER")) {
        return false;
    }
    // The kind is after OR REPLACE, DEFINER = a user, and the like.
    for token in tokens.iter().skip(1).take(20) {
        let word = token.text(text).to_ascii_uppercase();
        match word.as_str() {
            "PROCEDURE" | "FUNCTION" | "TRIGGER" | "EVENT" | "PACKAGE" => return token.kind == TokenKind::Word,
            "TABLE" | "VIEW" | "INDEX" | "SEQUENCE" | "DATABASE" | "SCHEMA" | "USER" | "ROLE" | "SERVER" | "("
            | ";" => {
                return false;
            }
            _ => {}
        }
    }
    false
}

/// Whether all blocks of a body are closed.
pub fn is_closed(text: &str, tokens: &[Token]) -> bool {
    let (end, open) = follow_blocks(text, tokens, |_| false);
    end.is_some() || open == 0
}

/// Where the semicolon is that ends the statement, and how many blocks are open there or at the end.
fn follow_blocks(text: &str, tokens: &[Token], is_end: impl Fn(&Token) -> bool) -> (Option<usize>, usize) {
    // Each block that is open; true for a CASE that is an expression: in it, IF is a function.
    let mut open: Vec<bool> = Vec::new();
    let mut index = 0;
    while index < tokens.len() && !is_end(&tokens[index]) {
        let token = tokens[index];
        if token.is_symbol(text, ";") && open.is_empty() {
            return (Some(index), 0);
        }
        if token.kind == TokenKind::Word {
            let word = token.text(text).to_ascii_uppercase();
            let after_dot = index > 0 && tokens[index - 1].is_symbol(text, ".");
            let in_expression = open.last() == Some(&true);
            let starts = !in_expression && starts_statement(text, tokens, index);
            match word.as_str() {
                _ if after_dot => {}
                "BEGIN" => open.push(false),
                "CASE" => open.push(!starts),
                "IF" | "LOOP" | "WHILE" | "REPEAT" if starts => open.push(false),
                // `FOR row IN …`, not the FOR of a cursor.
                "FOR" if starts && tokens.get(index + 2).is_some_and(|token| token.is_word(text, "IN")) => {
                    open.push(false);
                }
                "END" => {
                    open.pop();
                    let next = tokens.get(index + 1).filter(|_| !in_expression);
                    let closes = ["IF", "CASE", "LOOP", "WHILE", "REPEAT", "FOR"];
                    if closes.iter().any(|word| next.is_some_and(|next| next.is_word(text, word))) {
                        index += 1;
                    }
                }
                _ => {}
            }
        }
        index += 1;
    }
    (None, open.len())
}

/// Whether a statement of a block can begin at a token.
fn starts_statement(text: &str, tokens: &[Token], index: usize) -> bool {
    let Some(before) = index.checked_sub(1).map(|before| tokens[before]) else { return true };
    let after = [
        "THEN",
        "ELSE",
        "DO",
        "BEGIN",
        "LOOP",
        "REPEAT",
        "ATOMIC",
        "FOUND",
        "SQLEXCEPTION",
        "SQLWARNING",
        "ROW",
        "DETERMINISTIC",
        "SQL",
        "DATA",
        "INVOKER",
        "DEFINER",
    ];
    // After the parameters of a routine, its type, or a label.
    [";", ")", ":"].iter().any(|symbol| before.is_symbol(text, symbol))
        || after.iter().any(|word| before.is_word(text, word))
}

#[cfg(test)]
mod tests {
    use super::*;
    use wevrun_core::parse::token::tokenize;

    fn statements(text: &str) -> Vec<String> {
        let masked = without_client_commands(text);
        let (tokens, error) = tokenize(rules(), &masked, 0);
        assert!(error.is_none(), "{error:?}");
        let tokens: Vec<Token> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
        let (mut rest, mut found) = (&tokens[..], Vec::new());
        while !rest.is_empty() {
            let length = statement_length(&masked, rest);
            if let (Some(first), true) = (rest.first(), length > 0) {
                found.push(masked[first.start as usize..rest[length - 1].end as usize].to_owned());
            }
            rest = &rest[(length + 1).min(rest.len())..];
        }
        found
    }

    #[test]
    fn delimiters_are_followed() {
        let text = "DELIMITER //\nCREATE PROCEDURE p() BEGIN SELECT ';'; END//\nselect 1//\ndelimiter ;\nselect 2;";
        assert_eq!(statements(text), ["CREATE PROCEDURE p() BEGIN SELECT ';'; END", "select 1", "select 2"]);
    }

    #[test]
    fn blocks_end_without_a_delimiter() {
        let text = "create trigger t before insert on a for each row begin if new.end > 1 then set new.x = if(1, 2, 3); end if; \
                    l: loop leave l; end loop; set @a = case when 1 then 2 end; end; create table b (a int);";
        assert_eq!(statements(text).len(), 2, "{:?}", statements(text));
        let text = "create function f() returns int begin case a when 1 then select (case when b then if(c, 1, 2) else if(d, 1, 2) end); \
                    end case; return case a when 1 then case b when 2 then 3 end end; end; select 1";
        assert_eq!(statements(text).len(), 2, "{:?}", statements(text));
        let text = "create event e on schedule every 1 day do delete from t; select 1";
        assert_eq!(statements(text), ["create event e on schedule every 1 day do delete from t", "select 1"]);
    }

    #[test]
    fn executable_comments_are_text() {
        let text = "/*!50003 CREATE*/ /*!50017 DEFINER=`root`@`localhost`*/ /*!50003 TRIGGER t */;\n/*!50701 nothing */;/*M!100301 x*/";
        let found: Vec<String> =
            statements(text).iter().map(|text| text.split_whitespace().collect::<Vec<_>>().join(" ")).collect();
        assert_eq!(found, ["CREATE DEFINER=`root`@`localhost` TRIGGER t", "x"]);
    }

    #[test]
    fn commands_of_the_client_are_no_statements() {
        assert_eq!(statements("select \\\n1;"), ["select  \n1"]);
        let text = "use honey\nselect 1\\G\nsource other.sql\n\\. third.sql\nselect 'use x';";
        assert_eq!(statements(text), ["use honey", "select 1", "select 'use x'"]);
        let files: Vec<String> = included_files(text).into_iter().map(|(_, file)| file).collect();
        assert_eq!(files, ["other.sql", "third.sql"]);
    }
}
