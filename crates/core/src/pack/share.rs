//! Frames that can lie in one place because they show the same picture.

use std::collections::HashMap;

use crate::pack::Layer;
use crate::parallel;
use crate::{Frame, Pixels};

/// Which frames show which picture.
pub(super) struct Shared {
    /// For each frame its picture; `None` for a blank frame, which needs no place.
    pub(super) picture_of: Vec<Option<usize>>,
    /// For each picture the first frame that shows it.
    pub(super) distinct: Vec<usize>,
}

/// Finds frames whose kept pixels look the same, those of their layers too. Without `share` only blank frames are found.
pub(super) fn find(frames: &[Frame], layers: &[Layer], share: bool) -> Shared {
    let mut shared = Shared { picture_of: Vec::with_capacity(frames.len()), distinct: Vec::new() };
    let sums: Vec<Option<u64>> = parallel::map(frames.len(), |at| {
        let sum = || if share { sum(frames[at].pixels(), |x, _| x) } else { at as u64 };
        (!frames[at].is_blank()).then(sum)
    });
    let mut by_sum: HashMap<u64, Vec<usize>> = HashMap::new();
    let looks_same = |a: usize, b: usize| {
        frames[a].pixels().looks_like(frames[b].pixels())
            && layers.iter().all(|layer| layer.pixels[a].looks_like(&layer.pixels[b]))
    };
    for (at, sum) in sums.iter().enumerate() {
        let Some(sum) = sum else {
            shared.picture_of.push(None);
            continue;
        };
        let twins = by_sum.entry(*sum).or_default();
        let picture = match twins.iter().find(|&&picture| looks_same(shared.distinct[picture], at)) {
            Some(&picture) => picture,
            None => {
                let picture = shared.distinct.len();
                shared.distinct.push(at);
                twins.push(picture);
                picture
            }
        };
        shared.picture_of.push(Some(picture));
    }
    shared
}

/// Pictures that are the left-right mirror image of an earlier one, and the first frame that shows that. A picture that is
/// its own mirror image is none.
pub(super) fn mirrored(frames: &[Frame], distinct: &[usize]) -> Vec<(usize, usize)> {
    let sums = |at: &usize| {
        let pixels = frames[*at].pixels();
        (sum(pixels, |x, _| x), sum(pixels, |x, width| width - 1 - x))
    };
    let sums: Vec<(u64, u64)> = parallel::each(distinct, sums);
    let mut by_sum: HashMap<u64, Vec<usize>> = HashMap::new();
    let mut found = Vec::new();
    for (picture, &(own, mirrored)) in sums.iter().enumerate() {
        let at = distinct[picture];
        let earlier = by_sum.get(&mirrored).into_iter().flatten();
        let mut earlier = earlier.filter(|&&other| mirrors(frames[other].pixels(), frames[at].pixels()));
        match earlier.next() {
            Some(&other) => found.push((at, other)),
            None => by_sum.entry(own).or_default().push(at),
        }
    }
    found
}

fn mirrors(a: &Pixels, b: &Pixels) -> bool {
    let size = a.size();
    let at = |pixels: &Pixels, x: u32, y: u32| pixels.get(x, y).filter(|pixel| pixel[3] > 0);
    size == b.size()
        && (0..size.height).all(|y| (0..size.width).all(|x| at(a, x, y) == at(b, size.width - 1 - x, y)))
}

/// A sum that is equal for pictures that look the same, read in another order of columns where wanted. Only ever compared
/// within one run.
fn sum(pixels: &Pixels, column: impl Fn(usize, usize) -> usize) -> u64 {
    // Multiply and rotate, as hash tables of numbers do: what is equal by chance is compared pixel by pixel.
    let mut sum = u64::from(pixels.size().width) << 32 | u64::from(pixels.size().height);
    let width = pixels.size().width as usize;
    for row in pixels.rows() {
        for x in 0..width {
            let at = column(x, width) * 4;
            let seen =
                if row[at + 3] == 0 { [0; 4] } else { [row[at], row[at + 1], row[at + 2], row[at + 3]] };
            sum = (sum.rotate_left(5) ^ u64::from(u32::from_le_bytes(seen)))
                .wrapping_mul(0x517c_c1b7_2722_0a95);
        }
    }
    sum
}
