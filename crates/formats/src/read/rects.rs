//! Lists of places as CSV: `name,x,y,w,h`, with or without a line of these headings.

use std::path::Path;

use csv::StringRecord;
use shibori_core::cut::NamedRect;
use shibori_core::{Name, Rect};

use crate::read::list::lines;
use crate::{Error, ReadProblem};

const COLUMNS: &str = "name,x,y,w,h";

/// Reads a list of named rectangles.
pub fn rects(path: &Path) -> Result<Vec<NamedRect>, Error> {
    let bytes = crate::read::bytes_of(path)?;
    parse(&bytes).map_err(|problem| Error::read(path, problem))
}

fn parse(bytes: &[u8]) -> Result<Vec<NamedRect>, ReadProblem> {
    let place = |(line, record): (u64, StringRecord)| {
        one(&record, line).map_err(|why| ReadProblem::List { line, why })
    };
    lines(bytes, COLUMNS)?.into_iter().map(place).collect()
}

fn one(record: &StringRecord, line: u64) -> Result<NamedRect, String> {
    if record.len() != 5 {
        return Err(format!("{} columns instead of 5; a line is {COLUMNS}", record.len()));
    }
    let name = Name::new(&record[0]).map_err(|error| error.to_string())?;
    let mut numbers = [0u32; 4];
    for (at, column) in ["x", "y", "w", "h"].into_iter().enumerate() {
        let text = &record[at + 1];
        numbers[at] = text.parse().map_err(|_| match text.parse::<f64>() {
            Ok(number) if number < 0.0 => {
                format!("{column} of '{name}' is {text}; places are counted from 0")
            }
            _ => format!("{column} of '{name}' is '{text}', not a whole number of pixels"),
        })?;
    }
    let [x, y, width, height] = numbers;
    Ok(NamedRect { name, rect: Rect::new(x, y, width, height), line: line as usize })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headings_spaces_and_quotes() {
        let list = "Name, x, y, w, h\ncattail, 5,3,36,72\n\"lily, small\",1,2,3,4\n";
        let found = parse(list.as_bytes()).unwrap();
        let told: Vec<_> = found.iter().map(|r| (r.name.as_str(), r.rect.to_string(), r.line)).collect();
        assert_eq!(told, [("cattail", "5,3,36,72".into(), 2), ("lily, small", "1,2,3,4".into(), 3)]);
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
            let ReadProblem::List { line: at, why: told } = parse(list.as_bytes()).unwrap_err() else {
                panic!()
            };
            assert_eq!((at, told.as_str()), (line, why));
        }
    }
}
