//! Connected-component labeling and disjoint sets, shared by cutting, cleaning and checking.
//!
//! Components are labeled by filling from each pixel that has no label yet; groups are the usual disjoint sets, each
//! known by its first member, so that results never depend on the order of joining.

use crate::{Pixels, Rect, Size};

/// Pieces of a picture.
#[derive(Clone, Debug)]
pub(crate) struct Components {
    /// For each pixel its piece from 1, or 0.
    pub(crate) labels: Vec<u32>,
    /// Pixels of each piece.
    pub(crate) areas: Vec<u32>,
}

impl Components {
    /// The box of each piece; `size` is that of the picture.
    pub(crate) fn bounding_boxes(&self, size: Size) -> Vec<Rect> {
        let mut boxes: Vec<Option<Rect>> = vec![None; self.areas.len()];
        for (at, &label) in self.labels.iter().enumerate().filter(|(_, label)| **label > 0) {
            let pixel = Rect::new(at as u32 % size.width, at as u32 / size.width, 1, 1);
            let rect = &mut boxes[label as usize - 1];
            *rect = Some(rect.map_or(pixel, |rect| rect.union(pixel)));
        }
        boxes.into_iter().map(|rect| rect.expect("a piece has a pixel")).collect()
    }
}

/// Labels pixels that hang together, also diagonally, in the order in which they are met.
pub(crate) fn label_image(picture: &Pixels, is_content: impl Fn(&[u8]) -> bool) -> Components {
    let content: Vec<bool> = picture.rows().flat_map(|row| row.chunks_exact(4)).map(is_content).collect();
    label_mask(&content, picture.size())
}

/// The same where it is known which pixels count, row by row.
pub(crate) fn label_mask(content: &[bool], size: Size) -> Components {
    let Size { width, height } = size;
    let mut labels = vec![0u32; content.len()];
    let mut areas = Vec::new();
    let mut open = Vec::new();
    for start in 0..content.len() {
        if !content[start] || labels[start] > 0 {
            continue;
        }
        areas.push(0);
        let label = areas.len() as u32;
        labels[start] = label;
        open.push(start);
        while let Some(at) = open.pop() {
            areas[label as usize - 1] += 1;
            for near in neighbors8(at, width, height) {
                if content[near] && labels[near] == 0 {
                    labels[near] = label;
                    open.push(near);
                }
            }
        }
    }
    Components { labels, areas }
}

/// The up to eight neighbors of a pixel.
pub(crate) fn neighbors8(at: usize, width: u32, height: u32) -> impl Iterator<Item = usize> {
    let (x, y) = (at as u32 % width, at as u32 / width);
    let columns = x.saturating_sub(1)..=(x + 1).min(width - 1);
    let rows = y.saturating_sub(1)..=(y + 1).min(height - 1);
    let places =
        rows.flat_map(move |ny| columns.clone().map(move |nx| ny as usize * width as usize + nx as usize));
    places.filter(move |&near| near != at)
}

/// Disjoint sets over `0..count`, with path halving (R. Tarjan, J. van Leeuwen, "Worst-case analysis of set union
/// algorithms", 1984). The representative of a set is its smallest member.
#[derive(Clone, Debug)]
pub(crate) struct DisjointSets {
    first: Vec<usize>,
}

impl DisjointSets {
    /// So many things, each a group of its own.
    pub(crate) fn of(count: usize) -> Self {
        Self { first: (0..count).collect() }
    }

    /// Puts the groups of two things together.
    pub(crate) fn union(&mut self, a: usize, b: usize) {
        let (a, b) = (self.find(a), self.find(b));
        self.first[a.max(b)] = a.min(b);
    }

    fn find(&mut self, mut at: usize) -> usize {
        while self.first[at] != at {
            self.first[at] = self.first[self.first[at]];
            at = self.first[at];
        }
        at
    }

    /// For each thing the first one of its group.
    pub(crate) fn into_representatives(mut self) -> Vec<usize> {
        (0..self.first.len()).map(|at| self.find(at)).collect()
    }
}
