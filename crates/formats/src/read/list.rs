//! Lists as CSV, with or without a line of headings. What a line means is for others to say.

use csv::{ReaderBuilder, StringRecord, Trim};

use crate::ReadProblem;

/// The lines of a list but its headings, each with its number from 1.
pub(super) fn lines(bytes: &[u8], headings: &str) -> Result<Vec<(u64, StringRecord)>, ReadProblem> {
    let mut builder = ReaderBuilder::new();
    builder.has_headers(false).flexible(true).trim(Trim::All);
    let mut found = Vec::new();
    for (number, record) in builder.from_reader(bytes).into_records().enumerate() {
        let record = record.map_err(|error| {
            let line = error.position().map_or(number as u64 + 1, csv::Position::line);
            ReadProblem::List { line, why: "is no text that can be read (UTF-8 is wanted)".to_owned() }
        })?;
        let line = record.position().map_or(number as u64 + 1, csv::Position::line);
        let is_heading = number == 0
            && record.iter().map(str::to_lowercase).collect::<Vec<_>>().join(",").starts_with(headings);
        if !is_heading {
            found.push((line, record));
        }
    }
    if found.is_empty() {
        return Err(ReadProblem::List { line: 1, why: format!("there are no places; a line is {headings}") });
    }
    Ok(found)
}
