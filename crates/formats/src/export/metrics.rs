//! What follows from a manifest's numbers: where a drawing lies about its pivot, where it is on the page as a share, when a
//! step begins. Computed once, so that every format says the same.

use std::collections::HashMap;

use serde::Serialize;
use shibori_core::shape::triangulate;
use shibori_core::{Cell, Point};

use crate::manifest::{ClipEntry, Coordinate, FrameEntry, Manifest, UvOrigin, uv_of};

/// What follows for a frame. Lengths are pixels of the manifest's pages; `_up` is for engines whose y runs up.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct FrameGeometry {
    /// Its place in the manifest, from 0.
    pub index: usize,
    /// Its place among its sprite's frames, from 0.
    pub number: usize,
    /// The row it is in, of a page of cells, from 0.
    pub row: Option<u32>,
    /// The column it is in.
    pub column: Option<u32>,
    /// Its cell counted row by row from 0, blank ones too, as engines do that index a grid: of its page of cells, or else of
    /// the sheet it was cut from, whose columns are those that have frames.
    pub grid_index: Option<u32>,
    /// Whether nothing of it shows, so that it is on no page.
    pub blank: bool,
    /// The drawing's width and height, upright.
    pub size: [u32; 2],
    /// The rectangle as fractions of the page, 0 to 1: left, top, right, bottom, v running down.
    pub uv: [f64; 4],
    /// The same with v running up: left, top, right, bottom, where top is the larger.
    pub uv_up: [f64; 4],
    /// From the canvas's bottom left to the drawing's bottom left.
    pub inset_up: [u32; 2],
    /// From the pivot to the drawing's top left, y down.
    pub from_pivot: [f64; 2],
    /// From the pivot to the drawing's bottom left, y up.
    pub from_pivot_up: [f64; 2],
    /// From the pivot to the drawing's middle, y down.
    pub mid_from_pivot: [f64; 2],
    /// From the pivot to the drawing's middle, y up.
    pub mid_from_pivot_up: [f64; 2],
    /// The polygon's corners as fractions of the page, u and v, v running down; empty without a polygon.
    pub polygon_uv: Vec<[f64; 2]>,
    /// Triangles over the polygon, as places of its corners: clockwise on the canvas, whose y runs down.
    pub triangles: Vec<[usize; 3]>,
}

/// Where a point of a frame's canvas is on its page, as fractions of that.
pub(super) fn corner_uv(frame: &FrameEntry, page: [u32; 2], [x, y]: &[Coordinate; 2]) -> [f64; 2] {
    let (across, down) = (x.0 - f64::from(frame.inset[0]), y.0 - f64::from(frame.inset[1]));
    let [left, top, width, _] = frame.rect.map(f64::from);
    // Rotated a quarter clockwise, the frame's top left is at the page's top right.
    let (x, y) =
        if frame.rotated { (left + width - down, top + across) } else { (left + across, top + down) };
    [x / f64::from(page[0].max(1)), y / f64::from(page[1].max(1))]
}

/// Triangles over a polygon; none if it isn't a simple one.
pub(super) fn clockwise_triangles(polygon: &[[Coordinate; 2]]) -> Vec<[usize; 3]> {
    let points: Vec<Point> = polygon.iter().map(|[x, y]| Point::new(x.0, y.0)).collect();
    let area: f64 = (0..points.len())
        .map(|at| {
            let (a, b) = (points[at], points[(at + 1) % points.len()]);
            a.x * b.y - b.x * a.y
        })
        .sum();
    let triangles = triangulate(&points).unwrap_or_default();
    let clockwise = |[a, b, c]: [usize; 3]| if area < 0.0 { [a, c, b] } else { [a, b, c] };
    triangles.into_iter().map(clockwise).collect()
}

impl FrameGeometry {
    /// The result for each frame of a manifest, in order.
    pub(super) fn of_all(manifest: &Manifest) -> Vec<Self> {
        let mut counts: HashMap<&str, usize> = HashMap::new();
        let mut columns: HashMap<&str, u32> = HashMap::new();
        for (sheet, cell) in manifest.frames.iter().filter_map(sheet_cell) {
            let widest = columns.entry(sheet).or_default();
            *widest = (*widest).max(cell.column + 1);
        }
        let mut all = Vec::with_capacity(manifest.frames.len());
        for (index, frame) in manifest.frames.iter().enumerate() {
            let count = counts.entry(&frame.sprite).or_default();
            all.push(Self::of(manifest, index, *count, &columns));
            *count += 1;
        }
        all
    }

