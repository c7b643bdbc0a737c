//! Shifts, pivots and boxes frame by frame as CSV: `frame,kind,name,values`, with or without a line of these headings.
//!
//! `koi-00,shift,,-2,0` · `koi-00,move,,-2,0` · `koi-00,pivot,,16,23` · `koi-00,box,body,4,10,24,12` ·
//! `sign,nine,,4,4,4,6`. The values may also be in one cell, separated by spaces. A line `,done,,SUM` holds the checksum
//! of the frames once the list has been applied.

use std::path::Path;

use csv::StringRecord;
use shibori_core::shape::{FrameOverride, FrameOverrides, OverrideKind};
use shibori_core::{Insets, Name, Point, SignedRect};

use crate::decode::records::lines;
use crate::decode::{ReadOptions, read_bytes};
use crate::{FileError, ReadProblem};

/// No drawing is moved farther.
const MAX_SHIFT: u32 = 1 << 16;
const COLUMNS: &str = "frame,kind,name,values";

/// Reads a list of places.
pub fn overrides(path: &Path, limits: &ReadOptions) -> Result<FrameOverrides, FileError> {
    let bytes = read_bytes(path, limits)?;
    parse(&bytes).map_err(|problem| FileError::read(path, problem))
}

fn parse(bytes: &[u8]) -> Result<FrameOverrides, ReadProblem> {
    let mut list = FrameOverrides::default();
    for (line, record) in lines(bytes, COLUMNS)? {
        let wrong = |why| ReadProblem::List { line, why };
        match record.get(1) {
            Some("done") => list.done = Some(parse_checksum(&record).map_err(wrong)?),
            _ => list.lines.push(parse_record(&record, line as usize).map_err(wrong)?),
        }
    }
    Ok(list)
}

fn parse_checksum(record: &StringRecord) -> Result<u32, String> {
    let digits = record.get(3).unwrap_or_default();
    u32::from_str_radix(digits, 16).map_err(|_| format!("'{digits}' is not a checksum of up to 8 hex digits"))
}

fn parse_record(record: &StringRecord, line: usize) -> Result<FrameOverride, String> {
    if record.len() < 4 {
        return Err(format!("{} columns instead of 4 or more; a line is {COLUMNS}", record.len()));
    }
    let values: Vec<&str> = record
        .iter()
        .skip(3)
        .flat_map(|cell| cell.split([' ', ',', ';']))
        .filter(|part| !part.is_empty())
        .collect();
    let kind = match &record[1] {
        kind @ ("shift" | "move") => {
            let [x, y] = numbers::<i32, 2>(&values, &format!("a {kind} has x and y"))?;
            if x.unsigned_abs().max(y.unsigned_abs()) > MAX_SHIFT {
                return Err(format!("a {kind} of {x},{y} px is farther than {MAX_SHIFT} px"));
            }
            if kind == "shift" { OverrideKind::Shift(x, y) } else { OverrideKind::Move(x, y) }
        }
        "pivot" => {
            let [x, y] = numbers::<f64, 2>(&values, "a pivot has x and y")?;
            OverrideKind::Pivot(Point::new(x, y))
        }
        "box" => {
            let name = Name::new(&record[2]).map_err(|error| format!("the box's name: {error}"))?;
            let [x, y, width, height] = numbers::<i32, 4>(&values, "a box has x, y, width and height")?;
            let side = |length: i32| u32::try_from(length).ok().filter(|length| *length > 0);
            let sides = side(width).zip(side(height));
            let (width, height) = sides.ok_or_else(|| format!("a box of {width}x{height} px is empty"))?;
            OverrideKind::Box(name, SignedRect { x, y, width, height })
        }
        "nine" => {
            let [left, top, right, bottom] =
                numbers::<u32, 4>(&values, "a nine-slice has left, top, right and bottom")?;
            OverrideKind::Nine(Insets { left, top, right, bottom })
        }
        other => return Err(format!("'{other}' is not a kind; available: shift, move, pivot, box, nine")),
    };
    Ok(FrameOverride { frame: record[0].to_owned(), kind, line })
}

fn numbers<T: std::str::FromStr + Copy + Default, const N: usize>(
    values: &[&str],
    wanted: &str,
) -> Result<[T; N], String> {
    if values.len() != N {
        return Err(format!(
            "{wanted}, not {} number{}",
            values.len(),
            if values.len() == 1 { "" } else { "s" }
        ));
    }
    // Halves of a pixel are no place for a drawing.
    let is_fraction = |text: &str| text.parse::<f64>().is_ok();
    let mut numbers = [T::default(); N];
    for (number, text) in numbers.iter_mut().zip(values) {
        let what = if is_fraction(text) { "whole number" } else { "number" };
        *number = text.parse().map_err(|_| format!("'{text}' is not a {what}; {wanted} in pixels"))?;
    }
    Ok(numbers)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pivots_boxes_and_panels_are_read_in_both_ways_of_writing() {
        let text = "frame,kind,name,values\nkoi-00,pivot,,16,23.5\nkoi-00,box,body,\"-4 10 24 12\"\nsign,nine,,4,4,4,6\n";
        let found = parse(text.as_bytes()).unwrap().lines;
        assert_eq!(found[0].kind, OverrideKind::Pivot(Point::new(16.0, 23.5)));
        let area = SignedRect { x: -4, y: 10, width: 24, height: 12 };
        assert_eq!(found[1].kind, OverrideKind::Box(Name::new("body").unwrap(), area));
        assert_eq!((found[2].line, found[2].frame.as_str()), (4, "sign"));
    }

    #[test]
    fn what_is_wrong_is_named_with_its_line() {
        for (text, wanted) in [
            ("koi,pivot,,1\n", "line 1: a pivot has x and y, not 1 number"),
            ("koi,pivot,,1,2\nkoi,box,body,1,2,0,4\n", "line 2: a box of 0x4 px is empty"),
            ("koi,shift,,1.5,0\n", "line 1: '1.5' is not a whole number; a shift has x and y in pixels"),
            ("koi,shift,,1,99999999\n", "line 1: a shift of 1,99999999 px is farther than 65536 px"),
            ("koi,hit,body,1,2\n", "line 1: 'hit' is not a kind; available: shift, move, pivot, box, nine"),
            ("koi,pivot,,1,two\n", "line 1: 'two' is not a number; a pivot has x and y in pixels"),
            ("koi,pivot\n", "line 1: 2 columns instead of 4 or more; a line is frame,kind,name,values"),
        ] {
            assert_eq!(parse(text.as_bytes()).unwrap_err().to_string(), wanted);
        }
    }
}
