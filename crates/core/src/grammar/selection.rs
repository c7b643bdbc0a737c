//! Which frames: `0-7,9`, `7-0`, `0-20/2`, `r2`, `c2`, `r2c0-5`, `r0c2-r2c3`, `named:leap-*`, `koi:0-3`.
//!
//! Numbers count frames within one sprite, from 0, blanks that were dropped not counted; rows and
//! cells are those of the sheet, so they stay right when rows have different lengths. The order of
//! a selection is kept. Never changes a frame.

use std::collections::HashMap;
use std::str::FromStr;

use crate::grammar::Pattern;
use crate::grammar::cursor::Cursor;
use crate::suggestion::{closest_name, did_you_mean};
use crate::{Cell, FrameSet, Name, SyntaxError};

/// A list of picks, in order.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Selection {
    text: String,
    picks: Vec<Pick>,
}

/// One item of a selection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Pick {
    sprite: Option<Name>,
    what: PickKind,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum PickKind {
    Numbers {
        from: u32,
        to: u32,
        step: u32,
    },
    Row(u32),
    Column(u32),
    /// From cell to cell in reading order.
    CellRange {
        from: Cell,
        to: Cell,
    },
    Cells {
        row: u32,
        from: u32,
        to: u32,
    },
    Named(Pattern),
}

/// Why a selection does not fit a set.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SelectError {
    /// A number beyond the last frame.
    #[error("there is no frame {number}: sprite '{sprite}' has {count} frames (0 to {last})", last = count.saturating_sub(1))]
    NoFrame {
        /// The number typed.
        number: u32,
        /// The sprite whose frames are counted.
        sprite: Name,
        /// How many it has.
        count: usize,
    },
    /// A row without frames.
    #[error("row {row} of sprite '{sprite}' has no frames; rows with frames: {rows}")]
    NoRow {
        /// The row typed.
        row: u32,
        /// The sprite.
        sprite: Name,
        /// The rows that have some, as text.
        rows: String,
    },
    /// A column without frames.
    #[error("column {column} of sprite '{sprite}' has no frames; columns with frames: {columns}")]
    NoColumn {
        /// The column typed.
        column: u32,
        /// The sprite.
        sprite: Name,
        /// The columns that have some, as text.
        columns: String,
    },
    /// A cell without a frame.
    #[error("{cell} of sprite '{sprite}' has no frame; row {row} has frames in columns {list}", row = cell.row, list = join_list(columns))]
    NoCell {
        /// The cell typed.
        cell: Cell,
        /// The sprite.
        sprite: Name,
        /// The columns of that row that have one.
        columns: Vec<u32>,
    },
    /// No frame has such a name.
    #[error("no frame of sprite '{sprite}' matches '{pattern}'{}", did_you_mean(nearest.as_ref()))]
    NoName {
        /// The pattern typed.
        pattern: String,
        /// The sprite.
        sprite: Name,
        /// A pattern or a name like it that frames have.
        nearest: Option<String>,
    },
    /// A sprite that is not there.
    #[error("there is no sprite '{sprite}'; available: {list}", list = join_list(known))]
    NoSprite {
        /// The sprite typed.
        sprite: Name,
        /// Those that are there.
        known: Vec<Name>,
    },
    /// Numbers in a set of several sprites.
    #[error(
        "'{what}' could belong to any of the sprites {list}; write {first}:{what}, for example",
        list = join_list(known),
        first = known[0]
    )]
    WhichSprite {
        /// What was typed.
        what: String,
        /// The sprites.
        known: Vec<Name>,
    },
}

impl FromStr for Selection {
    type Err = SyntaxError;

    fn from_str(text: &str) -> Result<Self, SyntaxError> {
        let mut cursor = Cursor::new(text);
        let mut picks: Vec<Pick> = Vec::new();
        loop {
            cursor.skip_spaces();
            picks.push(Pick::read(&mut cursor, picks.last())?);
            cursor.skip_spaces();
            if cursor.is_at_end() {
                return Ok(Self { text: text.trim().to_owned(), picks });
            }
            if !cursor.eat(",") {
                return Err(cursor.expected("a comma or the end"));
            }
        }
    }
}

