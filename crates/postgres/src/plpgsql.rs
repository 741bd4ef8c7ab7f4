//! The block structure of bodies in PL/pgSQL: which `END` closes what
//! (<https://www.postgresql.org/docs/current/plpgsql-structure.html>). What stands in a statement is not looked at.

use super::tokens;
use crate::clause;
use wevrun_core::check::Checks;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Definition, Kind, Model, Object};
use wevrun_core::parse::{Token, TokenKind, token};
use wevrun_core::source::Location;

/// Every body in PL/pgSQL whose blocks don't close is reported.
pub fn check(model: &Model, checks: &mut Checks<'_>) {
    for object in [Kind::Function, Kind::Procedure].into_iter().flat_map(|kind| model.of_kind(kind)) {
        let Definition::Plain(plain) = &object.definition else { continue };
        if plain.clauses.value(clause::LANGUAGE) != Some("plpgsql") {
            continue;
        }
        let Some((body, start)) = body(object) else { continue };
        let Err(problem) = structure(body) else { continue };
        let place = object.location.filter(|own| (own.end - own.start) as usize == object.text.len()).map(|own| {
            let at = |offset: usize| own.start + (start + offset) as u32;
            Location { start: at(problem.start), end: at(problem.end), ..own }
        });
        let found = Diagnostic::new(Code::WV115, format!("the body of {}: {}", object.key(), problem.message))
            .at(place.or_else(|| checks.definition_of(object)), "here");
        checks.add(found);
    }
}

/// The body between its dollar signs, and where it begins in the object's text.
fn body(object: &Object) -> Option<(&str, usize)> {
    let (tokens, _) = token::tokenize(tokens::rules(), &object.text, 0);
    let tokens: Vec<Token> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    let after_as =
        tokens.windows(2).find(|pair| pair[0].is_word(&object.text, "AS") && pair[1].kind == TokenKind::Text)?;
    let written = after_as[1].text(&object.text);
    let tag = written.starts_with('$').then(|| tokens::dollar_tag(written)).flatten()?;
    Some((written.strip_prefix(tag)?.strip_suffix(tag)?, after_as[1].start as usize + tag.len()))
}

/// What is wrong, and where in the body.
#[derive(Debug, PartialEq, Eq)]
struct Problem {
    message: String,
    start: usize,
    end: usize,
}

type Followed = Result<(), Problem>;

fn structure(body: &str) -> Followed {
    let (found, error) = token::tokenize(tokens::rules(), body, 0);
    if error.is_some() {
        return Ok(()); // not a text that we can judge
    }
    let tokens: Vec<Token> = found.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    let mut walk = Walk { body, tokens: &tokens, at: 0 };
    // `#variable_conflict use_column` and its like.
    while walk.symbol("#") {
        walk.at += 2;
    }
    walk.block()?;
    walk.symbol(";");
    match walk.tokens.get(walk.at) {
        Some(_) => Err(walk.problem("this follows the END of the outermost block")),
        None => Ok(()),
    }
}

struct Walk<'b> {
    body: &'b str,
    tokens: &'b [Token],
    at: usize,
}

