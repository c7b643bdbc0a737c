//! What is under the lines of one axis, band by band of the other.
//!
//! For vertical lines the bands are the rows of cells: a line is judged in each row on its own. The table
//! holds, for every place a line could have and every band, whether anything is drawn there and in how
//! many places a line before it would cross a drawing.

use crate::cut::grid::Division;
use crate::cut::occupancy::OccupancyBits;
use crate::parallel;

/// Evidence of a border that crosses nothing is at most this many nats.
const MOST_CLEAN: f64 = 2.2;
/// The chance that a true border is crossed all the same.
const SLIP: f64 = 0.02;
/// What each further place costs on top of the first.
const EACH_PLACE: f64 = 0.7;
const MOST_CUT: f64 = 5.5;
/// Cells counted for steadiness: more than this many say nothing new.
const STEADY_CELLS: f64 = 60.0;
/// Cells of one row have their height in common: so many for each border between rows tell all there is.
const STEADY_EACH: f64 = 10.0;
/// Cells looked at for steadiness: of more, those in some of the bands speak for all.
const MOST_STEADY: usize = 4096;
/// A cell whose drawing reaches from gutter to gutter, and one whose does not.
const FILLED: f64 = 1.2;
const UNFILLED: f64 = -0.25;
/// Upper bound of this evidence. Over both axes it slightly exceeds the gutter penalty: solid cells with gaps may also
/// be plain cells with an empty edge, so it never decides alone.
const MOST_FILLED: f64 = 3.5;
const LEAST_FILLED: f64 = -3.0;
/// Spaced sheets have cells as large as their largest drawing.
const LARGEST_FILLS: f64 = 2.5;

/// What drawings that touch have in common with their neighbors is at most this share of what a line crosses elsewhere, and what a line
/// through them has.
const TOUCH: f64 = 0.15;
const AS_ANY: f64 = 0.6;
/// So little of a cell's side is a thread between drawings, or a ruled line.
const THREAD: f64 = 0.03;

pub(super) struct BorderTable {
    length: u32,
    bands: usize,
    /// What is before pixel `at` in band `band`: `at * bands + band`.
    slots: Vec<BorderEntry>,
    /// The nearest content at or after each line (the number of lines where there is none), and at or before it.
    next: Vec<u32>,
    last: Vec<u32>,
    /// The first and last content of each band.
    extents: Vec<Option<(u32, u32)>>,
    /// The chance that a line laid anywhere in the content is crossed.
    chance: f64,
    /// The mean thickness of what such a line crosses, by band.
    usual: Vec<f64>,
}

/// A pixel line in a band.
#[derive(Clone, Copy, Debug, Default)]
struct BorderEntry {
    /// Places crossed by a line before it.
    runs: u8,
    /// The share of the band that it crosses, of 255.
    thickness: u8,
    /// Whether anything is drawn on it.
    is_filled: bool,
    /// Whether more than half of it is drawn on.
    is_solid: bool,
}

/// How an axis fares.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct AxisScore {
    pub(super) evidence: f64,
    /// Borders that cross nothing, and that cross something.
    pub(super) clean: u32,
    pub(super) dirty: u32,
    pub(super) places: u32,
    /// Of those, the ones where drawings only touch.
    pub(super) touches: u32,
    /// Borders that cross nothing though there are drawings on both sides.
    pub(super) witnesses: u32,
}

impl AxisScore {
    /// The share of borders that cross nothing.
    pub(super) fn cleanness(&self) -> f64 {
        if self.dirty == 0 { 1.0 } else { f64::from(self.clean) / f64::from(self.clean + self.dirty) }
    }
}

impl BorderTable {
    /// `lines` are the pixel lines along the axis; `bands` divide each of them.
    pub(super) fn new(lines: &OccupancyBits, bands: &Division) -> Self {
        Self::sampled(lines, bands, bands.count)
    }

