//! Numbers and names as people read and paste them.

use std::collections::BTreeSet;
use std::path::Path;

use shibori_core::cut::{Counts, Grid};
use shibori_core::{Cell, UVec2};
use shibori_formats::DisplaySlashed;

/// A word of a command line as it can be pasted: in double quotes where it needs them, which every shell takes; and where
/// that would let a shell run or replace something, in the quotes of this system's shell that let nothing through.
pub(crate) fn pasteable(word: &str) -> String {
    let is_plain = |c: char| c.is_alphanumeric() || "-_./:=@+".contains(c);
    // A comma separates lists in one shell and nothing in the others, inside a word without spaces.
    if !word.is_empty() && word.chars().all(|c| is_plain(c) || c == ',') {
        return word.to_owned();
    }
    let is_live = |c: char| "$`\\\"!%".contains(c) || c.is_control();
    if word.chars().any(is_live) { quoted(word) } else { format!("\"{word}\"") }
}

/// A file as it can be pasted: one whose name begins like an option is named with its folder.
pub(crate) fn pasteable_path(path: &Path) -> String {
    let text = path.display_slashed().to_string();
    pasteable(&if text.starts_with('-') && text != "-" { format!("./{text}") } else { text })
}

/// In quotes between which nothing is live: for POSIX shells and fish. What can't be typed is written as an escape.
#[cfg(not(windows))]
fn quoted(word: &str) -> String {
    if !word.chars().any(char::is_control) {
        return format!("'{}'", word.replace('\'', "'\\''"));
    }
    let escaped = |c: char| match c {
        '\'' | '\\' => format!("\\{c}"),
        c if c.is_control() => c.to_string().bytes().map(|byte| format!("\\x{byte:02x}")).collect(),
        c => c.to_string(),
    };
    format!("$'{}'", word.chars().map(escaped).collect::<String>())
}

/// In quotes between which nothing is live, for PowerShell.
#[cfg(windows)]
fn quoted(word: &str) -> String {
    format!("'{}'", word.replace('\'', "''"))
}

/// ` --offset 2,2 --gutter 1,1`, without what is nothing.
pub(crate) fn spacing_options(offset: UVec2, gutter: UVec2) -> String {
    let option = |option: &str, pair: UVec2| match pair {
        UVec2 { x: 0, y: 0 } => String::new(),
        pair => format!(" {option} {pair}"),
    };
    option("--offset", offset) + &option("--gutter", gutter)
}

/// Bytes in the unit that leaves one to three digits before the point; 1 kB is 1000 bytes.
pub(crate) fn format_bytes(count: u64) -> String {
    shibori_core::ByteSize(count).to_string()
}

/// Milliseconds with at most two decimals: `100 ms`, `83.33 ms`.
pub(crate) fn format_millis(value: f64) -> String {
    let text = format!("{value:.2}");
    format!("{} ms", text.trim_end_matches('0').trim_end_matches('.'))
}

/// Cells as short ranges: whole rows `r4` or `r4-r7`, whole columns `c5-c7`, and what is left of each row, `r0c4-7`.
pub(crate) fn cells(cells: &[Cell], grid: &Grid) -> Vec<String> {
    let Counts { columns, rows } = grid.counts();
    let all: BTreeSet<Cell> = cells.iter().copied().collect();
    let has = |row: u32, column: u32| all.contains(&Cell { row, column });
    let whole_rows: Vec<u32> = (0..rows).filter(|&row| (0..columns).all(|column| has(row, column))).collect();
    let left: Vec<u32> = (0..rows).filter(|row| !whole_rows.contains(row)).collect();
    let is_whole = |column: u32| left.len() > 1 && left.iter().all(|&row| has(row, column));
    let whole_columns: Vec<u32> = (0..columns).filter(|&column| is_whole(column)).collect();
    let run = |letter: char| {
        move |&(first, last): &(u32, u32)| match first == last {
            true => format!("{letter}{first}"),
            false => format!("{letter}{first}-{letter}{last}"),
        }
    };
    let mut texts: Vec<String> = runs(&whole_rows).iter().map(run('r')).collect();
    texts.extend(runs(&whole_columns).iter().map(run('c')));
    for &row in &left {
        let rest: Vec<u32> =
            (0..columns).filter(|&at| has(row, at) && !whole_columns.contains(&at)).collect();
        texts.extend(runs(&rest).iter().map(|&(first, last)| match first == last {
            true => format!("r{row}c{first}"),
            false => format!("r{row}c{first}-{last}"),
        }));
    }
    texts
}

