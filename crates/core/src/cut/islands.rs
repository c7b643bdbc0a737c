//! Loose sheets: each separate drawing is a frame.
//!
//! Pieces that hang together, also diagonally, are found once (connected components); one pass outwards
//! from all of them at the same time gives the number of empty pixels between neighbors (a distance
//! transform in the chessboard metric, by breadth-first search). Any join distance then is a union of those
//! that are near enough, so the distance can be chosen by looking at all of them: the longest plateau of the
//! number of groups.

use std::collections::VecDeque;
use std::sync::Arc;

use image::{Rgba, RgbaImage};

use crate::components::{Components, DisjointSets, neighbors8};
use crate::cut::analysis::{Gap, SheetAnalysis};
use crate::cut::seams;
use crate::parallel;
use crate::{Cell, Pixels, Rect, Size};

/// The largest join distance looked at when none is given.
pub(super) const FARTHEST: u32 = 8;

/// So many separate pieces are no longer the parts of one drawing.
const SEVERAL: usize = 8;

/// Sides of similar drawings in a row differ at most by this factor, and two drawings that touch are about this many times as long as one.
const ALIKE: f64 = 1.4;
const LARGE: f64 = 1.7;
/// The shares of a row and of the whole sheet that must be similar for one drawing to be unusual, and the fewest drawings that
/// show it. With these, 2% of sheets of 30 to 40 drawings with random sides of 15 to 90 px have one.
const SIMILAR_IN_ROW: f64 = 0.75;
const SIMILAR_ON_SHEET: f64 = 0.6;
const FEWEST_OTHERS: usize = 3;

/// How a loose sheet is taken apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct IslandOptions {
    /// Pieces with at most this many empty pixels between them belong together; where not given it is found.
    pub join: Option<u32>,
    /// Groups of fewer pixels are specks.
    pub min_area: u32,
}

impl Default for IslandOptions {
    /// The join distance is found, and groups of fewer than 16 pixels are specks.
    fn default() -> Self {
        Self { join: None, min_area: 16 }
    }
}

/// What was found on a loose sheet.
#[derive(Clone, Debug)]
pub struct Islands {
    /// The drawings in reading order.
    pub drawings: Vec<Island>,
    /// Groups too small to be a drawing.
    pub specks: Vec<Rect>,
    /// The join distance used.
    pub join: u32,
    /// How many pieces of a packed page were parted along straight lines.
    pub parted: usize,
    labels: Labels,
}

/// Which drawing each pixel of the sheet belongs to.
#[derive(Clone, Debug)]
struct Labels {
    width: u32,
    pieces: Arc<Components>,
    /// The group of each piece.
    groups: Vec<u32>,
    /// The group of each drawing.
    drawings: Vec<u32>,
}

/// A separate drawing.
#[derive(Clone, Debug)]
pub struct Island {
    /// Its row, and its place in that.
    pub cell: Cell,
    /// Its place on the sheet.
    pub rect: Rect,
}

impl Labels {
    /// Whether a pixel is part of another drawing than this one.
    fn is_foreign(&self, drawing: usize, x: u32, y: u32) -> bool {
        match self.pieces.labels[y as usize * self.width as usize + x as usize] {
            0 => false,
            piece => self.groups[piece as usize - 1] != self.drawings[drawing],
        }
    }
}

impl Islands {
    /// Whether the box of a drawing holds pixels of another, so that its own must be copied.
    fn is_mixed(&self, drawing: usize) -> bool {
        let Rect { x, y, width, height } = self.drawings[drawing].rect;
        (y..y + height).any(|y| (x..x + width).any(|x| self.labels.is_foreign(drawing, x, y)))
    }

    /// Drawings about twice as wide or as high as the others in their row, or on the sheet where the row has too few, if those
    /// are similar: they may be several that touch.
    pub fn oversized(&self) -> Vec<usize> {
        (0..self.drawings.len()).filter(|&at| self.is_oversized(at)).collect()
    }

    fn is_oversized(&self, at: usize) -> bool {
        let own = &self.drawings[at];
        let sides_of = |side: fn(Size) -> u32, is_near: fn(Cell, Cell) -> bool| -> Vec<u32> {
            let others =
                self.drawings.iter().filter(|one| one.cell != own.cell && is_near(one.cell, own.cell));
            others.map(|one| side(one.rect.size())).collect()
        };
        let is_large = |side: fn(Size) -> u32| {
            let on_sheet = sides_of(side, |_, _| true);
            let in_row = sides_of(side, |one, own| one.row == own.row);
            let mut near = if in_row.len() < FEWEST_OTHERS { on_sheet.clone() } else { in_row };
            near.sort_unstable();
            let Some(&usual) = near.get(near.len() / 2) else { return false };
            let usual = f64::from(usual);
            let is_similar = |other: &&u32| (1.0 / ALIKE..=ALIKE).contains(&(f64::from(**other) / usual));
            let similar = |sides: &[u32]| sides.iter().filter(is_similar).count();
            similar(&near) >= FEWEST_OTHERS
                && similar(&near) as f64 >= SIMILAR_IN_ROW * near.len() as f64
                && similar(&on_sheet) as f64 >= SIMILAR_ON_SHEET * on_sheet.len() as f64
                && f64::from(side(own.rect.size())) >= LARGE * usual
        };
        is_large(|size| size.width) || is_large(|size| size.height)
    }

