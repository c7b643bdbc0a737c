//! Where a frame is drawn, and with which part of its page.

use crate::atlas::{Atlas, Frame, Page};

/// A rectangle to draw. Lengths are pixels of the art, y down, from the point where the frame's pivot goes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Quad {
    /// The page, counted in the atlas from 0.
    pub page: usize,
    /// From the pivot to the top left corner.
    pub offset: [f32; 2],
    /// Width and height as it is drawn.
    pub size: [f32; 2],
    /// Where its corners are on the page, as fractions of it, v down: top left, top right, bottom right, bottom left. Rotation on
    /// the page and mirroring are in them already.
    pub uv: [[f32; 2]; 4],
}

/// A corner of an outline.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Corner {
    /// From the pivot, in pixels of the art, y down.
    pub offset: [f32; 2],
    /// Where it is on the page, as fractions of it, v down.
    pub uv: [f32; 2],
}

impl Quad {
    /// Its corners from the pivot, in the order of [`uv`](Self::uv).
    pub fn corners(&self) -> [Corner; 4] {
        let [left, top] = self.offset;
        let (right, bottom) = (left + self.size[0], top + self.size[1]);
        let offsets = [[left, top], [right, top], [right, bottom], [left, bottom]];
        core::array::from_fn(|at| Corner { offset: offsets[at], uv: self.uv[at] })
    }
}

/// A point of a frame's canvas on its page.
fn uv(frame: &Frame, page: &Page, [x, y]: [f32; 2]) -> [f32; 2] {
    let (across, down) = (x - frame.inset[0] as f32, y - frame.inset[1] as f32);
    let [left, top, width, _] = frame.rect.map(|side| side as f32);
    // Rotated a quarter clockwise, the frame's top left is at the page's top right.
    let (x, y) =
        if frame.rotated { (left + width - down, top + across) } else { (left + across, top + down) };
    [x / page.size[0] as f32, y / page.size[1] as f32]
}

/// A point of a frame's canvas as seen from its pivot, in pixels of the art.
fn from_pivot(frame: &Frame, page: &Page, [x, y]: [f32; 2], mirror: bool) -> [f32; 2] {
    let across = (x - frame.pivot[0]) / page.factor;
    [if mirror { -across } else { across }, (y - frame.pivot[1]) / page.factor]
}

impl Atlas {
    /// What to draw of a frame; `None` if it is blank, or isn't there.
    pub fn quad(&self, frame: usize, mirror: bool) -> Option<Quad> {
        let frame = self.frames().get(frame).filter(|frame| !frame.is_blank())?;
        let page = self.pages().get(frame.page)?;
        let [left, top] = frame.inset.map(|side| side as f32);
        let [width, height] = frame.upright_size().map(|side| side as f32);
        let (right, bottom) = (left + width, top + height);
        let mut corners = [[left, top], [right, top], [right, bottom], [left, bottom]];
        if mirror {
            corners = [corners[1], corners[0], corners[3], corners[2]];
        }
        Some(Quad {
            page: frame.page,
            offset: from_pivot(frame, page, corners[0], mirror),
            size: [width / page.factor, height / page.factor],
            uv: corners.map(|corner| uv(frame, page, corner)),
        })
    }

    /// The corners of a frame's outline (its polygon), clockwise unless it is mirrored. It is convex: a fan of triangles covers it.
    pub fn outline(&self, frame: usize, mirror: bool) -> impl Iterator<Item = Corner> + '_ {
        let frame = self.frames().get(frame).filter(|frame| !frame.is_blank());
        let page = frame.and_then(|frame| self.pages().get(frame.page));
        frame.zip(page).into_iter().flat_map(move |(frame, page)| {
            let corner = move |&at: &[f32; 2]| Corner {
                offset: from_pivot(frame, page, at, mirror),
                uv: uv(frame, page, at),
            };
            frame.polygon.iter().map(corner)
        })
    }

    /// A box of a frame from its pivot, in pixels of the art: x, y, width, height.
    pub fn hitbox(&self, frame: usize, name: &str, mirror: bool) -> Option<[f32; 4]> {
        let frame = self.frames().get(frame)?;
        let page = self.pages().get(frame.page)?;
        let (_, area) = frame.boxes.iter().find(|(known, _)| known == name)?;
        let [x, y, width, height] = area.map(|side| side as f32);
        let [left, top] = from_pivot(frame, page, [if mirror { x + width } else { x }, y], mirror);
        Some([left, top, width / page.factor, height / page.factor])
    }
}
