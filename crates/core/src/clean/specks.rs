//! Stray pixels: groups too small to be part of a drawing.

use image::Rgba;

use crate::clean::CleanResult;
use crate::components::label_image;
use crate::{Pixels, Size};

/// Removes groups of up to `most` pixels that hang together, also diagonally, and touch nothing else.
pub fn specks(canvas: &Pixels, most: u32) -> CleanResult {
    let Size { width, .. } = canvas.size();
    let found = label_image(canvas, |pixel| pixel[3] > 0);
    let is_speck = |area: &u32| *area <= most;
    if !found.areas.iter().any(is_speck) {
        return None;
    }
    let mut image = canvas.to_image();
    let mut changed = 0;
    for (at, label) in found.labels.iter().enumerate() {
        if let Some(piece) = label.checked_sub(1)
            && is_speck(&found.areas[piece as usize])
        {
            image.put_pixel(at as u32 % width, at as u32 / width, Rgba([0; 4]));
            changed += 1;
        }
    }
    Some((image, changed))
}

#[cfg(test)]
mod tests {
    use image::RgbaImage;

    use super::*;

    fn drawn(rows: &[&str]) -> Pixels {
        let dot = |x: u32, y: u32| rows[y as usize].as_bytes()[x as usize] == b'#';
        Pixels::from_image(RgbaImage::from_fn(rows[0].len() as u32, rows.len() as u32, |x, y| {
            Rgba([5, 5, 5, if dot(x, y) { 255 } else { 0 }])
        }))
    }

    #[test]
    fn groups_up_to_the_size_go_and_larger_ones_stay() {
        let sheet = drawn(&["##..#", "##...", "...#.", "#.#.."]);
        let left = |most| {
            specks(&sheet, most)
                .map(|(image, changed)| (image.pixels().filter(|p| p[3] > 0).count(), changed))
        };
        assert_eq!(left(0), None);
        assert_eq!(left(1), Some((6, 2)));
        // Two pixels that touch diagonally are one group.
        assert_eq!(left(2), Some((4, 4)));
        assert_eq!(left(4), Some((0, 8)));
    }
}