/// Numbers that follow each other, as first and last.
fn runs(numbers: &[u32]) -> Vec<(u32, u32)> {
    let mut runs: Vec<(u32, u32)> = Vec::new();
    for &number in numbers {
        match runs.last_mut() {
            Some((_, last)) if *last + 1 == number => *last = number,
            _ => runs.push((number, number)),
        }
    }
    runs
}

/// `0-3,5,4-2`, `0-348/2`: as a clip is typed.
pub(crate) fn numbers_as_ranges(numbers: &[usize]) -> String {
    let mut parts: Vec<String> = Vec::new();
    let mut rest = numbers;
    while let [first, ..] = rest {
        let step = |pair: &[usize]| pair[1] as i64 - pair[0] as i64;
        let way = rest.windows(2).next().map_or(0, step);
        let same = rest.windows(2).take_while(|pair| step(pair) == way).count();
        // Two numbers two apart are shorter as they are.
        let count = match way.unsigned_abs() {
            0 => 1,
            1 => same + 1,
            _ if same > 1 => same + 1,
            _ => 1,
        };
        let last = rest[count - 1];
        parts.push(match (count, way.unsigned_abs()) {
            (1, _) => first.to_string(),
            (_, 1) => format!("{first}-{last}"),
            (_, way) => format!("{first}-{last}/{way}"),
        });
        rest = &rest[count..];
    }
    parts.join(",")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_read_easily() {
        assert_eq!([999, 1000, 12_345_678].map(format_bytes), ["999 B", "1.0 kB", "12.3 MB"]);
        assert_eq!([100.0, 1000.0 / 12.0, 0.5].map(format_millis), ["100 ms", "83.33 ms", "0.5 ms"]);
    }

    #[cfg(unix)]
    #[test]
    fn no_shell_runs_what_a_file_is_called() {
        assert_eq!(pasteable("a b.png"), "\"a b.png\"");
        let names = [
            "$(touch X).png",
            "`touch X`.png",
            "it's \"X\".png",
            "a!b%c.png",
            "back\\slash $HOME.png",
            "two\nlines.png",
            "-o.png",
            "plain.png",
            "with space.png",
            "ünïcode 鯉.png",
            "semi;touch X",
            "a&b|c>X",
            "*?[x]",
            "~",
        ];
        for name in names {
            let command = format!("printf %s {}", pasteable_path(Path::new(name)));
            let output = std::process::Command::new("bash").args(["-c", &command]).output().unwrap();
            let seen = String::from_utf8(output.stdout).unwrap();
            assert_eq!(seen.trim_start_matches("./"), name, "{command}");
        }
    }

    #[test]
    fn frames_are_listed_as_ranges_both_ways() {
        assert_eq!(numbers_as_ranges(&[0, 1, 2, 3]), "0-3");
        assert_eq!(numbers_as_ranges(&[3, 4, 5, 4, 7]), "3-5,4,7");
        assert_eq!(numbers_as_ranges(&[5, 4, 3, 3]), "5-3,3");
        let film: Vec<usize> = (0..=348).step_by(2).collect();
        assert_eq!(numbers_as_ranges(&film), "0-348/2");
        assert_eq!(numbers_as_ranges(&[9, 6, 3, 0, 2]), "9-0/3,2");
        assert_eq!(numbers_as_ranges(&[0, 2, 3, 4]), "0,2-4");
        assert_eq!(numbers_as_ranges(&[]), "");
    }
}