    /// How many pixels [`Islands::mask_out_others`] copies for all drawings together: boxes that hold pixels of others.
    pub fn copied(&self) -> u64 {
        let copied = parallel::map(self.drawings.len(), |at| {
            if self.is_mixed(at) { self.drawings[at].rect.size().area() } else { 0 }
        });
        copied.into_iter().fold(0, u64::saturating_add)
    }

    /// The pixels of a drawing, without those of others in its box.
    ///
    /// # Panics
    /// If the sheet is not the one that was taken apart.
    pub fn mask_out_others(&self, sheet: &Pixels, drawing: usize) -> Pixels {
        let rect = self.drawings[drawing].rect;
        let part = sheet.crop(rect).expect("the box was found on the sheet");
        if !self.is_mixed(drawing) {
            return part;
        }
        let mut image: RgbaImage = part.to_image();
        for (x, y, pixel) in image.enumerate_pixels_mut() {
            if self.labels.is_foreign(drawing, rect.x + x, rect.y + y) {
                *pixel = Rgba([0; 4]);
            }
        }
        Pixels::from_image(image)
    }
}

/// Finds the separate drawings of a sheet.
pub fn islands(sheet: &SheetAnalysis, options: IslandOptions) -> Islands {
    let size = sheet.size();
    let split = if options.join.is_none() { seams::split_packed(sheet) } else { None };
    let (found, parted) = split.map_or_else(
        || (Arc::clone(sheet.components()), 0),
        |(components, parted)| (Arc::new(components), parted),
    );
    // What touched and was parted is not put together again.
    let far;
    let bridges = match options.join {
        _ if parted > 0 => &[],
        Some(join) if join > FARTHEST => {
            far = component_gaps(&found.labels, size, join);
            &far[..]
        }
        _ => sheet.gaps(),
    };
    let found_join = || if parted > 0 { 0 } else { plateau(&found.areas, bridges, options.min_area) };
    let join = options.join.unwrap_or_else(found_join);
    let groups = merge_within(found.areas.len(), bridges, join);
    let own_boxes = found.bounding_boxes(size);
    let boxes = group_bounds(&groups, &own_boxes);
    let mut areas = vec![0; found.areas.len()];
    groups.iter().zip(&found.areas).for_each(|(&group, area)| areas[group as usize] += area);
    let (mut drawings, mut specks) = (Vec::new(), Vec::new());
    for (group, rect) in boxes.iter().enumerate() {
        match rect {
            Some(rect) if areas[group] < options.min_area => specks.push(*rect),
            Some(rect) => drawings.push((group, *rect)),
            None => {}
        }
    }
    let drawings = in_reading_order(drawings);
    let labels = Labels {
        width: size.width,
        pieces: found,
        drawings: drawings.iter().map(|(_, (group, _))| *group as u32).collect(),
        groups,
    };
    let drawings = drawings.into_iter().map(|(cell, (_, rect))| Island { cell, rect }).collect();
    Islands { drawings, specks, join, parted, labels }
}

/// The box of each group, at the place of its first piece.
fn group_bounds(groups: &[u32], boxes: &[Rect]) -> Vec<Option<Rect>> {
    let mut united: Vec<Option<Rect>> = vec![None; boxes.len()];
    for (&group, &rect) in groups.iter().zip(boxes) {
        let whole = &mut united[group as usize];
        *whole = Some(whole.map_or(rect, |whole| whole.union(rect)));
    }
    united
}

/// Pairs of pieces with the number of empty pixels between them, up to `farthest`, the nearest first.
pub(super) fn component_gaps(labels: &[u32], size: Size, farthest: u32) -> Vec<Gap> {
    let mut nearest = labels.to_vec();
    let mut away = vec![u32::MAX; labels.len()];
    let mut open: VecDeque<usize> = VecDeque::new();
    for at in (0..labels.len()).filter(|&at| labels[at] > 0) {
        away[at] = 0;
        // Only a piece's rim has something to cross.
        if neighbors8(at, size.width, size.height).any(|near| labels[near] == 0) {
            open.push_back(at);
        }
    }
    let mut found = std::collections::BTreeMap::new();
    while let Some(at) = open.pop_front() {
        for near in neighbors8(at, size.width, size.height) {
            if away[near] == u32::MAX {
                if away[at] < farthest {
                    away[near] = away[at] + 1;
                    nearest[near] = nearest[at];
                    open.push_back(near);
                }
            } else if nearest[near] != nearest[at] {
                let gap = away[near] + away[at];
                let pair = (nearest[at].min(nearest[near]), nearest[at].max(nearest[near]));
                let least = found.entry(pair).or_insert(gap);
                *least = (*least).min(gap);
            }
        }
    }
    let near = found.into_iter().filter(|(_, gap)| *gap <= farthest);
    let mut gaps: Vec<Gap> = near.map(|((a, b), gap)| (gap, a, b)).collect();
    gaps.sort_unstable();
    gaps
}

