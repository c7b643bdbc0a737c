//! Which cell of which line a frame gets, where place is index: grids, strips and clip rows.

use std::cmp::Reverse;

use crate::clip::Clip;
use crate::pack::{PackError, RowName};
use crate::{FrameSet, Name, Size, UVec2};

/// A slot for every frame, counted in cells.
pub(super) struct CellSlots {
    /// Column and line of each frame.
    pub(super) of_frames: Vec<UVec2>,
    /// Whether a line that is too long goes on in the next.
    pub(super) may_wrap: bool,
    /// What a line is, for people.
    pub(super) what: String,
    shape: Shape,
}

enum Shape {
    /// As near to a square page as it goes.
    NearSquare,
    Fixed {
        columns: u32,
        lines: u32,
    },
}

impl CellSlots {
    pub(super) fn columns(&self, cell: Size) -> u32 {
        match self.shape {
            Shape::Fixed { columns, .. } => columns,
            Shape::NearSquare => near_square(self.of_frames.len() as u32, cell),
        }
    }

    pub(super) fn lines(&self, cell: Size) -> u32 {
        match self.shape {
            Shape::Fixed { lines, .. } => lines,
            Shape::NearSquare => (self.of_frames.len() as u32).div_ceil(self.columns(cell)),
        }
    }
}

/// The number of columns that makes the page nearest to a square; of equals, the one with the fewest
/// cells left empty, then the wider.
fn near_square(count: u32, cell: Size) -> u32 {
    let longest_side = |columns: u32| {
        let lines = count.div_ceil(columns);
        (u64::from(columns) * u64::from(cell.width)).max(u64::from(lines) * u64::from(cell.height))
    };
    let spare = |columns: u32| count.div_ceil(columns) * columns - count;
    (1..=count).min_by_key(|&columns| (longest_side(columns), spare(columns), Reverse(columns))).unwrap_or(1)
}

/// Frames one after another, in lines of `columns` where given.
pub(super) fn in_lines(count: usize, columns: Option<u32>) -> CellSlots {
    let count = count as u32;
    match columns {
        None => CellSlots {
            // All in line 0: it wraps once the number of columns is known.
            of_frames: (0..count).map(|at| UVec2 { x: at, y: 0 }).collect(),
            may_wrap: true,
            what: "the grid".to_owned(),
            shape: Shape::NearSquare,
        },
        Some(columns) => {
            let columns = columns.max(1);
            let slot = |at: u32| UVec2 { x: at % columns, y: at / columns };
            CellSlots {
                of_frames: (0..count).map(slot).collect(),
                may_wrap: false,
                what: if columns >= count { "the strip".to_owned() } else { "the grid".to_owned() },
                shape: Shape::Fixed { columns, lines: count.div_ceil(columns) },
            }
        }
    }
}

/// Frames in rows of their own, as they were listed.
pub(super) fn in_rows(rows: Vec<UVec2>, what: String) -> CellSlots {
    let end = |along: fn(&UVec2) -> u32| rows.iter().map(along).max().map_or(1, |last| last + 1);
    let shape = Shape::Fixed { columns: end(|slot| slot.x), lines: end(|slot| slot.y) };
    CellSlots { of_frames: rows, may_wrap: false, what, shape }
}

