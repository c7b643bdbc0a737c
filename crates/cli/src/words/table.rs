//! Tables for people: columns two spaces apart, as wide as a terminal shows them, whatever script names are in.

use comfy_table::{Cell, CellAlignment, ContentArrangement, Table, presets};

/// A heading and its rows as lines. Columns whose number is in `right` are numbers, flush right.
pub(crate) fn table(heading: &[&str], rows: &[Vec<String>], right: &[usize]) -> (String, Vec<String>) {
    let mut table = Table::new();
    table.load_preset(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    let cell = |(at, text): (usize, &str)| {
        let side = if right.contains(&at) { CellAlignment::Right } else { CellAlignment::Left };
        Cell::new(text).set_alignment(side)
    };
    table.add_row(heading.iter().copied().enumerate().map(cell));
    for row in rows {
        table.add_row(row.iter().map(String::as_str).enumerate().map(cell));
    }
    for column in table.column_iter_mut() {
        column.set_padding((0, 2));
    }
    let mut lines = table.lines().map(|line| line.trim_end().to_owned());
    (lines.next().unwrap_or_default(), lines.collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_stand_under_each_other_in_any_script() {
        let rows = [
            vec!["koi".to_owned(), "8".to_owned()],
            vec!["\u{9bc9}\u{306e}\u{6b69}\u{304d}".to_owned(), "12".to_owned()],
        ];
        let (heading, lines) = table(&["clip", "frames"], &rows, &[1]);
        assert_eq!(heading, "clip      frames");
        assert_eq!(lines[0], "koi            8");
        // Four signs of two columns each.
        assert_eq!(lines[1], "\u{9bc9}\u{306e}\u{6b69}\u{304d}      12");
    }
}