/// For each piece the first piece of its group.
fn merge_within(count: usize, bridges: &[Gap], join: u32) -> Vec<u32> {
    let mut groups = DisjointSets::of(count);
    for &(_, a, b) in bridges.iter().filter(|(gap, ..)| *gap <= join) {
        groups.union(a as usize - 1, b as usize - 1);
    }
    groups.into_representatives().into_iter().map(|first| first as u32).collect()
}

/// The smallest distance of the longest run of distances that give one number of drawings.
fn plateau(areas: &[u32], bridges: &[Gap], min_area: u32) -> u32 {
    let drawings = |join: u32| {
        let groups = merge_within(areas.len(), bridges, join);
        let mut sums = vec![0; areas.len()];
        groups.iter().zip(areas).for_each(|(&group, area)| sums[group as usize] += area);
        sums.into_iter().filter(|&sum| sum > 0 && sum >= min_area).count()
    };
    let counts: Vec<usize> = (0..=FARTHEST).map(drawings).collect();
    let mut best = (0, 0);
    let mut start = 0;
    for at in 0..counts.len() {
        if counts[at] != counts[start] {
            start = at;
        }
        // Packed closely, drawings all join before long: that is the end of the scale, and no answer.
        if counts[at] == 1 && counts[0] >= SEVERAL {
            break;
        }
        let length = at - start + 1;
        if length > best.1 {
            best = (start, length);
        }
    }
    best.0 as u32
}

