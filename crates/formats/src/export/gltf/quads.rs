//! Corners of a frame: top left, bottom left, bottom right, top right, so that two triangles over them face +z.

use crate::export::FrameGeometry;
use crate::manifest::FrameEntry;

/// The triangles over a quad's corners, counter-clockwise seen from +z.
pub(super) const INDICES: [u16; 6] = [0, 1, 2, 0, 2, 3];

/// Where the corners lie about the pivot, y up, in units of this many pixels.
pub(super) fn corners(frame: &FrameGeometry, unit: f64, mirrored: bool) -> [[f32; 3]; 4] {
    let [wide, high] = frame.size.map(f64::from);
    let [left, bottom] = frame.from_pivot_up;
    // Mirrored about the pivot, left becomes right: the quad still faces the front.
    let (left, right) = if mirrored { (-left - wide, -left) } else { (left, left + wide) };
    let top = bottom + high;
    let at = |x: f64, y: f64| [(x / unit) as f32 + 0.0, (y / unit) as f32 + 0.0, 0.0];
    [at(left, top), at(left, bottom), at(right, bottom), at(right, top)]
}

/// What part of the page the corners show; v runs down.
pub(super) fn uvs(frame: &FrameEntry, page: [u32; 2], mirrored: bool) -> [[f32; 2]; 4] {
    let [x, y, width, height] = frame.rect;
    let share = |at: u32, length: u32| (f64::from(at) / f64::from(length)) as f32;
    let (left, right) = (share(x, page[0]), share(x + width, page[0]));
    let (top, bottom) = (share(y, page[1]), share(y + height, page[1]));
    let page = [[left, top], [left, bottom], [right, bottom], [right, top]];
    // Turned a quarter clockwise, the frame's top left is at the page's top right, and so on round.
    let [top_left, bottom_left, bottom_right, top_right] =
        if frame.rotated { [page[3], page[0], page[1], page[2]] } else { page };
    match mirrored {
        true => [top_right, bottom_right, bottom_left, top_left],
        false => [top_left, bottom_left, bottom_right, top_right],
    }
}
