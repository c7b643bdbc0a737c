//! Clips from the rows of a sheet, named in order: `idle,walk@12fps,-,leap@80ms once`, or eight directions in one word:
//! `walk-{dir8}`.
//!
//! Our order of directions is clockwise from north; `{dir:e,ne,n}` gives another. `-` skips a row. What follows a name,
//! a time and a way to play, is as in a clip.

use std::fmt;
use std::str::FromStr;

use crate::clip::ClipSpec;
use crate::{Cell, FrameSet, Name, SyntaxError};

const CLOCKWISE: &str = "n,ne,e,se,s,sw,w,nw";

/// Names of rows, from the first.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RowList {
    text: String,
    /// The name and what follows it; `None` skips a row.
    rows: Vec<Option<(String, String)>>,
}

/// What a list of rows comes to.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RowClips {
    /// The clips.
    pub specs: Vec<ClipSpec>,
    /// Rows that were named, and of which nothing is there.
    pub empty: Vec<EmptyRow>,
}

/// A row that was named, and of which nothing is there.
#[derive(Clone, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(rename_all = "snake_case"))]
pub struct EmptyRow {
    /// The sprite.
    pub sprite: Name,
    /// The row, from 0.
    pub row: u32,
    /// What its clip was to be called.
    pub clip: String,
}

fn describe_rows(rows: usize) -> String {
    match rows {
        0 | 1 => format!("{rows} row"),
        _ => format!("{rows} (r0 to r{})", rows - 1),
    }
}

/// Why a list does not fit a sheet.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum RowError {
    /// More names than rows.
    #[error("{named} row names given, but '{sprite}' has only {}", describe_rows(*rows))]
    TooMany {
        /// How many names there are.
        named: usize,
        /// The sprite.
        sprite: String,
        /// How many rows it has.
        rows: usize,
    },
    /// Frames that come from no grid.
    #[error("there are no rows: the frames were not sliced by a grid")]
    NoRows,
    /// A name or a time that is none.
    #[error(transparent)]
    Syntax(#[from] SyntaxError),
}

impl RowList {
    /// A clip's name for each row, without a time; `None` skips a row.
    ///
    /// # Errors
    /// If a name contains a character that the grammar uses, or can't be part of a file name.
    pub fn new(names: &[Option<Name>]) -> Result<Self, SyntaxError> {
        let texts: Vec<&str> = names.iter().map(|name| name.as_ref().map_or("-", Name::as_str)).collect();
        let list: Self = texts.join(",").parse()?;
        let is_same = |(row, name): (&Option<(String, String)>, &Option<Name>)| {
            row.as_ref().map(|(name, rest)| (name.as_str(), rest.as_str()))
                == name.as_ref().map(|name| (name.as_str(), ""))
        };
        match list.rows.len() == names.len() && list.rows.iter().zip(names).all(is_same) {
            true => Ok(list),
            false => {
                let problem = "a name contains a character that has a meaning in lists of rows".to_owned();
                Err(SyntaxError { text: list.text, at: 0, problem })
            }
        }
    }

    /// The name of each row, `None` where it is skipped.
    pub fn names(&self) -> impl Iterator<Item = Option<&str>> {
        self.rows.iter().map(|row| row.as_ref().map(|(name, _)| name.as_str()))
    }

    /// How many rows it names or skips.
    pub fn len(&self) -> usize {
        self.rows.len()
    }

    /// Whether it names no row.
    pub fn is_empty(&self) -> bool {
        self.rows.iter().all(Option::is_none)
    }
}

impl fmt::Display for RowList {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl FromStr for RowList {
    type Err = SyntaxError;

    fn from_str(text: &str) -> Result<Self, SyntaxError> {
        let mut rows = Vec::new();
        for (at, item) in split(text)? {
            let wrong =
                |problem: &str| SyntaxError { text: text.to_owned(), at, problem: problem.to_owned() };
            let item = item.trim();
            if item.is_empty() {
                return Err(wrong("expected the name of a row, or - to skip it"));
            }
            if item == "-" {
                rows.push(None);
                continue;
            }
            let named = item.find(['@', ' ']).unwrap_or(item.len());
            let (name, rest) = item.split_at(named);
            for name in with_directions(name).ok_or_else(|| wrong("expected {dir8} or {dir:e,ne,n,...}"))? {
                // What is wrong with the name or the time shows before there is a sheet.
                let spec = format!("{name} = r0 {rest}").parse::<ClipSpec>();
                spec.map_err(|error| wrong(&error.problem))?;
                rows.push(Some((name, rest.to_owned())));
            }
        }
        Ok(Self { text: text.to_owned(), rows })
    }
}

/// The items of a list with the characters they begin at; commas in braces part nothing.
fn split(text: &str) -> Result<Vec<(usize, &str)>, SyntaxError> {
    let (mut items, mut start, mut depth) = (Vec::new(), (0, 0), 0);
    for (count, (at, c)) in text.char_indices().enumerate() {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                items.push((start.0, &text[start.1..at]));
                start = (count + 1, at + 1);
            }
            _ => {}
        }
    }
    if depth != 0 {
        let at = text.chars().count();
        return Err(SyntaxError { text: text.to_owned(), at, problem: "a brace is not closed".to_owned() });
    }
    items.push((start.0, &text[start.1..]));
    Ok(items)
}