/// Rows are clusters of overlapping vertical extents; within a row from left to right.
fn in_reading_order(mut drawings: Vec<(usize, Rect)>) -> Vec<(Cell, (usize, Rect))> {
    drawings.sort_by_key(|(_, rect)| (rect.y, rect.x));
    let mut rows: Vec<(Rect, Vec<(usize, Rect)>)> = Vec::new();
    for drawing in drawings.drain(..) {
        // Beside the row's first drawing for at least half of the lower one: a tall drawing does not pull the
        // row below into its own.
        let is_beside = |row: &Rect| {
            let top = row.y.max(drawing.1.y);
            let shared = row.bottom().min(drawing.1.bottom()).saturating_sub(u64::from(top));
            shared * 2 >= u64::from(row.height.min(drawing.1.height))
        };
        match rows.iter_mut().find(|(row, _)| is_beside(row)) {
            Some((_, members)) => members.push(drawing),
            None => rows.push((drawing.1, vec![drawing])),
        }
    }
    let in_row = |(row, (_, mut members)): (u32, (Rect, Vec<(usize, Rect)>))| {
        members.sort_by_key(|(_, rect)| (rect.x, rect.y));
        (0u32..).zip(members).map(move |(column, member)| (Cell { row, column }, member))
    };
    (0u32..).zip(rows).flat_map(in_row).collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::Background;
    use crate::pixels::tests::any_pixels;

    fn sheet(rows: &[&str]) -> Pixels {
        Pixels::from_image(RgbaImage::from_fn(rows[0].len() as u32, rows.len() as u32, |x, y| {
            let letter = rows[y as usize].as_bytes()[x as usize];
            if letter == b'.' { Rgba([0; 4]) } else { Rgba([letter, 1, 1, 255]) }
        }))
    }

    fn clear(sheet: &Pixels) -> SheetAnalysis {
        SheetAnalysis::with_background(sheet, Background::Clear)
    }

    fn found(rows: &[&str], join: Option<u32>, min_area: u32) -> (Vec<String>, usize, u32) {
        let islands = islands(&clear(&sheet(rows)), IslandOptions { join, min_area });
        let rects = islands.drawings.iter().map(|one| one.rect.to_string()).collect();
        (rects, islands.specks.len(), islands.join)
    }

    #[test]
    fn gaps_up_to_the_join_distance_belong_together_also_diagonally() {
        let rows = ["aa...b", "aa....", "......", "...c.."];
        let boxes = |list: &[&str]| list.iter().map(ToString::to_string).collect::<Vec<_>>();
        assert_eq!(found(&rows, Some(0), 0).0, boxes(&["0,0,2,2", "5,0,1,1", "3,3,1,1"]));
        // One empty pixel between a and c, counted diagonally.
        assert_eq!(found(&rows, Some(1), 0).0, boxes(&["0,0,4,4", "5,0,1,1"]));
        assert_eq!(found(&rows, Some(3), 0).0, boxes(&["0,0,6,4"]));
        assert_eq!(found(&rows, Some(0), 2), (boxes(&["0,0,2,2"]), 2, 0));
    }

    #[test]
    fn the_join_distance_is_the_longest_plateau() {
        // Two drawings of two pieces each, one pixel apart; eleven pixels between the drawings.
        let rows = ["aa.a...........bb.b"];
        let (boxes, _, join) = found(&rows, None, 0);
        assert_eq!((boxes.len(), join), (2, 1));
    }

    #[test]
    fn drawings_that_touch_are_larger_than_those_beside_them() {
        let oversized = |row: &str| {
            let sheet = sheet(&[row, row, row]);
            islands(&clear(&sheet), IslandOptions { join: Some(0), min_area: 0 }).oversized()
        };
        assert_eq!(oversized("aaa.bbb.ccccccc.ddd.eee"), [2]);
        assert_eq!(oversized("aaaaaa.bbb.ccccccc.ddd.eee.fff"), [0, 2]);
        assert_eq!(oversized("aaa.bbbb.cccc.ddd.eee"), [0; 0]);
        // Among drawings of many sizes, or beside only two, none is unusual.
        assert_eq!(oversized("a.bbbb.cc.ddddd.eeeeeeee"), [0; 0]);
        assert_eq!(oversized("aaa.bbbbbb.ccc"), [0; 0]);
        // A row that kept two of five is judged by the rows around it.
        let rows = ["aaa.bbb.ccc.ddd.eee", "...................", "aaaaaaaaaaaaaaa.eee"];
        let rows = sheet(&rows.map(|row| [row; 3]).concat());
        let found = islands(&clear(&rows), IslandOptions { join: Some(0), min_area: 0 });
        assert_eq!(found.oversized(), [5]);
    }

    #[test]
    fn reading_order_is_by_rows_even_where_heights_differ() {
        let rows = ["....bb", "a...bb", "a.....", "......", "dd.c..", "dd.c.."];
        let set = islands(&clear(&sheet(&rows)), IslandOptions { join: Some(0), min_area: 0 });
        let order: String = (0..set.drawings.len())
            .map(|at| char::from(set.mask_out_others(&sheet(&rows), at).get(0, 0).unwrap()[0]))
            .collect();
        assert_eq!(order, "abdc");
    }

    #[test]
    fn a_drawing_keeps_its_own_pixels_only() {
        let rows = ["aaaaa", "a...a", "a.b.a", "a...a"];
        let set = islands(&clear(&sheet(&rows)), IslandOptions { join: Some(0), min_area: 0 });
        let ring = &set.mask_out_others(&sheet(&rows), 0);
        assert_eq!(ring.get(2, 2).unwrap()[3], 0);
        assert_eq!(set.mask_out_others(&sheet(&rows), 1).size(), Size::new(1, 1));
    }

    proptest! {
        #[test]
        fn every_pixel_is_in_one_drawing_or_speck_and_nothing_is_added(
            pixels in any_pixels(14), join in 0u32..4, min_area in 0u32..5,
        ) {
            let found = islands(&clear(&pixels), IslandOptions { join: Some(join), min_area });
            let size = pixels.size();
            let mut seen = vec![0u32; size.area() as usize];
            for (at, Island { rect, .. }) in found.drawings.iter().enumerate() {
                let drawing = &found.mask_out_others(&pixels, at);
                prop_assert_eq!(rect.size(), drawing.size());
                for (x, y) in (0..rect.width).flat_map(|x| (0..rect.height).map(move |y| (x, y))) {
                    let pixel = drawing.get(x, y).unwrap();
                    if pixel[3] > 0 {
                        prop_assert_eq!(Some(pixel), pixels.get(rect.x + x, rect.y + y));
                        seen[((rect.y + y) * size.width + rect.x + x) as usize] += 1;
                    }
                }
            }
            prop_assert!(seen.iter().all(|&count| count <= 1));
            let drawn = seen.iter().filter(|&&count| count == 1).count();
            let content = pixels.rows().flat_map(|row| row.chunks_exact(4)).filter(|p| p[3] > 0).count();
            prop_assert!(drawn <= content);
            prop_assert!(drawn == content || !found.specks.is_empty());
        }

        #[test]
        fn a_larger_join_distance_never_makes_more_drawings(pixels in any_pixels(14)) {
            let count = |join| {
                let options = IslandOptions { join: Some(join), min_area: 0 };
                islands(&clear(&pixels), options).drawings.len()
            };
            prop_assert!((0..5).all(|join| count(join + 1) <= count(join)));
        }
    }
}