/// One row per clip, a cell a step. A frame needed in several places is listed once a place, the second
/// time as `name@clip.step`. Gives the frames as listed, and their slots.
pub(super) fn frames_by_clip(
    set: &FrameSet,
    order: Option<&[RowName]>,
) -> Result<(FrameSet, CellSlots), PackError> {
    let rows = clips_in_order(set, order)?;
    let mut listing = RowListing::new(set);
    let mut what = (0, String::new());
    for (line, row) in rows.iter().enumerate() {
        let Some(clip) = row else { continue };
        let clip = &set.clips()[*clip];
        if clip.steps().len() > what.0 {
            what = (clip.steps().len(), format!("clip '{}'", clip.name()));
        }
        listing.add_clip(set, clip, line as u32)?;
    }
    // A clip left out of the order is still played: its frames stand elsewhere.
    let mut clips: Vec<Clip> = Vec::with_capacity(set.clips().len());
    let columns = what.0.max(1) as u32;
    let lines = listing.add_rest(set, columns, rows.len() as u32);
    for (at, clip) in set.clips().iter().enumerate() {
        clips.push(match rows.contains(&Some(at)) {
            true => clip.clone().with_frames(|step, _| listing.place_of_step(at, step, &rows)),
            false => clip.clone().with_frames(|_, frame| listing.first_place(frame)),
        });
    }
    let shape = Shape::Fixed { columns, lines };
    let slots = CellSlots { of_frames: listing.slots, may_wrap: false, what: what.1, shape };
    let listed = FrameSet::new(listing.frames, clips)?.with_carried(set.carried().clone());
    Ok((listed, slots))
}

/// For each row, the place of its clip in the set; `None` for a blank row.
pub(super) fn clips_in_order(
    set: &FrameSet,
    order: Option<&[RowName]>,
) -> Result<Vec<Option<usize>>, PackError> {
    let Some(order) = order else { return Ok((0..set.clips().len()).map(Some).collect()) };
    let find = |row: &RowName| match row {
        RowName::Blank => Ok(None),
        RowName::Clip { sprite, name } => clip_named(set, sprite.as_ref(), name).map(Some),
    };
    order.iter().map(find).collect()
}

fn clip_named(set: &FrameSet, sprite: Option<&Name>, name: &Name) -> Result<usize, PackError> {
    let fits = |clip: &Clip| clip.name() == name && sprite.is_none_or(|sprite| clip.sprite() == sprite);
    let found: Vec<usize> = (0..set.clips().len()).filter(|&at| fits(&set.clips()[at])).collect();
    match found.as_slice() {
        [one] => Ok(*one),
        [] => {
            let known = set.clips().iter().map(|clip| clip.name().to_string()).collect();
            let name = sprite.map_or_else(|| name.to_string(), |sprite| format!("{sprite}:{name}"));
            Err(PackError::NoClip { name, known })
        }
        several => {
            let known = several.iter().map(|&at| set.clips()[at].qualified_name()).collect();
            Err(PackError::WhichClip { name: name.clone(), known })
        }
    }
}

/// Frames listed once a place, with their slots.
struct RowListing {
    frames: Vec<crate::Frame>,
    slots: Vec<UVec2>,
    /// The place in the set of each listed frame.
    origin: Vec<usize>,
    /// Where each frame of the set was first listed.
    first: Vec<Option<usize>>,
    /// Where each line begins in the list.
    line_starts: Vec<(u32, usize)>,
}

impl RowListing {
    fn new(set: &FrameSet) -> Self {
        Self {
            frames: Vec::new(),
            slots: Vec::new(),
            origin: Vec::new(),
            first: vec![None; set.frames().len()],
            line_starts: Vec::new(),
        }
    }

    fn add_clip(&mut self, set: &FrameSet, clip: &Clip, line: u32) -> Result<(), PackError> {
        self.line_starts.push((line, self.frames.len()));
        for (number, step) in clip.steps().iter().enumerate() {
            let frame = set.frames()[step.frame].clone();
            let listed = match self.first[step.frame] {
                None => frame,
                Some(_) => {
                    let text = format!("{}@{}.{number}", frame.name(), clip.name());
                    // Two long names together may be too long; the clash it then makes is an error.
                    let name = Name::new(text).unwrap_or_else(|_| frame.name().clone());
                    frame.with_name(name)
                }
            };
            self.first[step.frame].get_or_insert(self.frames.len());
            self.frames.push(listed);
            self.origin.push(step.frame);
            self.slots.push(UVec2 { x: number as u32, y: line });
        }
        Ok(())
    }

