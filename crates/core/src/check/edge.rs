//! Drawings that are cut off flat at their cell's edge, and pixels there that belong to the cell beside it.
//!
//! The main drawing is the largest piece. It is cut where it ends in a long straight run at a side that others of its clip hardly touch:
//! figures that stand on the lower edge all along are not. A piece that touches an edge, is not connected to the
//! drawing and is much smaller has poked in from next door, unless many frames have such. Frames that were trimmed
//! are judged by their canvas; a set of single images, which nothing was cut from, is judged all the same.

use std::collections::{BTreeMap, HashMap};

use crate::check::{Finding, Fix, Observation, Rule, Sides, frame_finding, frames_of, median, sample_evenly};
use crate::components::label_image;
use crate::parallel;
use crate::{Frame, FrameSet, Name, Rect, Size, UVec2};

/// A piece at the edge with less than this share of the main drawing's pixels is a neighbor's.
const SHARE: f64 = 0.25;
/// What is cut off ends in at least this many pixels in a row, and in this share of the canvas's side.
const LEAST: u32 = 4;
const LEAST_SHARE: f64 = 0.1;
/// A frame that nothing can be compared with is only reported if it covers more of the side.
const ALONE_SHARE: f64 = 0.3;
/// What was cut ends where the next row inside is about as long; what is drawn to its end is shorter there.
const FLAT: f64 = 1.15;
/// Others of the clip touch that side with less than this.
const USUAL: f64 = 0.6;
/// Pieces at the edge in more frames of a clip than this are its own: sparks, waves.
const MANY: f64 = 0.34;
/// Frames that speak for a clip.
const SIBLINGS: usize = 256;

pub(super) fn find(set: &FrameSet) -> Vec<Finding> {
    let edges = parallel::map(set.frames().len(), |at| EdgeContact::of(&set.frames()[at]));
    let (mut findings, mut known) = (Vec::new(), HashMap::new());
    let sheets = Sheets::of(set);
    for (at, edge) in edges.iter().enumerate() {
        let Some(edge) = edge else { continue };
        let group = (set.index().sprite_of(at), set.index().first_clip_of(at));
        let siblings = known.entry(group).or_insert_with(|| siblings(set, at));
        findings.extend(edge.cut(set, at, siblings, &edges));
        findings.extend(edge.neighbors(set, at, siblings, (&edges, &sheets)));
    }
    findings
}

/// The frames that a frame is compared with: those of the clip that shows it first, or of its sprite.
fn siblings(set: &FrameSet, at: usize) -> Vec<usize> {
    match set.first_clip_of(at) {
        Some(clip) => sample_evenly(&frames_of(clip), SIBLINGS),
        None => sample_evenly(set.frames_of(set.frames()[at].sprite()), SIBLINGS),
    }
}

/// What of a frame is at its canvas's edge.
struct EdgeContact {
    /// Side by side, the longest run of the main drawing along it, and that of the row inside it there.
    runs: [(u32, u32); 4],
    /// Where it first touches each side.
    at: [UVec2; 4],
    /// Pieces that are not connected to the drawing, by the side they touch first: where, how many pixels, which sides.
    loose: Vec<LoosePiece>,
}

/// A piece at the edge that is not connected to the drawing.
struct LoosePiece {
    at: UVec2,
    area: u32,
    bounds: Rect,
    sides: Sides,
}

