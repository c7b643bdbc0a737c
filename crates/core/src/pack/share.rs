//! Frames that can be in one place because they show the same picture.

use std::collections::HashMap;

use crate::parallel;
use crate::shape::mirrored as mirror_image;
use crate::{Frame, Mirror, Pixels};

/// Which frames show which picture.
pub(super) struct DistinctImages {
    /// For each frame its picture; `None` for a blank frame, which needs no place.
    pub(super) picture_of: Vec<Option<usize>>,
    /// For each picture the first frame that shows it.
    pub(super) distinct: Vec<usize>,
    /// Pictures that are the left-right mirror image of an earlier one, and the first frame that shows that. A picture
    /// that is its own mirror image is none.
    pub(super) mirrored: Vec<(usize, usize)>,
}

/// Finds frames whose kept pixels look the same, those of their companions too. Without `share` only blank frames are found.
pub(super) fn find(frames: &[Frame], share: bool) -> DistinctImages {
    let sums: Vec<Option<PixelHashes>> =
        parallel::map(frames.len(), |at| frames[at].extent(0).map(|_| PixelHashes::of(frames[at].pixels())));
    let mut picture_of = Vec::with_capacity(frames.len());
    let mut distinct: Vec<usize> = Vec::new();
    let mut by_sum: HashMap<u64, Vec<usize>> = HashMap::new();
    let looks_same = |a: usize, b: usize| {
        let (a, b) = (&frames[a], &frames[b]);
        a.pixels().is_same_image(b.pixels()) && have_same_companions(a, b)
    };
    for (at, sums) in sums.iter().enumerate() {
        let Some(sums) = sums else {
            picture_of.push(None);
            continue;
        };
        let twins = by_sum.entry(sums.own).or_default();
        let twin = twins.iter().find(|&&picture| share && looks_same(distinct[picture], at));
        picture_of.push(Some(twin.copied().unwrap_or_else(|| {
            let picture = distinct.len();
            distinct.push(at);
            if share {
                twins.push(picture);
            }
            picture
        })));
    }
    let mirrored = mirrored(frames, &distinct, &sums);
    DistinctImages { picture_of, distinct, mirrored }
}

fn mirrored(frames: &[Frame], distinct: &[usize], sums: &[Option<PixelHashes>]) -> Vec<(usize, usize)> {
    let mut by_sum: HashMap<u64, Vec<usize>> = HashMap::new();
    let mut found = Vec::new();
    for &at in distinct {
        let Some(PixelHashes { own, mirrored }) = sums[at] else { continue };
        let earlier = by_sum.get(&mirrored).into_iter().flatten();
        let mut earlier = earlier.filter(|&&other| {
            let (other, frame) = (&frames[other], &frames[at]);
            mirrors(other.pixels(), frame.pixels())
                && have_same_companions(&mirror_image(other.clone(), Mirror::LeftRight), frame)
        });
        match earlier.next() {
            Some(&other) => found.push((at, other)),
            None => by_sum.entry(own).or_default().push(at),
        }
    }
    found
}

fn have_same_companions(a: &Frame, b: &Frame) -> bool {
    let mut pairs = a.companions().iter().zip(b.companions());
    pairs.all(|(a, b)| a.pixels.is_same_image(&b.pixels))
}

fn mirrors(a: &Pixels, b: &Pixels) -> bool {
    let size = a.size();
    let at = |pixels: &Pixels, x: u32, y: u32| pixels.get(x, y).filter(|pixel| pixel[3] > 0);
    size == b.size()
        && (0..size.height).all(|y| (0..size.width).all(|x| at(a, x, y) == at(b, size.width - 1 - x, y)))
}

/// Numbers that are equal for pictures that look the same, and for a picture and the mirror image of another. Only ever
/// compared within one run; what is equal by chance is compared pixel by pixel.
#[derive(Clone, Copy)]
struct PixelHashes {
    own: u64,
    mirrored: u64,
}

impl PixelHashes {
    fn of(pixels: &Pixels) -> Self {
        // Of each row two sums: of its pixels, and of its pixels times their column. The second one mirrored follows from
        // both, so that one look at each pixel is enough.
        const MIX: u64 = 0x517c_c1b7_2722_0a95;
        let size = pixels.size();
        let first = u64::from(size.width) << 32 | u64::from(size.height);
        let mut sums = Self { own: first, mirrored: first };
        let last = u64::from(size.width.saturating_sub(1));
        for row in pixels.rows() {
            let (mut plain, mut by_column) = (0u64, 0u64);
            for (x, pixel) in (0..).zip(row.as_chunks::<4>().0) {
                let seen = if pixel[3] == 0 { 0 } else { u64::from(u32::from_le_bytes(*pixel)) };
                let mixed = seen.wrapping_mul(MIX);
                let mixed = mixed ^ mixed >> 32;
                plain = plain.wrapping_add(mixed);
                by_column = by_column.wrapping_add(mixed.wrapping_mul(x));
            }
            let step = |sum: u64, by_column: u64| {
                (sum.rotate_left(5) ^ plain ^ by_column.rotate_left(32)).wrapping_mul(MIX)
            };
            sums.own = step(sums.own, by_column);
            sums.mirrored = step(sums.mirrored, plain.wrapping_mul(last).wrapping_sub(by_column));
        }
        sums
    }
}
