//! The borders of cells, and soft borders of drawings.

use image::Rgba;

use crate::clean::{CanvasView, CleanResult};
use crate::{Pixels, SignedRect};

/// Empties the outermost `width` pixels of a canvas: what an effect run over a whole sheet leaves along every
/// cell's edge, or a neighbor's feet.
pub fn clear_edge(part: CanvasView<'_>, width: u32) -> CleanResult {
    let CanvasView { pixels, at, canvas } = part;
    let is_edge = |x: u32, y: u32| {
        let (x, y) = (x + at.x, y + at.y);
        let near = x.min(y).min(canvas.width - 1 - x).min(canvas.height - 1 - y);
        near < width
    };
    change(pixels, |x, y, pixel| (is_edge(x, y) && pixel[3] > 0).then_some(Rgba([0; 4])))
}

/// Empties rectangles of a canvas; what of them lies outside it says nothing.
pub fn erase(part: CanvasView<'_>, areas: &[SignedRect]) -> CleanResult {
    let CanvasView { pixels, at, .. } = part;
    let lies_in = |x: u32, y: u32| {
        let (x, y) = (i64::from(x + at.x), i64::from(y + at.y));
        areas.iter().any(|area| {
            let (left, top) = (i64::from(area.x), i64::from(area.y));
            (left..left + i64::from(area.width)).contains(&x)
                && (top..top + i64::from(area.height)).contains(&y)
        })
    };
    change(pixels, |x, y, pixel| (pixel[3] > 0 && lies_in(x, y)).then_some(Rgba([0; 4])))
}

/// Makes every pixel with an alpha of at least `from` solid, and every other one clear.
pub fn harden(canvas: &Pixels, from: u8) -> CleanResult {
    change(canvas, |_, _, pixel| match pixel[3] {
        0 | 255 => None,
        alpha if alpha >= from => Some(Rgba([pixel[0], pixel[1], pixel[2], 255])),
        _ => Some(Rgba([0; 4])),
    })
}

fn change(canvas: &Pixels, new: impl Fn(u32, u32, Rgba<u8>) -> Option<Rgba<u8>>) -> CleanResult {
    let mut image = None;
    let mut changed = 0;
    for (y, row) in (0..).zip(canvas.rows()) {
        for (x, pixel) in (0..).zip(row.chunks_exact(4)) {
            if let Some(pixel) = new(x, y, Rgba([pixel[0], pixel[1], pixel[2], pixel[3]])) {
                image.get_or_insert_with(|| canvas.to_image()).put_pixel(x, y, pixel);
                changed += 1;
            }
        }
    }
    Some((image?, changed))
}

#[cfg(test)]
mod tests {
    use image::RgbaImage;

    use super::*;
    use crate::UVec2;

    #[test]
    fn the_edge_goes_and_the_middle_stays() {
        let full = Pixels::from_image(RgbaImage::from_pixel(5, 4, Rgba([9, 9, 9, 255])));
        let clear_edge = |pixels: &Pixels, width| {
            clear_edge(CanvasView { pixels, at: UVec2::default(), canvas: pixels.size() }, width)
        };
        let (image, changed) = clear_edge(&full, 1).unwrap();
        assert_eq!(changed, 20 - 6);
        assert!(
            image
                .enumerate_pixels()
                .all(|(x, y, p)| (p[3] == 255) == ((1..4).contains(&x) && (1..3).contains(&y)))
        );
        assert!(clear_edge(&full, 0).is_none());
        assert!(clear_edge(&Pixels::from_image(image), 1).is_none());
    }

    #[test]
    fn what_is_erased_is_where_it_was_said_on_the_canvas() {
        let full = Pixels::from_image(RgbaImage::from_pixel(5, 4, Rgba([9, 9, 9, 255])));
        let part =
            CanvasView { pixels: &full, at: crate::UVec2 { x: 2, y: 1 }, canvas: crate::Size::new(9, 9) };
        let areas = ["-3,-3,6,5", "6,4,90,90"].map(|area| area.parse::<SignedRect>().unwrap());
        let (image, changed) = erase(part, &areas).unwrap();
        assert_eq!(changed, 2);
        assert_eq!(
            (image.get_pixel(0, 0)[3], image.get_pixel(4, 3)[3], image.get_pixel(1, 0)[3]),
            (0, 0, 255)
        );
        assert!(erase(part, &["0,0,2,9".parse().unwrap()]).is_none());
    }

    #[test]
    fn hardening_leaves_no_half_transparency() {
        let alphas = [0, 1, 127, 128, 254, 255];
        let soft = Pixels::from_image(RgbaImage::from_fn(6, 1, |x, _| Rgba([7, 7, 7, alphas[x as usize]])));
        let (image, changed) = harden(&soft, 128).unwrap();
        assert_eq!(image.pixels().map(|p| p[3]).collect::<Vec<_>>(), [0, 0, 0, 255, 255, 255]);
        assert_eq!(changed, 4);
        assert!(harden(&Pixels::from_image(image), 128).is_none());
    }
}