impl std::fmt::Display for Selection {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.text)
    }
}

impl Selection {
    fn only(what: PickKind) -> Self {
        Self { text: what.to_string(), picks: vec![Pick { sprite: None, what }] }
    }

    /// Frames of a one-sprite set, from one number to another; backward if the second is lower.
    pub fn range(from: u32, to: u32) -> Self {
        Self::only(PickKind::Numbers { from, to, step: 1 })
    }

    /// A row of the sheet that a one-sprite set was cut from.
    pub fn row(row: u32) -> Self {
        Self::only(PickKind::Row(row))
    }

    /// The places in `set`, in the order typed; a frame picked twice is there twice.
    pub fn resolve(&self, set: &FrameSet) -> Result<Vec<usize>, SelectError> {
        let picked = self.picks.iter().map(|pick| pick.resolve(set, None));
        Ok(picked.collect::<Result<Vec<_>, _>>()?.concat())
    }
}

impl Selection {
    /// For each place that a thinned range (`0-9/2`) leaves out, the place before it that is taken.
    pub fn left_out(&self, set: &FrameSet) -> Result<HashMap<usize, usize>, SelectError> {
        let mut all = HashMap::new();
        for pick in &self.picks {
            let PickKind::Numbers { from, to, step: step @ 2.. } = pick.what else { continue };
            let sprite = pick.sprite_in(set, None)?;
            let places = numbers(set.frames_of(&sprite), &sprite, from, to, 1)?;
            for run in places.chunks(step as usize) {
                all.extend(run[1..].iter().map(|&place| (place, run[0])));
            }
        }
        Ok(all)
    }
}

impl Pick {
    /// Reads one item. A sprite named before it in the list is meant here too: `koi:0,3`.
    pub(crate) fn read(cursor: &mut Cursor<'_>, before: Option<&Pick>) -> Result<Self, SyntaxError> {
        let sprite = read_sprite(cursor)?.or_else(|| before?.sprite.clone());
        let what = if cursor.eat("named:") {
            read_pattern(cursor)?
        } else if cursor.eat("r") {
            read_cells(cursor)?
        } else if cursor.eat("c") {
            PickKind::Column(cursor.number("a column number")?)
        } else {
            read_numbers(cursor)?
        };
        Ok(Self { sprite, what })
    }

    /// The places in `set`. `home` is the sprite meant where the pick names none; without it the set
    /// must have only one.
    pub(crate) fn resolve(&self, set: &FrameSet, home: Option<&Name>) -> Result<Vec<usize>, SelectError> {
        let sprite = self.sprite_in(set, home)?;
        let frames = set.frames_of(&sprite);
        match &self.what {
            PickKind::Numbers { from, to, step } => numbers(frames, &sprite, *from, *to, *step),
            PickKind::Row(row) => row_of(set, frames, &sprite, *row),
            PickKind::Column(column) => column_of(set, frames, &sprite, *column),
            PickKind::CellRange { from, to } => cells_between(set, frames, &sprite, *from, *to),
            PickKind::Cells { row, from, to } => cells(set, frames, &sprite, *row, (*from, *to)),
            PickKind::Named(pattern) => named(set, frames, &sprite, pattern),
        }
    }

    fn sprite_in(&self, set: &FrameSet, home: Option<&Name>) -> Result<Name, SelectError> {
        let wanted = self.sprite.as_ref().or(home);
        if let Some(wanted) = wanted.filter(|wanted| !set.frames_of(wanted).is_empty()) {
            return Ok(wanted.clone());
        }
        let sprites = set.sprites();
        let known = || sprites.iter().map(|&sprite| sprite.clone()).collect();
        match (wanted, sprites.as_slice()) {
            (Some(wanted), _) => Err(SelectError::NoSprite { sprite: wanted.clone(), known: known() }),
            (None, [only]) => Ok((*only).clone()),
            (None, [_, ..]) => Err(SelectError::WhichSprite { what: self.what.to_string(), known: known() }),
            // A set without frames: any number is too large for it.
            (None, []) => Ok(Name::new("-").expect("not empty")),
        }
    }
}