impl EdgeContact {
    /// `None` where nothing is at the edge, or where all of it is taken: a tile fills its cell, and that isn't a mistake.
    fn of(frame: &Frame) -> Option<Self> {
        // What is inside its canvas on all sides touches nothing: most frames end here.
        let (drawn, canvas) = (frame.content(0)?, frame.canvas());
        let touches = drawn.x == 0
            || drawn.y == 0
            || drawn.right() == u64::from(canvas.width)
            || drawn.bottom() == u64::from(canvas.height);
        if !touches {
            return None;
        }
        let whole = frame.full_image();
        let found = label_image(&whole, |pixel| pixel[3] > 0);
        let largest = found.areas.iter().copied().max()?;
        let main = found.areas.iter().position(|&area| area == largest)? as u32 + 1;
        let size = whole.size();
        let mut edge = Self { runs: [(0, 0); 4], at: [UVec2::default(); 4], loose: Vec::new() };
        let mut loose: BTreeMap<u32, (UVec2, [bool; 4])> = BTreeMap::new();
        for side in 0..4 {
            let length = if side < 2 { size.height } else { size.width };
            let place = |along: u32, inside: u32| match side {
                0 => (inside, along),
                1 => (size.width - 1 - inside, along),
                2 => (along, inside),
                _ => (along, size.height - 1 - inside),
            };
            let label = |along: u32, inside: u32| {
                let (x, y) = place(along, inside);
                found.labels.get((y * size.width + x) as usize).copied().unwrap_or(0)
            };
            let mut run = 0;
            for along in 0..length {
                let own = label(along, 0);
                run = if own == main { run + 1 } else { 0 };
                if run > edge.runs[side].0 {
                    let (x, y) = place(along + 1 - run, 0);
                    (edge.runs[side].0, edge.at[side]) = (run, UVec2 { x, y });
                }
                if own > 0 && own != main {
                    let (x, y) = place(along, 0);
                    loose.entry(own).or_insert((UVec2 { x, y }, [false; 4])).1[side] = true;
                }
            }
            if size.width > 1 && size.height > 1 && edge.runs[side].0 > 0 {
                let start = if side < 2 { edge.at[side].y } else { edge.at[side].x };
                edge.runs[side].1 = inner(start, edge.runs[side].0, length, |along| label(along, 1) == main);
            }
        }
        let boxes = if loose.is_empty() { Vec::new() } else { found.bounding_boxes(size) };
        let is_tile = edge.runs.iter().all(|(run, _)| *run > 0);
        let is_small = |label: u32| f64::from(found.areas[label as usize - 1]) < SHARE * f64::from(largest);
        edge.loose = loose
            .into_iter()
            .filter(|(label, _)| is_small(*label))
            .map(|(label, (at, sides))| {
                let piece = label as usize - 1;
                LoosePiece { at, area: found.areas[piece], bounds: boxes[piece], sides: Sides(sides) }
            })
            .collect();
        (!is_tile).then_some(edge)
    }

    /// Whether the drawing is cut off flat at a side where others of its clip are not.
    fn cut(&self, set: &FrameSet, at: usize, siblings: &[usize], edges: &[Option<Self>]) -> Option<Finding> {
        let frame = &set.frames()[at];
        let canvas = frame.canvas();
        // A drawing that was cut out by its own outline fills its canvas on purpose, and so do those of a sprite whose
        // canvas is just large enough for all of them, unless it is a cell of a sheet.
        let source = frame.source().and_then(|source| source.rect).map(Rect::size);
        let is_own_outline = source.is_some() && source == frame.content(0).map(Rect::size);
        if is_own_outline || source.is_some_and(|source| source != canvas) && is_tight(set, siblings) {
            return None;
        }
        let is_cut = |side: usize| {
            let (run, inside) = self.runs[side];
            let length = f64::from(if side < 2 { canvas.height } else { canvas.width });
            let others = siblings.iter().filter(|&&other| other != at);
            let runs: Vec<f64> = others
                .map(|&other| edges[other].as_ref().map_or(0.0, |edge| f64::from(edge.runs[side].0)))
                .collect();
            // Figures stand on the lower edge.
            let (usual, share) = match runs.len() {
                0 | 1 if side == 3 => return false,
                0 | 1 => (0.0, ALONE_SHARE),
                _ => (median(runs), LEAST_SHARE),
            };
            run >= LEAST
                && f64::from(run) >= share * length
                && usual < USUAL * f64::from(run)
                && f64::from(inside) <= FLAT * f64::from(run) + 1.0
        };
        let sides = [0, 1, 2, 3].map(is_cut);
        let side = sides.iter().position(|&is| is)?;
        let pixels = (0..4).filter(|&side| sides[side]).map(|side| self.runs[side].0).sum();
        let seen = Observation::Touches { pixels, sides: Sides(sides) };
        let finding = frame_finding(set, at, Rule::TouchesEdge, seen, Fix::MoreRoom);
        Some(Finding {
            at: Some(self.at[side]),
            value: f64::from(pixels),
            limit: f64::from(LEAST),
            ..finding
        })
    }

