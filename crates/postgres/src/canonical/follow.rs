//! New names in the texts of a model, at the places that refer to what is renamed. The server keeps references by number: a query reads
//! the same afterwards, and what it calls its own columns stays.

use std::collections::BTreeMap;

use super::super::{names, tokens};
use super::expression::{Scope, Spelling};
use super::neighbours::{has_name, with_named};
use super::references::{FromTable, ListItem, ListedColumn};
use super::texts::{self, Form};
use super::{known_of, select_list};
use crate::parse::identifier_of;
use wevrun_core::model::{
    Definition, Expression, Model, Name, Object, ObjectKey, QualifiedName, Reference, Span, Usage, edited,
};
use wevrun_core::parse::{TokenKind, token};

/// A new name.
#[derive(Clone, Copy)]
pub struct Renamed<'n> {
    /// The object, by the name that it has.
    pub object: &'n QualifiedName,
    /// The part of it.
    pub what: What<'n>,
}

/// The part of an object that gets the new name.
#[derive(Clone, Copy)]
pub enum What<'n> {
    /// A column of a relation or a label of an enumeration: its name, and the new one.
    Part(&'n Name, &'n Name),
    /// The object itself: its new name.
    Itself(&'n QualifiedName),
}

/// Edits of a text, in the order of their places.
type Edits = Vec<(Span, String)>;

/// Why a text does not get the new name.
enum Refusal {
    /// Its tree is not known.
    NoTree,
    /// With the new name alone it would mean something else.
    OtherMeaning,
}

/// Gives all texts of a model the new name. An expression that can't have it keeps the former one: it is approximate in a canonical model, and
/// the check reports the name in a source.
pub fn follow(model: &mut Model, renamed: &Renamed<'_>) {
    let own = names::identifier(renamed.object);
    // A column may be meant where only its table is named, and where its table is not: in `*`, NATURAL, and the table's own texts.
    let may_refer = |text: &Expression| {
        let is_named = |name: &str| has_name(text.written(), name);
        let is_part = |name: &Name| match name.canonical() {
            // A label may be an element of an array.
            label if label.starts_with('\'') => text.written().contains(['\'', '$']),
            column => is_named(column),
        };
        is_named(&own) || matches!(renamed.what, What::Part(from, _) if is_part(from))
    };
    let touched =
        |object: &&Object| object.definition.expressions().into_iter().any(may_refer) || renamed.is_own_output(object);
    let touched: Vec<ObjectKey> = model.objects().filter(touched).map(Object::key).collect();
    if touched.is_empty() {
        return;
    }
    let near = with_named(model, touched.iter().cloned().collect());
    let known = known_of(&near);
    for key in touched {
        let Some(object) = model.get(&key) else { continue };
        let scope = Scope::of(object, &known).with_surroundings();
        let mut changed = object.clone();
        renamed.follow_in(&mut changed, &scope);
        let written = |object: &mut Object| {
            let texts = texts::of(object, &scope).into_iter();
            texts.map(|text| text.expression.written().to_owned()).collect::<Vec<_>>()
        };
        if changed.definition != object.definition || written(&mut changed) != written(&mut object.clone()) {
            changed.text.clear();
            model.insert(changed);
        }
    }
}