impl std::fmt::Display for PickKind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let span = |from: u32, to: u32| if from == to { from.to_string() } else { format!("{from}-{to}") };
        match self {
            PickKind::Numbers { from, to, step: 1 } => f.write_str(&span(*from, *to)),
            PickKind::Numbers { from, to, step } => write!(f, "{from}-{to}/{step}"),
            PickKind::Row(row) => write!(f, "r{row}"),
            PickKind::Column(column) => write!(f, "c{column}"),
            PickKind::CellRange { from, to } => write!(f, "{from}-{to}"),
            PickKind::Cells { row, from, to } => write!(f, "r{row}c{}", span(*from, *to)),
            PickKind::Named(pattern) => write!(f, "named:{pattern}"),
        }
    }
}

/// Reads `koi:` if that is what comes next, and nothing otherwise.
fn read_sprite(cursor: &mut Cursor<'_>) -> Result<Option<Name>, SyntaxError> {
    let item = cursor.rest().split([',', '@']).next().unwrap_or_default();
    let Some((sprite, _)) = item.split_once(':') else { return Ok(None) };
    if sprite == "named" {
        return Ok(None);
    }
    let name =
        Name::new(sprite.trim()).map_err(|error| cursor.error_at(cursor.place(), error.to_string()))?;
    cursor.eat(sprite);
    cursor.eat(":");
    cursor.skip_spaces();
    Ok(Some(name))
}

fn read_numbers(cursor: &mut Cursor<'_>) -> Result<PickKind, SyntaxError> {
    let from = cursor.number("a frame number, r2, c2, r2c0-5 or named:...")?;
    let to = if cursor.eat("-") { cursor.number("the last frame of the range")? } else { from };
    let place = cursor.place();
    let step = if cursor.eat("/") { cursor.number("the step of the range")? } else { 1 };
    if step == 0 {
        return Err(cursor.error_at(place, "a step of 0 would never end; use /1 or more"));
    }
    Ok(PickKind::Numbers { from, to, step })
}

fn read_cells(cursor: &mut Cursor<'_>) -> Result<PickKind, SyntaxError> {
    let row = cursor.number("a row number")?;
    if !cursor.eat("c") {
        return Ok(PickKind::Row(row));
    }
    let from = cursor.number("a column number")?;
    if !cursor.eat("-") {
        return Ok(PickKind::Cells { row, from, to: from });
    }
    if !cursor.eat("r") {
        return Ok(PickKind::Cells {
            row,
            from,
            to: cursor.number("the last column, or a cell such as r2c3")?,
        });
    }
    let last = cursor.number("the row of the last cell")?;
    if !cursor.eat("c") {
        return Err(cursor.expected("c and the column of the last cell, as in r0c2-r2c3"));
    }
    let column = cursor.number("the column of the last cell")?;
    Ok(PickKind::CellRange { from: Cell { row, column: from }, to: Cell { row: last, column } })
}

fn read_pattern(cursor: &mut Cursor<'_>) -> Result<PickKind, SyntaxError> {
    let place = cursor.place();
    let pattern = cursor.take_while(|c| !c.is_whitespace() && c != ',' && c != '@');
    if pattern.is_empty() {
        return Err(cursor.expected("a name pattern such as leap-*"));
    }
    match Pattern::new(pattern) {
        Ok(pattern) => Ok(PickKind::Named(pattern)),
        Err((at, problem)) => {
            Err(cursor.error_at(place + pattern.char_indices().nth(at).map_or(0, |(byte, _)| byte), problem))
        }
    }
}

/// From one number to another, both ends included, either way.
fn stepped_range(from: u32, to: u32, step: u32) -> Box<dyn Iterator<Item = u32>> {
    let step = step as usize;
    if from <= to { Box::new((from..=to).step_by(step)) } else { Box::new((to..=from).rev().step_by(step)) }
}