    /// `columns` are those of each sheet.
    fn of(manifest: &Manifest, index: usize, number: usize, columns: &HashMap<&str, u32>) -> Self {
        let frame = &manifest.frames[index];
        let [width, height] = upright(frame);
        let page = manifest.pages.get(frame.page).map_or([1, 1], |page| page.size);
        let uv = |origin: UvOrigin| uv_of(frame.rect, page, origin);
        let [left, top] = frame.inset.map(f64::from);
        let [pivot_x, pivot_y] = frame.pivot.map(|at| at.0);
        let (x, y) = (left - pivot_x, top - pivot_y);
        let (wide, high) = (f64::from(width), f64::from(height));
        let (mid_x, mid_y) = (x + wide / 2.0, y + high / 2.0);
        let grid = manifest.pages.get(frame.page).and_then(|page| page.grid.as_ref());
        let cell = grid.and_then(|grid| grid.cell_of(frame.rect));
        let of_page = grid.zip(cell).map(|(grid, cell)| (cell, grid.columns));
        // A frame with an image of its own still knows its cell of the sheet.
        let of_sheet = || sheet_cell(frame).map(|(sheet, cell)| ([cell.row, cell.column], columns[sheet]));
        let place = of_page.or_else(of_sheet);
        let cell = place.map(|(cell, _)| cell);
        let below = frame.canvas[1].saturating_sub(frame.inset[1] + height);
        Self {
            index,
            number,
            row: cell.map(|[row, _]| row),
            column: cell.map(|[_, column]| column),
            grid_index: place
                .map(|([row, column], columns)| row.saturating_mul(columns).saturating_add(column)),
            blank: width == 0,
            size: [width, height],
            uv: uv(UvOrigin::Top),
            uv_up: uv(UvOrigin::Bottom),
            inset_up: [frame.inset[0], below],
            from_pivot: [x, y],
            from_pivot_up: [x, plus_zero(-y - high)],
            mid_from_pivot: [mid_x, mid_y],
            mid_from_pivot_up: [mid_x, plus_zero(-mid_y)],
            polygon_uv: frame.polygon.iter().map(|corner| corner_uv(frame, page, corner)).collect(),
            triangles: clockwise_triangles(&frame.polygon),
        }
    }
}

/// The sheet that a frame was cut from, and its cell there.
fn sheet_cell(frame: &FrameEntry) -> Option<(&str, Cell)> {
    let source = frame.source.as_ref()?;
    Some((source.file.as_str(), source.cell.as_ref()?.parse().ok()?))
}

/// -0 would look odd in a table.
fn plus_zero(value: f64) -> f64 {
    value + 0.0
}

/// A frame's kept width and height as it is drawn, not as it lies.
pub(super) fn upright(frame: &FrameEntry) -> [u32; 2] {
    let [_, _, width, height] = frame.rect;
    if frame.rotated { [height, width] } else { [width, height] }
}

/// What follows for a clip.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct ClipTimeline {
    /// One play, step after step; a bounce there and back.
    pub playback: Vec<PlayedStep>,
    /// How long one play takes, in milliseconds.
    pub ms: f64,
    /// The same in seconds.
    pub seconds: f64,
    /// Steps a second, where all last as long.
    pub fps: Option<f64>,
}

/// One step as it is played.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct PlayedStep {
    /// Its place in the clip's `steps`, from 0.
    pub step: usize,
    /// The frame, counted in the manifest from 0.
    pub frame: usize,
    /// The frame's cell, as in [`FrameGeometry::grid_index`].
    pub grid_index: Option<u32>,
    /// Drawn mirrored left-right about the pivot.
    pub mirror: bool,
    /// The event that the game gets when it begins.
    pub event: Option<String>,
    /// How long, in ticks.
    pub ticks: u32,
    /// How long, in milliseconds.
    pub ms: f64,
    /// How long, in seconds.
    pub seconds: f64,
    /// When it begins, in ticks.
    pub start_ticks: u64,
    /// When it begins, in milliseconds.
    pub start_ms: f64,
    /// When it begins, in seconds.
    pub start_seconds: f64,
}

impl ClipTimeline {
    /// `frames` are those of the clip's manifest.
    pub(super) fn of(clip: &ClipEntry, frames: &[FrameGeometry]) -> Self {
        let clock = clip.clock();
        let scale = f64::from(clip.timescale.max(1));
        // Ticks are whole numbers: one division a time, so nothing adds up to more than it is.
        let seconds = |ticks: u64| clock.seconds(ticks);
        let millis = |ticks: u64| ticks as f64 * 1000.0 / scale;
        let mut start_ticks = 0;
        let playback: Vec<PlayedStep> = clock
            .order()
            .map(|at| {
                let step = &clip.steps[at];
                let (start, ticks) = (start_ticks, u64::from(step.ticks));
                start_ticks += ticks;
                PlayedStep {
                    step: at,
                    frame: step.frame,
                    grid_index: frames.get(step.frame).and_then(|frame| frame.grid_index),
                    mirror: step.mirror,
                    event: step.event.clone(),
                    ticks: step.ticks,
                    ms: millis(ticks),
                    seconds: seconds(ticks),
                    start_ticks: start,
                    start_ms: millis(start),
                    start_seconds: seconds(start),
                }
            })
            .collect();
        let first = clip.steps.first().map_or(1, |step| step.ticks);
        let is_even = clip.steps.iter().all(|step| step.ticks == first);
        Self {
            ms: millis(start_ticks),
            seconds: seconds(start_ticks),
            fps: is_even.then(|| scale / f64::from(first.max(1))),
            playback,
        }
    }
}