    /// What pokes in from next door, where that is seldom in the clip.
    fn neighbors(
        &self,
        set: &FrameSet,
        at: usize,
        siblings: &[usize],
        (edges, sheets): (&[Option<Self>], &Sheets<'_>),
    ) -> Vec<Finding> {
        let has = |other: &&usize| edges[**other].as_ref().is_some_and(|edge| !edge.loose.is_empty());
        let many = siblings.iter().filter(has).count();
        if many > 1 && many as f64 > MANY * siblings.len() as f64 {
            return Vec::new();
        }
        let finding = |piece: &LoosePiece| {
            let seen = Observation::Neighbor { area: piece.area, sides: piece.sides };
            let finding = frame_finding(set, at, Rule::Neighbor, seen, Fix::RemoveGroups(piece.area));
            Finding { at: Some(piece.at), area: Some(piece.bounds), value: f64::from(piece.area), ..finding }
        };
        let beside = sheets.neighboring_sides(set, at);
        let is_from_next_door = |piece: &&LoosePiece| (0..4).any(|side| piece.sides.0[side] && beside[side]);
        self.loose.iter().filter(is_from_next_door).map(finding).collect()
    }
}

/// Whether the frames together reach all four sides of their canvas: it is the smallest that holds them.
fn is_tight(set: &FrameSet, frames: &[usize]) -> bool {
    let reaches = |of: fn(Rect, Size) -> bool| {
        let mut frames = frames.iter().map(|&at| &set.frames()[at]);
        frames.any(|frame| frame.content(0).is_some_and(|drawn| of(drawn, frame.canvas())))
    };
    frames.len() > 1
        && reaches(|drawn, _| drawn.x == 0)
        && reaches(|drawn, _| drawn.y == 0)
        && reaches(|drawn, canvas| drawn.right() == u64::from(canvas.width))
        && reaches(|drawn, canvas| drawn.bottom() == u64::from(canvas.height))
}

/// The last column and the last row of each sheet that has frames of a sprite.
struct Sheets<'a>(HashMap<(&'a Name, &'a str), (u32, u32)>);

impl<'a> Sheets<'a> {
    fn of(set: &'a FrameSet) -> Self {
        let mut last = HashMap::new();
        for frame in set.frames() {
            let Some(source) = frame.source() else { continue };
            if let Some(cell) = source.cell {
                let (right, bottom) = last.entry((frame.sprite(), source.file.as_str())).or_insert((0, 0));
                (*right, *bottom) = (cell.column.max(*right), cell.row.max(*bottom));
            }
        }
        Self(last)
    }

    /// On which sides of a frame its sheet has another cell, as far as is known: left, right, top, bottom.
    fn neighboring_sides(&self, set: &FrameSet, at: usize) -> [bool; 4] {
        let frame = &set.frames()[at];
        let of_source = frame
            .source()
            .and_then(|source| Some((source.cell?, *self.0.get(&(frame.sprite(), source.file.as_str()))?)));
        match of_source {
            None => [set.frames_of(frame.sprite()).len() > 1; 4],
            Some((cell, (right, bottom))) => {
                [cell.column > 0, cell.column < right, cell.row > 0, cell.row < bottom]
            }
        }
    }
}

/// How long the drawing is one row inside, where it is from `start` on at the edge: the run that lies over that.
fn inner(start: u32, run: u32, length: u32, is_own: impl Fn(u32) -> bool) -> u32 {
    let Some(middle) = (start..start + run).find(|&along| is_own(along)) else { return 0 };
    let before = (0..middle).rev().take_while(|&along| is_own(along)).count() as u32;
    let after = (middle..length).take_while(|&along| is_own(along)).count() as u32;
    before + after
}