    /// Frames of no row, in rows of their own, a sprite never sharing its row. Gives the lines in all.
    fn add_rest(&mut self, set: &FrameSet, columns: u32, first_line: u32) -> u32 {
        let mut line = first_line;
        for sprite in set.sprites() {
            let rest = set.frames_of(sprite).iter().copied().filter(|&at| self.first[at].is_none());
            let rest: Vec<usize> = rest.collect();
            for (number, at) in rest.iter().enumerate() {
                let number = number as u32;
                self.first[*at] = Some(self.frames.len());
                self.frames.push(set.frames()[*at].clone());
                self.origin.push(*at);
                self.slots.push(UVec2 { x: number % columns, y: line + number / columns });
            }
            line += (rest.len() as u32).div_ceil(columns);
        }
        line.max(1)
    }

    fn first_place(&self, frame: usize) -> usize {
        self.first[frame].expect("every frame is listed by now")
    }

    /// Where a step of a clip with a row of its own is listed.
    fn place_of_step(&self, clip: usize, step: usize, rows: &[Option<usize>]) -> usize {
        let line = rows.iter().position(|row| *row == Some(clip)).expect("the clip has a row") as u32;
        let start = self.line_starts.iter().find(|(at, _)| *at == line).expect("its row was listed");
        start.1 + step
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::set::tests::{rows, with_clips};

    fn slots(slots: &CellSlots) -> Vec<(u32, u32)> {
        slots.of_frames.iter().map(|slot| (slot.x, slot.y)).collect()
    }

    #[test]
    fn a_frame_in_two_clips_is_listed_once_a_place_and_clips_follow() {
        let set = with_clips(rows("frog", &[5]), &["sit = 0-1", "turn = 1,2,1"]);
        let (set, laid) = frames_by_clip(&set, None).unwrap();
        let names: Vec<&str> = set.frames().iter().map(|frame| frame.name().as_str()).collect();
        let wanted =
            ["frog-00", "frog-01", "frog-01@turn.0", "frog-02", "frog-01@turn.2", "frog-03", "frog-04"];
        assert_eq!(names, wanted);
        assert_eq!(slots(&laid), [(0, 0), (1, 0), (0, 1), (1, 1), (2, 1), (0, 2), (1, 2)]);
        let steps: Vec<usize> = set.clips()[1].steps().iter().map(|step| step.frame).collect();
        assert_eq!(steps, [2, 3, 4]);
    }

    #[test]
    fn rows_follow_the_order_given_and_may_be_blank() {
        let set = || with_clips(rows("frog", &[4]), &["sit = 0-1", "leap = 2-3"]);
        let row = |name: &str| match name {
            "-" => RowName::Blank,
            name => RowName::Clip { sprite: None, name: Name::new(name).unwrap() },
        };
        let (_, laid) = frames_by_clip(&set(), Some(&["leap", "-", "sit"].map(row))).unwrap();
        assert_eq!(slots(&laid), [(0, 0), (1, 0), (0, 2), (1, 2)]);
        let error = frames_by_clip(&set(), Some(&[row("jump")])).err().unwrap();
        assert_eq!(error.to_string(), "there is no clip 'jump'; available: sit, leap");
        let (narrowed, laid) = frames_by_clip(&set(), Some(&[row("leap")])).unwrap();
        assert_eq!(slots(&laid), [(0, 0), (1, 0), (0, 1), (1, 1)]);
        assert_eq!(narrowed.clips()[0].steps()[0].frame, 2);
    }

    #[test]
    fn near_square_counts_cells_by_their_shape() {
        let square = Size::new(10, 10);
        for (count, cell, wanted) in
            [(9, square, 3), (8, square, 3), (10, square, 4), (8, Size::new(10, 40), 8), (1, square, 1)]
        {
            assert_eq!(near_square(count, cell), wanted, "{count} cells of {cell}");
        }
    }
}
