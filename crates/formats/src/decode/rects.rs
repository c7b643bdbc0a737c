//! Lists of places as CSV. With a line of headings their order is free, other columns are passed over, and `width` and `height` will do for
//! `w` and `h`: a table that `export` wrote is such a list. Without one a line is `name,x,y,w,h`. Commas or semicolons.

use std::path::Path;

use csv::StringRecord;
use shibori_core::cut::NamedRect;
use shibori_core::{Name, Rect};

use crate::decode::records::records;
use crate::decode::{ReadOptions, read_bytes};
use crate::{FileError, ReadProblem};

const COLUMNS: &str = "name,x,y,w,h";

/// Reads a list of named rectangles.
pub fn rects(path: &Path, limits: &ReadOptions) -> Result<Vec<NamedRect>, FileError> {
    let bytes = read_bytes(path, limits)?;
    parse_rects(&bytes).map_err(|problem| FileError::read(path, problem))
}

/// Which column holds what.
struct Columns {
    name: usize,
    /// x, y, width, height.
    numbers: [usize; 4],
    /// Whether the place is rotated, in a table of ours.
    rotated: Option<usize>,
}

const DEFAULT_COLUMNS: Columns = Columns { name: 0, numbers: [1, 2, 3, 4], rotated: None };

impl Columns {
    /// From a line of headings; `None` where it is none.
    fn of(record: &StringRecord) -> Option<Result<Self, String>> {
        let at = |names: &[&str]| record.iter().position(|cell| names.contains(&&*cell.to_lowercase()));
        let name = at(&["name"])?;
        let wanted: [&[&str]; 4] = [&["x"], &["y"], &["w", "width"], &["h", "height"]];
        let mut numbers = [0; 4];
        for (number, names) in numbers.iter_mut().zip(wanted) {
            match at(names) {
                Some(column) => *number = column,
                None => {
                    return Some(Err(format!(
                        "there is no column '{}'; a line is {COLUMNS}",
                        names.join("' or '")
                    )));
                }
            }
        }
        Some(Ok(Self { name, numbers, rotated: at(&["rotated"]) }))
    }
}

fn parse_rects(bytes: &[u8]) -> Result<Vec<NamedRect>, ReadProblem> {
    let mut columns = DEFAULT_COLUMNS;
    let mut places = Vec::new();
    for (number, (line, record)) in records(bytes)?.into_iter().enumerate() {
        let wrong = |why: String| ReadProblem::List { line, why };
        if let Some(found) = Columns::of(&record).filter(|_| number == 0) {
            columns = found.map_err(wrong)?;
            continue;
        }
        places.extend(parse_record(&record, &columns, line).map_err(wrong)?);
    }
    match places.is_empty() {
        true => Err(ReadProblem::List { line: 1, why: format!("there are no places; a line is {COLUMNS}") }),
        false => Ok(places),
    }
}

/// One place; none for a blank frame of a table that `export` wrote.
fn parse_record(record: &StringRecord, columns: &Columns, line: u64) -> Result<Option<NamedRect>, String> {
    let last = columns.numbers.iter().chain([&columns.name]).max().map_or(0, |last| last + 1);
    if record.len() < last
        || (columns.rotated.is_none() && columns.name == 0 && last == 5 && record.len() != 5)
    {
        return Err(format!("{} columns instead of {last}; a line is {COLUMNS}", record.len()));
    }
    let name = Name::new(&record[columns.name]).map_err(|error| error.to_string())?;
    let mut numbers = [0u32; 4];
    for ((number, &at), column) in numbers.iter_mut().zip(&columns.numbers).zip(["x", "y", "w", "h"]) {
        let text = &record[at];
        *number = text.parse().map_err(|_| match text.parse::<f64>() {
            Ok(number) if number < 0.0 => {
                format!("{column} of '{name}' is {text}; places are counted from 0")
            }
            _ => format!("{column} of '{name}' is '{text}', not a whole number of pixels"),
        })?;
    }
    match columns.rotated.and_then(|at| record.get(at)) {
        Some("true") => {
            return Err(format!("'{name}' is rotated; name the atlas itself, whose frames are rotated back"));
        }
        Some(_) if numbers == [0; 4] => return Ok(None),
        _ => {}
    }
    let [x, y, width, height] = numbers;
    Ok(Some(NamedRect { name, rect: Rect::new(x, y, width, height), line: line as usize }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headings_spaces_and_quotes() {
        let list = "Name, x, y, w, h\ncattail, 5,3,36,72\n\"lily, small\",1,2,3,4\n";
        let found = parse_rects(list.as_bytes()).unwrap();
        let texts: Vec<_> = found.iter().map(|r| (r.name.as_str(), r.rect.to_string(), r.line)).collect();
        assert_eq!(texts, [("cattail", "5,3,36,72".into(), 2), ("lily, small", "1,2,3,4".into(), 3)]);
    }

    #[test]
    fn columns_go_by_their_headings() {
        let read = |list: &str| {
            let found = parse_rects(list.as_bytes()).map_err(|problem| problem.to_string())?;
            Ok::<_, String>(found.iter().map(|r| format!("{} {}", r.name, r.rect)).collect::<Vec<_>>())
        };
        let wanted = Ok(vec!["lily 1,2,3,4".to_owned()]);
        assert_eq!(read("height;Width;note;y;x;NAME\n4;3;on the left;2;1;lily\n"), wanted);
        assert_eq!(read("\u{feff}name,x,y,w,h\r\nlily,1,2,3,4\r\n"), wanted);
        let table =
            "sprite,name,x,y,width,height,rotated\npond,lily,1,2,3,4,false\npond,gone,0,0,0,0,false\n";
        assert_eq!(read(table), wanted);
        let rotated = table.replace("4,false", "4,true");
        assert!(read(&rotated).unwrap_err().contains("'lily' is rotated"));
        assert!(read("name,x,y,w\nlily,1,2,3\n").unwrap_err().contains("no column 'h' or 'height'"));
    }

    #[test]
    fn mistakes_name_line_and_column() {
        for (list, line, why) in [
            ("a,1,2,3\n", 1, "4 columns instead of 5; a line is name,x,y,w,h"),
            ("a,1,2,3,4\nb,1,-2,3,4\n", 2, "y of 'b' is -2; places are counted from 0"),
            ("a,1,2,wide,4\n", 1, "w of 'a' is 'wide', not a whole number of pixels"),
            ("name,x,y,w,h\n", 1, "there are no places; a line is name,x,y,w,h"),
            (",1,2,3,4\n", 1, "a name can't be empty"),
        ] {
            let ReadProblem::List { line: at, why: found } = parse_rects(list.as_bytes()).unwrap_err() else {
                panic!()
            };
            assert_eq!((at, found.as_str()), (line, why));
        }
    }
}