impl Walk<'_> {
    fn is(&self, ahead: usize, word: &str) -> bool {
        self.tokens.get(self.at + ahead).is_some_and(|token| token.is_word(self.body, word))
    }

    fn take(&mut self, word: &str) -> bool {
        let found = self.is(0, word);
        self.at += usize::from(found);
        found
    }

    fn symbol(&mut self, symbol: &str) -> bool {
        let found = self.tokens.get(self.at).is_some_and(|token| token.is_symbol(self.body, symbol));
        self.at += usize::from(found);
        found
    }

    fn any_of(&self, words: &[&str]) -> bool {
        words.iter().any(|word| self.is(0, word))
    }

    /// A problem with the next token, or with the end of the body.
    fn problem(&self, message: impl Into<String>) -> Problem {
        let (start, end) = match self.tokens.get(self.at).or(self.tokens.last()) {
            Some(token) => (token.start as usize, token.end as usize),
            None => (0, 0),
        };
        Problem { message: message.into(), start, end }
    }

    /// A problem with something that began at this token.
    fn unclosed(&self, opening: usize, what: &str, closing: &str) -> Problem {
        let here = match self.tokens.get(self.at) {
            Some(token) => format!("`{}`", token.text(self.body)),
            None => "the end of the body".to_owned(),
        };
        let token = self.tokens[opening];
        let message = format!("{here} is found before the {closing} of this {what}");
        Problem { message, start: token.start as usize, end: token.end as usize }
    }

    fn label(&mut self) {
        if self.symbol("<<") {
            self.at += 1;
            self.symbol(">>");
        }
    }

    /// `[DECLARE …] BEGIN … [EXCEPTION WHEN … THEN …] END [label]`.
    fn block(&mut self) -> Followed {
        self.label();
        while self.take("DECLARE") {
            while !self.any_of(&["BEGIN", "DECLARE"]) {
                if self.at >= self.tokens.len() {
                    return Err(self.problem("DECLARE is not followed by BEGIN"));
                }
                self.at += 1;
            }
        }
        let opening = self.at;
        if !self.take("BEGIN") {
            return Err(self.problem("it does not begin with BEGIN or DECLARE"));
        }
        self.statements(&["END", "EXCEPTION"])?;
        if self.take("EXCEPTION") {
            if !self.is(0, "WHEN") {
                return Err(self.problem("WHEN must follow EXCEPTION"));
            }
            self.branches(opening, "BEGIN", &["END"])?;
        }
        if !self.take("END") {
            return Err(self.unclosed(opening, "BEGIN", "END"));
        }
        if self.tokens.get(self.at).is_some_and(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted)) {
            self.at += 1; // the label
        }
        Ok(())
    }

    /// `WHEN … THEN …`, as often as it comes.
    fn branches(&mut self, opening: usize, what: &str, ends: &[&str]) -> Followed {
        while self.take("WHEN") {
            self.condition(opening, what, "THEN")?;
            let ends: Vec<&str> = ends.iter().copied().chain(["WHEN"]).collect();
            self.statements(&ends)?;
        }
        Ok(())
    }

    /// All before this word, which is taken too. A CASE in it has a THEN of its own.
    fn condition(&mut self, opening: usize, what: &str, word: &str) -> Followed {
        let mut cases = 0;
        while cases > 0 || !self.is(0, word) {
            if self.at >= self.tokens.len() || cases == 0 && self.tokens[self.at].is_symbol(self.body, ";") {
                return Err(self.unclosed(opening, what, word));
            }
            cases += i32::from(self.is(0, "CASE")) - i32::from(cases > 0 && self.is(0, "END"));
            self.at += 1;
        }
        self.at += 1;
        Ok(())
    }

    /// Statements up to one of these words.
    fn statements(&mut self, ends: &[&str]) -> Followed {
        while self.at < self.tokens.len() && !self.any_of(ends) {
            self.statement()?;
        }
        Ok(())
    }

    fn statement(&mut self) -> Followed {
        self.label();
        let opening = self.at;
        if self.any_of(&["BEGIN", "DECLARE"]) {
            self.block()?;
            return self.semicolon("END");
        }
        if self.take("IF") {
            self.condition(opening, "IF", "THEN")?;
            loop {
                self.statements(&["ELSIF", "ELSEIF", "ELSE", "END"])?;
                if !self.take("ELSIF") && !self.take("ELSEIF") {
                    break;
                }
                self.condition(opening, "IF", "THEN")?;
            }
            if self.take("ELSE") {
                self.statements(&["END"])?;
            }
            return self.end(opening, "IF");
        }
        if self.take("CASE") {
            while !self.is(0, "WHEN") {
                if self.at >= self.tokens.len() {
                    return Err(self.unclosed(opening, "CASE", "WHEN"));
                }
                self.at += 1;
            }
            self.branches(opening, "CASE", &["ELSE", "END"])?;
            if self.take("ELSE") {
                self.statements(&["END"])?;
            }
            return self.end(opening, "CASE");
        }
        if self.any_of(&["WHILE", "FOR", "FOREACH"]) {
            self.condition(opening, "loop", "LOOP")?;
            self.statements(&["END"])?;
            return self.end(opening, "LOOP");
        }
        if self.take("LOOP") {
            self.statements(&["END"])?;
            return self.end(opening, "LOOP");
        }
        if self.any_of(&["ELSE", "ELSIF", "ELSEIF", "WHEN", "EXCEPTION", "END", "THEN"]) {
            let word = self.tokens[self.at].text(self.body);
            return Err(self.problem(format!("`{word}` belongs to nothing here")));
        }
        // Until its semicolon, whatever it says.
        while !self.symbol(";") {
            if self.at >= self.tokens.len() {
                let token = self.tokens[opening];
                let message = "this statement has no semicolon, or a block before it is not closed".to_owned();
                return Err(Problem { message, start: token.start as usize, end: token.end as usize });
            }
            self.at += 1;
        }
        Ok(())
    }

    /// `END IF;`, `END CASE;`, `END LOOP [label];`.
    fn end(&mut self, opening: usize, what: &str) -> Followed {
        let closing = format!("END {what}");
        if !self.is(0, "END") || !self.is(1, what) {
            return Err(self.unclosed(opening, what, &closing));
        }
        self.at += 2;
        if what == "LOOP" && !self.tokens.get(self.at).is_some_and(|token| token.is_symbol(self.body, ";")) {
            self.at += 1; // the label
        }
        self.semicolon(&closing)
    }

    fn semicolon(&mut self, after: &str) -> Followed {
        if self.symbol(";") { Ok(()) } else { Err(self.problem(format!("there is no semicolon after {after}"))) }
    }
}

