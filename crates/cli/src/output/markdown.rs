//! A comparison for a pull request: a summary table, and each object's details folded.

use similar::TextDiff;
use wevrun_core::compare::{Change, Comparison, Difference};

use super::comparison::{View, column_list};
use super::count;

/// The longest text in characters: what the forges that show it take for one comment is a little more.
const LONGEST: usize = 60_000;

/// The page, at most [`LONGEST`] characters.
pub fn page(comparison: &Comparison<'_>, view: &View<'_>) -> String {
    let (create, remove, change) = comparison.counts();
    let mut page = format!("### {} → {}\n\n| | objects |\n| --- | ---: |\n", code(&view.have.0), code(&view.want.0));
    let unproven = comparison.unproven.len();
    let rows = [
        (view.wording.heads[0], create),
        (view.wording.heads[1], change),
        (view.wording.heads[2], remove),
        ("Unproven", unproven),
    ];
    for (head, number) in rows.into_iter().filter(|(_, number)| *number > 0) {
        page += &format!("| {head} | {number} |\n");
    }
    page += &format!("| The same | {} |\n", comparison.same);
    for note in view.chosen.notes() {
        page += &format!("\n{note}\n");
    }
    for order in view.reordered(comparison) {
        let (have, want) = (column_list(&order.have), column_list(&order.want));
        page +=
            &format!("\n- column order of table {}: {} → {}", code(&order.table.to_string()), code(&have), code(&want));
    }
    for key in &comparison.unproven {
        page += &format!("\n- unproven: {} {}", key.kind.title(), code(&key.name.to_string()));
    }
    let mut left_out = 0;
    for difference in &comparison.differences {
        let details = details(difference, view);
        // Room for the note at the end.
        if page.chars().count() + details.chars().count() > LONGEST - 200 {
            left_out += 1;
        } else {
            page += &details;
        }
    }
    if left_out > 0 {
        page += &format!("\n\n{} not shown here: the text would be too long.", count(left_out, "difference"));
    }
    page + "\n"
}

fn details(difference: &Difference<'_>, view: &View<'_>) -> String {
    let (have, want) = view.definitions(difference);
    let properties = match &difference.change {
        Change::Change { properties, .. } => &properties[..],
        _ => &[],
    };
    let word = view.wording.words.of(&difference.change);
    let head = format!("{word} {} {}", difference.key.kind.title(), html(&difference.key.name.to_string()));
    let mut text = format!("\n<details><summary>{head}</summary>\n\n");
    for property in properties {
        let value = |value: &Option<String>| value.as_deref().map_or_else(|| "–".to_owned(), in_line);
        text += &format!("- {}: {} → {}\n", plain(&property.name()), value(&property.have), value(&property.want));
    }
    if have != want {
        let diff = TextDiff::from_lines(&have, &want);
        let lines = diff.unified_diff().context_radius(3).missing_newline_hint(false).to_string();
        let fence = fence(&lines);
        text += &format!("\n{fence}diff\n{}\n{fence}\n", lines.trim_end());
    }
    text + "\n</details>\n"
}

/// A value on one line, not too long.
fn in_line(value: &str) -> String {
    const SHOWN: usize = 120;
    let line = value.split_whitespace().collect::<Vec<_>>().join(" ");
    let short: String = line.chars().take(SHOWN).collect();
    if line.chars().count() > SHOWN { format!("{} …", code(&short)) } else { code(&short) }
}

/// A text as code: between more backticks than it has in a row.
fn code(text: &str) -> String {
    if text.trim().is_empty() {
        return "(nothing)".to_owned();
    }
    let ticks = "`".repeat(longest_run(text) + 1);
    let space = if text.starts_with('`') || text.ends_with('`') { " " } else { "" };
    // A bar would end a cell of a table.
    format!("{ticks}{space}{}{space}{ticks}", text.replace('|', "\\|"))
}

/// A fence that the text can't close.
fn fence(text: &str) -> String {
    "`".repeat((longest_run(text) + 1).max(3))
}

fn longest_run(text: &str) -> usize {
    text.split(|ch| ch != '`').map(str::len).max().unwrap_or(0)
}

/// A text in an HTML element.
fn html(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace(['\n', '\r'], " ")
}

/// A text in which nothing is markup.
fn plain(text: &str) -> String {
    let line = html(text);
    line.chars()
        .flat_map(|ch| (ch.is_ascii_punctuation() && !"&;-.,".contains(ch)).then_some('\\').into_iter().chain([ch]))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_text_is_markup() {
        assert_eq!(code("a`b``c"), "```a`b``c```");
        assert_eq!(code("`"), "`` ` ``");
        assert_eq!(fence("````"), "`````");
        assert_eq!(plain("a*b_[c](d)<e>"), "a\\*b\\_\\[c\\]\\(d\\)&lt;e&gt;");
        assert_eq!(html("</summary><script>\n"), "&lt;/summary&gt;&lt;script&gt; ");
    }
}
