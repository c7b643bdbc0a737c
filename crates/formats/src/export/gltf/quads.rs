//! Corners of a frame: those of its polygon, or else top left, bottom left, bottom right, top right; and triangles over them that
//! face +z.

use crate::export::FrameGeometry;
use crate::manifest::FrameEntry;

/// The triangles over a quad's corners, counter-clockwise seen from +z.
const QUAD: [u16; 6] = [0, 1, 2, 0, 2, 3];

/// What a frame is drawn on.
pub(super) struct MeshShape {
    pub(super) corners: Vec<[f32; 3]>,
    pub(super) uvs: Vec<[f32; 2]>,
    pub(super) triangles: Vec<u16>,
}

/// The polygon of a frame if it has one inside its rectangle, else that. Lengths are units of this many pixels, y up.
pub(super) fn shape(
    entry: &FrameEntry,
    frame: &FrameGeometry,
    page: [u32; 2],
    unit: f64,
    mirrored: bool,
) -> MeshShape {
    let [wide, high] = frame.size.map(f64::from);
    let inset = entry.inset.map(f64::from);
    let is_inside = entry.polygon.iter().all(|[x, y]| {
        (inset[0]..=inset[0] + wide).contains(&x.0) && (inset[1]..=inset[1] + high).contains(&y.0)
    });
    if frame.triangles.is_empty() || !is_inside {
        let (corners, uvs) = (corners(frame, unit, mirrored).to_vec(), uvs(entry, page, mirrored).to_vec());
        return MeshShape { corners, uvs, triangles: QUAD.to_vec() };
    }
    let [pivot_x, pivot_y] = entry.pivot.map(|at| at.0);
    let side = if mirrored { -1.0 } else { 1.0 };
    let corner = |[x, y]: &[crate::manifest::Coordinate; 2]| {
        [(side * (x.0 - pivot_x) / unit) as f32 + 0.0, ((pivot_y - y.0) / unit) as f32 + 0.0, 0.0]
    };
    // Clockwise where y runs down, and so where it runs up; mirrored the other way round.
    let face = |&[a, b, c]: &[usize; 3]| {
        let [b, c] = if mirrored { [b, c] } else { [c, b] };
        [a, b, c].map(|at| at as u16)
    };
    MeshShape {
        corners: entry.polygon.iter().map(corner).collect(),
        uvs: frame.polygon_uv.iter().map(|uv| uv.map(|share| share as f32)).collect(),
        triangles: frame.triangles.iter().flat_map(face).collect(),
    }
}

/// Where the corners lie about the pivot, y up, in units of this many pixels.
fn corners(frame: &FrameGeometry, unit: f64, mirrored: bool) -> [[f32; 3]; 4] {
    let [wide, high] = frame.size.map(f64::from);
    let [left, bottom] = frame.from_pivot_up;
    // Mirrored about the pivot, left becomes right: the quad still faces the front.
    let (left, right) = if mirrored { (-left - wide, -left) } else { (left, left + wide) };
    let top = bottom + high;
    let at = |x: f64, y: f64| [(x / unit) as f32 + 0.0, (y / unit) as f32 + 0.0, 0.0];
    [at(left, top), at(left, bottom), at(right, bottom), at(right, top)]
}

/// What part of the page the corners show; v runs down.
fn uvs(frame: &FrameEntry, page: [u32; 2], mirrored: bool) -> [[f32; 2]; 4] {
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