fn numbers(
    frames: &[usize],
    sprite: &Name,
    from: u32,
    to: u32,
    step: u32,
) -> Result<Vec<usize>, SelectError> {
    // The ends are asked first, so that an absurd range fails before it is walked.
    let place = |number: u32| {
        let missing = || SelectError::NoFrame { number, sprite: sprite.clone(), count: frames.len() };
        frames.get(number as usize).copied().ok_or_else(missing)
    };
    place(from)?;
    place(to)?;
    stepped_range(from, to, step).map(place).collect()
}

fn row_of(set: &FrameSet, frames: &[usize], sprite: &Name, row: u32) -> Result<Vec<usize>, SelectError> {
    let row_at = |place: usize| set.frames()[place].cell().map(|cell| cell.row);
    let found: Vec<usize> = frames.iter().copied().filter(|&place| row_at(place) == Some(row)).collect();
    if found.is_empty() {
        let mut rows: Vec<u32> = frames.iter().filter_map(|&place| row_at(place)).collect();
        rows.sort_unstable();
        rows.dedup();
        let rows =
            if rows.is_empty() { "none; it was not sliced by a grid".into() } else { join_list(&rows) };
        return Err(SelectError::NoRow { row, sprite: sprite.clone(), rows });
    }
    Ok(found)
}

fn column_of(
    set: &FrameSet,
    frames: &[usize],
    sprite: &Name,
    column: u32,
) -> Result<Vec<usize>, SelectError> {
    let column_at = |place: usize| set.frames()[place].cell().map(|cell| cell.column);
    let mut found: Vec<usize> =
        frames.iter().copied().filter(|&place| column_at(place) == Some(column)).collect();
    if found.is_empty() {
        let mut columns: Vec<u32> = frames.iter().filter_map(|&place| column_at(place)).collect();
        columns.sort_unstable();
        columns.dedup();
        let columns =
            if columns.is_empty() { "none; it was not sliced by a grid".into() } else { join_list(&columns) };
        return Err(SelectError::NoColumn { column, sprite: sprite.clone(), columns });
    }
    found.sort_by_key(|&place| set.frames()[place].cell().map(|cell| cell.row));
    Ok(found)
}

/// Both ends must hold a frame; all frames between them in reading order are meant.
fn cells_between(
    set: &FrameSet,
    frames: &[usize],
    sprite: &Name,
    from: Cell,
    to: Cell,
) -> Result<Vec<usize>, SelectError> {
    for end in [from, to] {
        cells(set, frames, sprite, end.row, (end.column, end.column))?;
    }
    let order = |cell: Cell| (cell.row, cell.column);
    let between = order(from).min(order(to))..=order(from).max(order(to));
    let place_of = |place: usize| set.frames()[place].cell().map(order);
    let mut found: Vec<usize> =
        frames.iter().copied().filter(|&at| place_of(at).is_some_and(|at| between.contains(&at))).collect();
    found.sort_by_key(|&place| place_of(place));
    if order(from) > order(to) {
        found.reverse();
    }
    Ok(found)
}

/// Both ends must hold a frame; blank cells between them were dropped and are passed over.
fn cells(
    set: &FrameSet,
    frames: &[usize],
    sprite: &Name,
    row: u32,
    (from, to): (u32, u32),
) -> Result<Vec<usize>, SelectError> {
    let in_row = row_of(set, frames, sprite, row)?;
    let column = |place: usize| set.frames()[place].cell().map(|cell| cell.column);
    for end in [from, to] {
        if !in_row.iter().any(|&place| column(place) == Some(end)) {
            let columns: Vec<u32> = in_row.iter().filter_map(|&place| column(place)).collect();
            let cell = Cell { row, column: end };
            return Err(SelectError::NoCell { cell, sprite: sprite.clone(), columns });
        }
    }
    let between = from.min(to)..=from.max(to);
    let mut found: Vec<usize> =
        in_row.into_iter().filter(|&place| column(place).is_some_and(|c| between.contains(&c))).collect();
    found.sort_by_key(|&place| column(place));
    if from > to {
        found.reverse();
    }
    Ok(found)
}