    /// The same with at most this many of the bands, evenly chosen.
    pub(super) fn sampled(lines: &OccupancyBits, bands: &Division, most: u32) -> Self {
        let count = bands.count.min(most.max(1));
        let chosen = |at: u32| (u64::from(at) * u64::from(bands.count) / u64::from(count)) as u32;
        let spans: Vec<(u32, u32)> =
            (0..count).map(|at| bands.cell_range(chosen(at))).map(|(s, l)| (s, s + l)).collect();
        let length = lines.count();
        let count = spans.len();
        let of_line = |at: usize| -> Vec<BorderEntry> {
            let at = at as u32;
            let slot = |&(from, to): &(u32, u32)| match lines.count_filled(at, from, to) {
                0 => BorderEntry::default(),
                pixels => {
                    let is_solid = pixels * 2 > to - from;
                    let (runs, crossed) = if at > 0 { lines.crossings(at - 1, at, from, to) } else { (0, 0) };
                    let thickness = (crossed * 255).div_ceil(to - from).min(255) as u8;
                    BorderEntry { runs: runs.min(255) as u8, thickness, is_filled: true, is_solid }
                }
            };
            spans.iter().map(slot).collect()
        };
        let slots: Vec<BorderEntry> = parallel::flat_map(length as usize, of_line);
        let mut extents: Vec<Option<(u32, u32)>> = vec![None; count];
        for (at, line) in (0..).zip(slots.chunks_exact(count)) {
            for (extent, _) in extents.iter_mut().zip(line).filter(|(_, slot)| slot.is_filled) {
                *extent = Some((extent.map_or(at, |(first, _)| first), at));
            }
        }
        let (next, last) = nearest(&slots, length, count);
        let mut borders =
            Self { length, bands: count, slots, next, last, extents, chance: 0.0, usual: Vec::new() };
        borders.chance = borders.chance_of_crossing();
        borders.usual = (0..count).map(|band| borders.usual_thickness(band)).collect();
        borders
    }

    /// How many bands are looked at.
    pub(super) fn bands(&self) -> usize {
        self.bands
    }

    fn has_content(&self, from: u32, to: u32, band: usize) -> bool {
        from < to && self.next[from as usize * self.bands + band] < to
    }

    /// Places that a border of `gutter` pixels starting at `at` crosses; 0 is clean.
    fn places(&self, at: u32, gutter: u32, band: usize) -> u32 {
        match gutter {
            0 => u32::from(self.slots[at as usize * self.bands + band].runs),
            _ => {
                let end = (at + gutter).min(self.length);
                u32::from(self.has_content(at, end, band))
            }
        }
    }

    /// The chance that a line laid anywhere in the content is crossed.
    fn chance_of_crossing(&self) -> f64 {
        let (mut crossed, mut all) = (1.0, 2.0);
        for (band, extent) in self.extents.iter().enumerate() {
            let Some((first, last)) = *extent else { continue };
            for at in first + 1..=last {
                all += 1.0;
                crossed += f64::from(self.places(at, 0, band).min(1));
            }
        }
        crossed / all
    }

    fn thickness(&self, at: u32, band: usize) -> f64 {
        f64::from(self.slots[at as usize * self.bands + band].thickness)
    }

    fn usual_thickness(&self, band: usize) -> f64 {
        let (mut sum, mut count) = (0.0, 0.0);
        let Some((first, last)) = self.extents[band] else { return 0.0 };
        for at in (first + 1..=last).filter(|&at| self.places(at, 0, band) > 0) {
            sum += self.thickness(at, band);
            count += 1.0;
        }
        if count > 0.0 { sum / count } else { 0.0 }
    }

    /// How a line that crosses something compares with others: 1 where it crosses as much as they do, 0 where drawings only touch.
    fn relative_depth(&self, at: u32, gutter: u32, band: usize) -> f64 {
        if gutter > 0 {
            return 1.0;
        }
        ((self.thickness(at, band) / self.usual[band] - TOUCH) / (AS_ANY - TOUCH)).clamp(0.0, 1.0)
    }

    /// Whether a line crosses no more than a thread.
    fn is_thread(&self, at: u32, gutter: u32, band: usize) -> bool {
        gutter == 0 && self.thickness(at, band) <= THREAD * 255.0
    }