impl Renamed<'_> {
    /// Whether it is a column of this view that the query alone gives the name.
    fn is_own_output(&self, object: &Object) -> bool {
        matches!(&object.definition, Definition::View(view) if view.columns.is_empty())
            && object.name == *self.object
            && matches!(self.what, What::Part(..))
    }

    fn follow_in(&self, object: &mut Object, scope: &Scope<'_>) {
        let is_own_output = self.is_own_output(object);
        for text in texts::of(object, scope) {
            let wanted = text.wanted.as_deref();
            let output = is_own_output && matches!(text.form, Form::Query);
            let found = |text_of: &str, is_canonical: bool| {
                let spelling = scope.spelling_of(&text.form, text_of, wanted, &[]).filter(|spelling| spelling.has_tree);
                let spelling = spelling.ok_or(Refusal::NoTree)?;
                self.edits(text_of, &spelling, is_canonical, output).ok_or(Refusal::OtherMeaning)
            };
            self.change(text.expression, found);
        }
    }

    /// Changes both spellings of an expression. `edits` gets a text, and whether it is canonical.
    fn change(&self, expression: &mut Expression, edits: impl Fn(&str, bool) -> Result<Edits, Refusal>) {
        let written = expression.written().to_owned();
        let is_raw = expression.canonical == written;
        let found = match edits(&written, false) {
            Ok(found) => found,
            Err(Refusal::OtherMeaning) => {
                *expression = Expression::unsure(expression.canonical.clone(), &written);
                return;
            }
            Err(Refusal::NoTree) => {
                // The words around a list's elements are in one spelling only in the canonical form.
                let of_canonical = if is_raw { Err(Refusal::NoTree) } else { edits(&expression.canonical, true) };
                if let Ok(found) = of_canonical {
                    if !found.is_empty() {
                        *expression = Expression::plain(edited(&expression.canonical, &found));
                    }
                } else if let found = self.possible(&written)
                    && !found.is_empty()
                {
                    let text = edited(&written, &found);
                    *expression = Expression::unsure(text.clone(), &text);
                }
                return;
            }
        };
        if found.is_empty() {
            return;
        }
        let after = edited(&written, &found);
        let canonical = match (expression.is_sure(), is_raw) {
            (true, true) => Some(after.clone()),
            (true, false) => edits(&expression.canonical, true).ok().map(|found| edited(&expression.canonical, &found)),
            (false, _) => None,
        };
        *expression = match canonical {
            Some(canonical) => Expression::new(canonical, &after),
            None => Expression::unsure(after.clone(), &after),
        };
    }

    /// The words that may be the name, in a text whose tree is not known.
    fn possible(&self, text: &str) -> Edits {
        let (from, to) = match self.what {
            What::Part(from, to) => (from.canonical().to_owned(), names::quoted(to.canonical())),
            What::Itself(to) => (names::identifier(self.object), names::quoted(&names::identifier(to))),
        };
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let is_name = |token: &&token::Token| {
            matches!(token.kind, TokenKind::Word | TokenKind::Quoted) && identifier_of(**token, text) == from
        };
        tokens.iter().filter(is_name).map(|token| (Span { start: token.start, end: token.end }, to.clone())).collect()
    }

    /// The new name at the places that refer to it; none if the text can't have it. `output` is whether the text is the query of the
    /// view whose column is renamed.
    fn edits(&self, text: &str, spelling: &Spelling, is_canonical: bool, output: bool) -> Option<Edits> {
        let mut places: BTreeMap<Span, Vec<Option<String>>> = BTreeMap::new();
        for reference in spelling.references.iter() {
            let is_it = reference.object == *self.object;
            // A column that two tables have in common joins them under any name.
            if is_it && reference.usage == Usage::Joins && matches!(self.what, What::Part(..)) {
                return self.with_former_columns(spelling);
            }
            if let Some(span) = reference.span {
                places.entry(span).or_default().push(self.new_text(reference, span.of(text), is_canonical));
            }
        }
        let mut edits = self.renamed_alias(spelling);
        for (span, new) in places {
            match &new[..] {
                [Some(first), rest @ ..] if rest.iter().all(|other| other.as_ref() == Some(first)) => {
                    edits.push((span, first.clone()));
                }
                // A column in USING is one of two tables: only one has the new name.
                new if new.iter().any(Option::is_some) => return self.with_former_columns(spelling),
                _ => {}
            }
        }
        if !is_canonical {
            self.keep_relations(text, spelling, &mut edits);
            self.keep_outputs(text, spelling, &mut edits)?;
        }
        if output {
            self.name_output(text, spelling, &mut edits)?;
        }
        edits.sort();
        edits.dedup();
        Some(edits)
    }

    /// Another alias for what FROM calls as the table is called now, where the text also has the table's own name before a column: the
    /// server numbers it.
    fn renamed_alias(&self, spelling: &Spelling) -> Edits {
        let What::Itself(to) = self.what else { return Edits::new() };
        let is_qualifier =
            |reference: &Reference| reference.usage == Usage::Qualifies && reference.object == *self.object;
        if !spelling.references.iter().any(is_qualifier) {
            return Edits::new();
        }
        let new = names::identifier(to);
        let around = &spelling.around;
        let aliases = around.tables.iter().filter_map(|table| table.alias.as_ref());
        let is_taken = |name: &str| aliases.clone().chain(&around.qualifiers).any(|(_, own)| own == name);
        let numbered = (1..).map(|number| format!("{new}_{number}")).find(|name| !is_taken(name)).unwrap_or_default();
        let places = aliases.clone().chain(&around.qualifiers).chain(&around.rows).filter(|(_, name)| *name == new);
        places.map(|(span, _)| (*span, names::quoted(&numbered))).collect()
    }

    /// Gives tables of FROM their former column names in the text, as the server does where a join needs them.
    fn with_former_columns(&self, spelling: &Spelling) -> Option<Edits> {
        let own = spelling.around.tables.iter().filter(|table| table.object == self.object.canonical());
        let edit = |table: &FromTable<Span>| {
            let columns: Vec<String> = table.columns.iter().map(|column| names::quoted(column)).collect();
            let columns = Some(columns.join(", ")).filter(|columns| !columns.is_empty())?;
            let (end, text) = match &table.alias {
                Some((alias, _)) => (alias.end, format!("({columns})")),
                None => (table.name.end, format!(" AS {}({columns})", names::quoted(&names::identifier(self.object)))),
            };
            Some((Span { start: end, end }, text))
        };
        let mut edits: Edits = own.map(edit).collect::<Option<_>>()?;
        edits.sort();
        edits.dedup();
        Some(edits)
    }

    /// The new text of a place that refers to the renamed thing.
    fn new_text(&self, reference: &Reference, text: &str, is_canonical: bool) -> Option<String> {
        if reference.object != *self.object {
            return None;
        }
        match (self.what, &reference.column) {
            (What::Part(from, to), Some(_)) if reference.usage == Usage::Label && text.contains('{') => {
                with_element(text, from.canonical(), to.canonical())
            }
            (What::Part(from, to), Some(column)) if column == from => Some(match reference.usage {
                Usage::Label => to.canonical().to_owned(),
                _ => names::quoted(to.canonical()),
            }),
            (What::Itself(to), None) => Some(self.new_name(to, reference.usage, text, is_canonical)),
            _ => None,
        }
    }

    /// The object's new name as a place needs it: what has moved is not found without its schema.
    fn new_name(&self, to: &QualifiedName, usage: Usage, text: &str, is_canonical: bool) -> String {
        let is_literal = text.starts_with(['\'', '$', 'e', 'E']) && text.ends_with(['\'', '$']);
        let written = if is_literal { tokens::string_value(text).unwrap_or_default() } else { text.to_owned() };
        let own = names::identifier(to);
        let has_moved = names::schema(self.object) != names::schema(to);
        let is_short = names::parts(&written).len() == 1;
        let is_usual = is_canonical && names::schema(to).as_deref() == Some(super::USUAL_PATH);
        let is_qualifier = matches!(usage, Usage::Qualifies | Usage::WholeRow);
        let name = if is_short && (is_qualifier || !has_moved) || is_usual {
            names::quoted(&own)
        } else {
            names::without_signature(to).canonical().to_owned()
        };
        if is_literal { tokens::literal(&name) } else { name }
    }

    /// Says whose columns are, where a column without a relation could mean another one once it is renamed, or once another one has its
    /// name.
    fn keep_relations(&self, text: &str, spelling: &Spelling, edits: &mut Edits) {
        let Some((_, to)) = self.part() else { return };
        let is_relation = |reference: &&Reference| reference.column.is_none() && reference.usage == Usage::Reads;
        let is_output = |item: &ListItem| match item {
            ListItem::Alias(name) | ListItem::Unnamed(name) => name == to.canonical(),
            ListItem::All(columns) => columns.iter().any(|column| column.name == to.canonical()),
        };
        let is_taken = spelling.around.lists.iter().any(|list| list.items.iter().any(is_output))
            || spelling.around.lists.len() > 1
            || spelling.references.iter().filter(is_relation).count() > 1;
        if edits.is_empty() && !spelling.references.has_object(self.object) {
            return;
        }
        // A name means a column rather than a row.
        for (span, _) in spelling.around.rows.iter().filter(|(_, name)| name == to.canonical()) {
            edits.push((Span { start: span.end, end: span.end }, ".*".to_owned()));
        }
        if !is_taken {
            return;
        }
        let has_name = |span: Span| {
            let is_it = |reference: &Reference| reference.span == Some(span) && reference.column.as_ref() == Some(to);
            spelling.references.iter().any(is_it)
        };
        for (span, relation) in &spelling.around.columns {
            let qualified = |name: &str| format!("{}.{}", names::quoted(relation), name);
            match edits.iter_mut().find(|(place, _)| place == span) {
                Some((_, name)) => *name = qualified(name),
                None if has_name(*span) => {
                    edits.push((*span, qualified(span.of(text))));
                }
                None => {}
            }
        }
    }

    /// Keeps the names of outputs whose columns are renamed.
    fn keep_outputs(&self, text: &str, spelling: &Spelling, edits: &mut Edits) -> Option<()> {
        let former = match self.what {
            What::Part(from, _) => from.canonical().to_owned(),
            What::Itself(_) => names::identifier(self.object),
        };
        let is_it = |column: &ListedColumn| {
            column.name == former && column.table.as_deref() == Some(self.object.canonical()) && self.part().is_some()
        };
        for list in &spelling.around.lists {
            let is_touched = |item: &ListItem| match item {
                ListItem::Alias(_) => false,
                ListItem::Unnamed(name) => *name == former && !edits.is_empty(),
                ListItem::All(columns) => columns.iter().any(is_it),
            };
            if !list.items.iter().any(is_touched) {
                continue;
            }
            let items = select_list::items(text, list)?;
            for (item, span) in list.items.iter().zip(items) {
                let is_edited = edits.iter().any(|(place, _)| span.contains(*place));
                match item {
                    ListItem::Unnamed(name) if *name == former && is_edited => {
                        edits.push((Span { start: span.end, end: span.end }, format!(" AS {}", names::quoted(name))));
                    }
                    ListItem::All(columns) if columns.iter().any(is_it) => {
                        let named = |column: &ListedColumn| match self.part().filter(|_| is_it(column)) {
                            Some((_, to)) => select_list::column(column, to.canonical(), &column.name),
                            None => select_list::column(column, &column.name, &column.name),
                        };
                        edits.retain(|(place, _)| !span.contains(*place));
                        edits.push((span, columns.iter().map(named).collect::<Vec<_>>().join(", ")));
                    }
                    _ => {}
                }
            }
        }
        Some(())
    }

    fn part(&self) -> Option<(&Name, &Name)> {
        match self.what {
            What::Part(from, to) => Some((from, to)),
            What::Itself(_) => None,
        }
    }

    /// Gives the view's own column its new name in the view's query.
    fn name_output(&self, text: &str, spelling: &Spelling, edits: &mut Edits) -> Option<()> {
        let (from, to) = self.part()?;
        let list = select_list::outermost(text, &spelling.around.lists)?;
        let new = names::quoted(to.canonical());
        for (item, span) in list.items.iter().zip(select_list::items(text, list)?) {
            match item {
                ListItem::Alias(alias) if alias == from.canonical() => {
                    edits.push((select_list::last_token(text, span)?, new.clone()));
                }
                ListItem::Unnamed(name) if name == from.canonical() => {
                    edits.push((Span { start: span.end, end: span.end }, format!(" AS {new}")));
                }
                ListItem::All(columns) if columns.iter().any(|column| column.name == from.canonical()) => {
                    let called = |column: &ListedColumn| {
                        if column.name == from.canonical() { to.canonical() } else { &column.name }.to_owned()
                    };
                    let listed =
                        columns.iter().map(|column| select_list::column(column, &column.name, &called(column)));
                    edits.push((span, listed.collect::<Vec<_>>().join(", ")));
                }
                _ => {}
            }
        }
        Some(())
    }
}