fn named(
    set: &FrameSet,
    frames: &[usize],
    sprite: &Name,
    pattern: &Pattern,
) -> Result<Vec<usize>, SelectError> {
    let fits = |place: &usize| pattern.is_match(set.frames()[*place].name().as_str());
    let found: Vec<usize> = frames.iter().copied().filter(fits).collect();
    if found.is_empty() {
        let pattern = pattern.to_string();
        let names = || set.frames_of(sprite).iter().map(|&at| set.frames()[at].name().as_str());
        let stem = |name: &str| format!("{}*", name.trim_end_matches(|c: char| c.is_ascii_digit()));
        let nearest = closest_name(&pattern, names().map(str::to_owned).chain(names().map(stem)));
        return Err(SelectError::NoName { pattern, sprite: sprite.clone(), nearest });
    }
    Ok(found)
}

fn join_list(items: &[impl ToString]) -> String {
    items.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::set::tests::rows;

    fn pick(text: &str, set: &FrameSet) -> Result<Vec<usize>, String> {
        text.parse::<Selection>().map_err(|e| e.to_string())?.resolve(set).map_err(|e| e.to_string())
    }

    #[test]
    fn every_form_picks_in_the_order_typed() {
        let set = rows("frog", &[4, 2, 3]);
        for (text, wanted) in [
            ("0-3,8", vec![0, 1, 2, 3, 8]),
            ("3-0", vec![3, 2, 1, 0]),
            ("0-8/3", vec![0, 3, 6]),
            ("7-0/2", vec![7, 5, 3, 1]),
            ("2, 2", vec![2, 2]),
            ("r1", vec![4, 5]),
            ("r2c1-2", vec![7, 8]),
            ("r2c2-0", vec![8, 7, 6]),
            ("r0c3", vec![3]),
            ("c1", vec![1, 5, 7]),
            ("r0c2-r2c0", vec![2, 3, 4, 5, 6]),
            ("r1c1-r0c3", vec![5, 4, 3]),
            ("named:frog-0[12]", vec![1, 2]),
            ("frog:1", vec![1]),
            ("frog:named:*7", vec![7]),
        ] {
            assert_eq!(pick(text, &set), Ok(wanted), "{text}");
        }
    }

    #[test]
    fn what_is_not_there_is_named_with_what_is() {
        let set = rows("frog", &[4, 2]);
        for (text, wanted) in [
            ("6", "there is no frame 6: sprite 'frog' has 6 frames (0 to 5)"),
            ("0-4000000000", "there is no frame 4000000000: sprite 'frog' has 6 frames (0 to 5)"),
            ("r2", "row 2 of sprite 'frog' has no frames; rows with frames: 0, 1"),
            ("r1c0-3", "r1c3 of sprite 'frog' has no frame; row 1 has frames in columns 0, 1"),
            ("c4", "column 4 of sprite 'frog' has no frames; columns with frames: 0, 1, 2, 3"),
            ("r0c0-r1c3", "r1c3 of sprite 'frog' has no frame; row 1 has frames in columns 0, 1"),
            ("named:leap*", "no frame of sprite 'frog' matches 'leap*'"),
            ("newt:0", "there is no sprite 'newt'; available: frog"),
        ] {
            assert_eq!(pick(text, &set), Err(wanted.to_owned()), "{text}");
        }
        let two = FrameSet::merge([rows("koi", &[2]), set]).unwrap();
        let which = "'0-1' could belong to any of the sprites koi, frog; write koi:0-1, for example";
        assert_eq!(pick("0-1", &two), Err(which.to_owned()));
        assert_eq!(pick("frog:0-1", &two), Ok(vec![2, 3]));
    }

    #[test]
    fn errors_point_at_their_character() {
        for (text, at) in [
            ("", 0),
            ("0-", 2),
            ("0,,1", 2),
            ("0 1", 2),
            ("rx", 1),
            ("r1c", 3),
            ("r1c0-r2", 7),
            ("c", 1),
            ("0-4/0", 3),
            ("é", 0),
        ] {
            assert_eq!(text.parse::<Selection>().unwrap_err().at, at, "{text:?}");
        }
    }
}