    /// How well the lines of an axis keep clear of the drawings.
    pub(super) fn lines(&self, axis: &Division) -> AxisScore {
        let mut verdict = AxisScore::default();
        // A wide gutter is no better a witness than a line: the empty border of a plain cell is one too.
        let chance = self.chance.clamp(0.04, 0.98);
        let clean = (-libm::log(1.0 - chance) + libm::log(1.0 - SLIP)).min(MOST_CLEAN);
        let dirty = libm::log(SLIP / chance).min(-2.0);
        for cell in 1..axis.count {
            let (start, _) = axis.cell_range(cell);
            let at = start - axis.gutter;
            for (band, extent) in self.extents.iter().enumerate() {
                let Some((first, last)) = *extent else { continue };
                if start <= first || at > last {
                    continue;
                }
                match self.places(at, axis.gutter, band) {
                    0 => {
                        verdict.clean += 1;
                        // Beside a blank cell any line is clean.
                        let (before, length) = axis.cell_range(cell - 1);
                        let (_, own) = axis.cell_range(cell);
                        let is_between = self.has_content(before, before + length, band)
                            && self.has_content(start, start + own, band);
                        if is_between {
                            verdict.witnesses += 1;
                            verdict.evidence += clean;
                        }
                    }
                    places => {
                        verdict.dirty += 1;
                        verdict.places += places;
                        let cost = (dirty - EACH_PLACE * f64::from(places - 1)).max(-MOST_CUT);
                        let depth = self.relative_depth(at, axis.gutter, band);
                        let is_touch = depth <= 0.0 || self.is_thread(at, axis.gutter, band);
                        verdict.touches += if is_touch { places } else { 0 };
                        verdict.evidence += cost * depth;
                    }
                }
            }
        }
        // What is outside all cells is lost, like what a line cuts off.
        let outside = self.outside(axis);
        verdict.evidence -= outside * MOST_CUT;
        verdict.places += outside as u32;
        verdict
    }

    /// Bands with content before the first cell or after the last.
    fn outside(&self, axis: &Division) -> f64 {
        let (start, _) = axis.cell_range(0);
        let (last, length) = axis.cell_range(axis.count - 1);
        let sticks_out = |band: usize| {
            self.has_content(0, start, band) || self.has_content(last + length, self.length, band)
        };
        (0..self.bands).filter(|&band| sticks_out(band)).count() as f64
    }

    /// How steadily the content stands in its cells, in nats. Less where it stands as steadily in any cells
    /// aside: content that is everywhere is steady in any cells.
    pub(super) fn position_evidence(&self, axis: &Division) -> f64 {
        if axis.count == 1 {
            return 0.0;
        }
        let steady = self.steady(axis, 0);
        if steady <= 0.0 {
            return 0.0;
        }
        // A small drawing stands as steadily in some cells aside, but not in all of them.
        let quarters = [1, 2, 3].map(|n| self.steady(axis, pitch(axis) as u32 * n / 4));
        let aside = quarters.into_iter().fold(f64::MAX, f64::min) / steady;
        steady * (2.0 * (1.0 - aside)).clamp(0.0, 1.0)
    }

    /// Pitch against the mean deviation of the left edge, the right edge or the middle, whichever is the
    /// steadiest (a Laplace distribution against a uniform one), cells moved by `shift`.
    fn steady(&self, axis: &Division, shift: u32) -> f64 {
        let step = (self.bands * axis.count as usize / MOST_STEADY).max(1);
        let mut offsets: [Vec<f64>; 3] = Default::default();
        let mut cells = 0u32;
        for cell in 0..axis.count {
            let (start, length) = axis.cell_range(cell);
            let (start, end) = (start + shift, start + shift + length);
            if end > self.length {
                break;
            }
            for band in (0..self.bands).step_by(step) {
                let Some((first, last)) = self.extent_in(start, end, band) else { continue };
                cells += 1;
                // An edge where the drawing goes on in the next cell is the line's, not the drawing's.
                let opens = start > 0 && first == start && self.places(start, 0, band) > 0;
                let closes = end < self.length && last + 1 == end && self.places(end, 0, band) > 0;
                let (left, right) = (f64::from(first - start), f64::from(last + 1 - start));
                if !opens {
                    offsets[0].push(left);
                }
                if !closes {
                    offsets[1].push(right);
                }
                if !opens && !closes {
                    offsets[2].push((left + right) / 2.0);
                }
            }
        }
        let each = libm::log(pitch(axis)) - 1.0;
        let most = STEADY_CELLS.min(STEADY_EACH * f64::from(axis.count - 1));
        offsets.iter_mut().map(|values| steady_nats(values, cells, each, most)).fold(0.0, f64::max)
    }

