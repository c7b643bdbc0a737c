//! Tables for people: columns two spaces apart, as wide as a terminal shows them, whatever script names are in.

use unicode_width::UnicodeWidthStr;

/// A heading and its rows as lines. Columns whose number is in `right` are numbers, flush right.
pub(crate) fn table(heading: &[&str], rows: &[Vec<String>], right: &[usize]) -> (String, Vec<String>) {
    let heading: Vec<String> = heading.iter().map(ToString::to_string).collect();
    let all = || std::iter::once(&heading).chain(rows);
    let width = |column: usize| all().filter_map(|row| row.get(column)).map(|text| text.width()).max();
    let cell = |(column, text): (usize, &String)| {
        let space = " ".repeat(width(column).unwrap_or(0) - text.width());
        if right.contains(&column) { format!("{space}{text}  ") } else { format!("{text}{space}  ") }
    };
    let mut lines =
        all().map(|row| row.iter().enumerate().map(cell).collect::<String>().trim_end().to_owned());
    (lines.next().unwrap_or_default(), lines.collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_are_aligned_in_any_script() {
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