/// A name, or one for each direction it stands for.
fn with_directions(name: &str) -> Option<Vec<String>> {
    let Some((before, rest)) = name.split_once('{') else { return Some(vec![name.to_owned()]) };
    let (inside, after) = rest.split_once('}')?;
    let list = match inside {
        "dir8" => CLOCKWISE,
        other => other.strip_prefix("dir:")?,
    };
    let directions = list.split(',').map(str::trim);
    let names: Vec<String> = directions.map(|way| format!("{before}{way}{after}")).collect();
    (!after.contains('{') && !list.split(',').any(|way| way.trim().is_empty())).then_some(names)
}

impl RowList {
    /// The clips of every sprite that was cut from a grid, each up to its row's last drawing. `rows` says how many rows a
    /// sprite's sheet has, where frames of the last may be gone.
    ///
    /// # Errors
    /// If more rows are named than there are, or no frame has one.
    pub fn specs(&self, set: &FrameSet, rows: impl Fn(&Name) -> Option<u32>) -> Result<RowClips, RowError> {
        let mut found = RowClips::default();
        for sprite in set.sprites() {
            let frames = set.frames_of(sprite).iter().map(|&at| &set.frames()[at]);
            let cells: Vec<(Cell, bool)> =
                frames.filter_map(|frame| Some((frame.cell()?, frame.is_blank()))).collect();
            let Some(last) = cells.iter().map(|(cell, _)| cell.row).max() else { continue };
            let rows = (last + 1).max(rows(sprite).unwrap_or(0)) as usize;
            if self.rows.len() > rows {
                return Err(RowError::TooMany { named: self.rows.len(), sprite: sprite.to_string(), rows });
            }
            for (row, item) in (0u32..).zip(&self.rows) {
                let Some((name, rest)) = item else { continue };
                let in_row = || cells.iter().filter(|(cell, _)| cell.row == row);
                let first = in_row().map(|(cell, _)| cell.column).min();
                let last = in_row().filter(|(_, is_blank)| !is_blank).map(|(cell, _)| cell.column).max();
                match (first, last) {
                    (Some(first), Some(last)) => {
                        found.specs.push(format!("{sprite}:{name} = r{row}c{first}-{last} {rest}").parse()?);
                    }
                    _ => found.empty.push(EmptyRow { sprite: sprite.clone(), row, clip: name.clone() }),
                }
            }
        }
        if found.specs.is_empty() { Err(RowError::NoRows) } else { Ok(found) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::add_clips;
    use crate::set::tests::rows;

    fn clips(text: &str, lengths: &[u32]) -> Result<Vec<String>, String> {
        let list: RowList = text.parse().map_err(|e: SyntaxError| e.to_string())?;
        let set = rows("frog", lengths);
        let set = add_clips(set.clone(), &list.specs(&set, |_| None).map_err(|e| e.to_string())?.specs);
        let set = set.map_err(|e| e.to_string())?;
        let describe = |c: &crate::clip::Clip| {
            format!("{} {}x{} ms {}", c.name(), c.steps().len(), c.total_millis(), c.playback())
        };
        Ok(set.clips().iter().map(describe).collect())
    }

    #[test]
    fn rows_are_named_in_order_and_some_skipped() {
        assert_eq!(
            clips("idle,-,leap@50ms once", &[2, 3, 4]).unwrap(),
            ["idle 2x200 ms loop", "leap 4x200 ms once"]
        );
        assert_eq!(clips("a,b,c", &[2]).unwrap_err(), "3 row names given, but 'frog' has only 1 row");
    }

    #[test]
    fn a_clip_ends_with_its_rows_last_drawing_and_lost_rows_are_reported() {
        let set = rows("frog", &[4, 3, 2]);
        let blank = |at: usize| at == 1 || at == 3 || at >= 7;
        let set = set.map_frames(|at, frame| {
            let size = frame.canvas();
            let image = image::RgbaImage::new(size.width, size.height);
            let clear = crate::Pixels::from_image(image);
            let now = if blank(at) { frame.with_pixels(clear, Default::default()).unwrap() } else { frame };
            Ok::<_, crate::SetError>(now)
        });
        let list: RowList = "sit,croak,leap,dive".parse().unwrap();
        let found = list.specs(&set.unwrap(), |_| Some(4)).unwrap();
        let specs: Vec<String> = found.specs.iter().map(ToString::to_string).collect();
        assert_eq!(specs, ["frog:sit = r0c0-2", "frog:croak = r1c0-2"]);
        let empty: Vec<(u32, &str)> = found.empty.iter().map(|row| (row.row, row.clip.as_str())).collect();
        assert_eq!(empty, [(2, "leap"), (3, "dive")]);
    }

    #[test]
    fn eight_directions_go_clockwise_from_north() {
        let found = clips("walk-{dir8}@8fps", &[1; 8]).unwrap();
        assert_eq!(found[0], "walk-n 1x125 ms loop");
        assert_eq!(found[2], "walk-e 1x125 ms loop");
        assert_eq!(found[7], "walk-nw 1x125 ms loop");
        let other = clips("idle,walk-{dir:e,n,w}", &[1; 4]).unwrap();
        assert_eq!(other[1], "walk-e 1x100 ms loop");
    }

    #[test]
    fn mistakes_point_at_their_item() {
        for (text, at) in
            [("idle,,leap", 5), ("idle,walk-{dir9}", 5), ("idle,walk@12fpz", 5), ("a{dir8", 6), ("con", 0)]
        {
            assert_eq!(text.parse::<RowList>().unwrap_err().at, at, "{text}");
        }
    }
}