    fn is_solid(&self, at: u32, band: usize) -> bool {
        self.slots[at as usize * self.bands + band].is_solid
    }

    /// What spacing is there for: solid drawings reach from gutter to gutter, and the largest fill their cell.
    /// Nothing where there is no spacing.
    pub(super) fn fill_evidence(&self, axis: &Division) -> f64 {
        if (axis.gutter == 0 && axis.offset == 0) || axis.count == 1 {
            return 0.0;
        }
        let (mut evidence, mut first, mut last) = (0.0, u32::MAX, 0);
        for cell in 0..axis.count {
            let (start, length) = axis.cell_range(cell);
            for band in 0..self.bands {
                let Some((left, right)) = self.extent_in(start, start + length, band) else { continue };
                (first, last) = (first.min(left - start), last.max(right + 1 - start));
                let fills = self.is_solid(start, band) && self.is_solid(start + length - 1, band);
                evidence += if fills { FILLED } else { UNFILLED };
            }
        }
        // A gutter that also follows the last cell is the empty edge of plain cells.
        let is_plain = axis.count * pitch(axis) as u32 == self.length;
        if is_plain {
            return evidence.min(0.0);
        }
        let largest_fills = first == 0 && last == axis.cell();
        match (axis.gutter, largest_fills) {
            (0, false) => 0.0,
            (0, true) => LARGEST_FILLS,
            (_, true) => evidence.clamp(0.0, MOST_FILLED) + LARGEST_FILLS,
            (_, false) => evidence.clamp(LEAST_FILLED, MOST_FILLED),
        }
    }

    /// The first and the last content of a band in `from..to`.
    fn extent_in(&self, from: u32, to: u32, band: usize) -> Option<(u32, u32)> {
        let first = self.next[from as usize * self.bands + band];
        // The last line with content before `to` is there whenever the first is.
        (first < to).then(|| (first, self.last[(to - 1) as usize * self.bands + band]))
    }
}

/// For each line and band the nearest line with content: at or after it (the number of lines where there is
/// none), and at or before it.
fn nearest(filled: &[BorderEntry], length: u32, bands: usize) -> (Vec<u32>, Vec<u32>) {
    let slots = length as usize * bands;
    let (mut next, mut last) = (vec![length; slots], vec![0; slots]);
    let is_filled = |slot: usize| filled[slot].is_filled;
    for slot in 0..slots {
        let before = if slot >= bands { last[slot - bands] } else { 0 };
        last[slot] = if is_filled(slot) { (slot / bands) as u32 } else { before };
    }
    for slot in (0..slots).rev() {
        let after = next.get(slot + bands).copied().unwrap_or(length);
        next[slot] = if is_filled(slot) { (slot / bands) as u32 } else { after };
    }
    (next, last)
}

/// Pixels from one cell to the next.
fn pitch(axis: &Division) -> f64 {
    f64::from(axis.covered) / f64::from(axis.count) + f64::from(axis.gutter)
}

fn steady_nats(values: &mut [f64], cells: u32, each: f64, most: f64) -> f64 {
    // Half of the cells, or the rest tells nothing about them.
    if values.len() < 2 || values.len() * 2 < cells as usize {
        return 0.0;
    }
    let count = values.len();
    let middle = *values.select_nth_unstable_by(count / 2, f64::total_cmp).1;
    // Halves of whole numbers: their sum is exact in any order.
    let spread = values.iter().map(|v| (v - middle).abs()).sum::<f64>() / values.len() as f64;
    (each - libm::log(2.0 * spread.max(0.5))) * (values.len() as f64 - 1.0).min(most)
}