#[cfg(test)]
mod tests {
    use super::structure;

    fn told(body: &str) -> Option<String> {
        structure(body).err().map(|problem| format!("{} | {}", &body[problem.start..problem.end], problem.message))
    }

    #[test]
    fn closed_blocks_are_taken() {
        for body in [
            "BEGIN END",
            "#variable_conflict use_column\n<<outer>> DECLARE a int := 1; c CURSOR FOR SELECT 1; BEGIN RETURN a; END outer;",
            "BEGIN IF CASE WHEN a THEN b ELSE c END THEN NULL; ELSIF x THEN y := CASE WHEN 1 THEN 2 END; ELSE RETURN; END IF; END",
            "BEGIN CASE x WHEN 1, 2 THEN NULL; WHEN 3 THEN RETURN; ELSE RAISE NOTICE 'end if'; END CASE; END;",
            "BEGIN FOR r IN SELECT CASE WHEN a THEN 1 END FROM t LOOP EXIT WHEN r IS NULL; END LOOP; WHILE a LOOP CONTINUE; END LOOP; END",
            "BEGIN <<l>> FOREACH x SLICE 1 IN ARRAY a LOOP LOOP EXIT l; END LOOP; END LOOP l; END",
            "BEGIN BEGIN INSERT INTO t VALUES (1); EXCEPTION WHEN unique_violation OR SQLSTATE '22012' THEN NULL; WHEN OTHERS THEN RAISE; END; END",
            "BEGIN FOR i IN REVERSE 10..1 BY 2 LOOP NULL; END LOOP; x.y[1] := 2; END",
            "BEGIN EXECUTE 'BEGIN; END'; PERFORM 1; -- IF\n /* LOOP */ END",
        ] {
            assert_eq!(told(body), None, "{body}");
        }
    }

    #[test]
    fn blocks_that_do_not_close_are_shown_where_they_begin() {
        for (body, expected) in [
            ("BEGIN IF a THEN NULL; END;", "IF | `END` is found before the END IF of this IF"),
            ("BEGIN IF a NULL; END IF; END;", "IF | `;` is found before the THEN of this IF"),
            ("BEGIN LOOP NULL; END IF; END;", "LOOP | `END` is found before the END LOOP of this LOOP"),
            ("BEGIN NULL; ELSE NULL; END", "ELSE | `ELSE` belongs to nothing here"),
            ("BEGIN NULL; END IF; END", "END | this follows the END of the outermost block"),
            ("BEGIN RETURN 1", "RETURN | this statement has no semicolon, or a block before it is not closed"),
            ("BEGIN RETURN 1;", "BEGIN | the end of the body is found before the END of this BEGIN"),
            ("DECLARE a int; RETURN 1; END", "END | DECLARE is not followed by BEGIN"),
            ("RETURN 1;", "RETURN | it does not begin with BEGIN or DECLARE"),
            ("BEGIN IF a THEN NULL; END IF END", "END | there is no semicolon after END IF"),
            ("BEGIN END; END", "END | this follows the END of the outermost block"),
        ] {
            assert_eq!(told(body).as_deref(), Some(expected), "{body}");
        }
    }
}