/// The literal of an array in which a label has another name; none if it has no such element
/// (<https://www.postgresql.org/docs/current/arrays.html#ARRAYS-IO>).
fn with_element(literal: &str, from: &str, to: &str) -> Option<String> {
    let value = tokens::string_value(literal)?;
    let [from, to] = [from, to].map(|label| tokens::string_value(label).unwrap_or_default());
    let (mut out, mut element, mut is_quoted, mut found) = (String::new(), String::new(), false, false);
    let mut chars = value.chars();
    while let Some(ch) = chars.next() {
        match ch {
            '"' => {
                is_quoted = !is_quoted;
                element.push(ch);
            }
            '\\' => element.extend([ch].into_iter().chain(chars.next())),
            '{' | '}' | ',' if !is_quoted => {
                let is_label = element_text(&element) == from;
                found |= is_label;
                out += if is_label { "" } else { &element };
                if is_label {
                    out += &element_of(&to);
                }
                element.clear();
                out.push(ch);
            }
            _ => element.push(ch),
        }
    }
    found.then(|| tokens::literal(&(out + &element)))
}

/// An element with this value, in quotes where the server writes them.
fn element_of(value: &str) -> String {
    let is_special = |ch: char| matches!(ch, '{' | '}' | ',' | '"' | '\\') || ch.is_whitespace();
    if !value.is_empty() && !value.contains(is_special) && !value.eq_ignore_ascii_case("null") {
        return value.to_owned();
    }
    format!("\"{}\"", value.replace('\\', "\\\\").replace('"', "\\\""))
}

/// The value of an element as it is written.
fn element_text(element: &str) -> String {
    let inner = element.trim();
    let inner = inner.strip_prefix('"').and_then(|inner| inner.strip_suffix('"')).unwrap_or(inner);
    let mut chars = inner.chars();
    let mut text = String::new();
    while let Some(ch) = chars.next() {
        text.extend(if ch == '\\' { chars.next() } else { Some(ch) });
    }
    text
}

#[cfg(test)]
mod tests {
    use super::with_element;

    #[test]
    fn only_whole_elements_of_arrays_are_renamed() {
        let renamed = |literal: &str| with_element(literal, "'new'", "'it''s new'");
        assert_eq!(renamed("'{new,old}'").as_deref(), Some("'{\"it''s new\",old}'"));
        assert_eq!(renamed("'{{\"new\"},{newer}}'").as_deref(), Some("'{{\"it''s new\"},{newer}}'"));
        assert_eq!(renamed("'{newer,\"a,new\",NULL}'"), None);
    }
}
