//! The first lines of the tables that `export` writes. The last column is the seal: it is filled in the first row alone.

/// The column of the seal.
const SEAL: &str = "seal";

pub(crate) const FRAMES: [&str; 28] = [
    "sprite",
    "name",
    "index",
    "number",
    "page",
    "file",
    "x",
    "y",
    "width",
    "height",
    "turned",
    "canvas_width",
    "canvas_height",
    "inset_x",
    "inset_y",
    "pivot_x",
    "pivot_y",
    "u0",
    "v0",
    "u1",
    "v1",
    "boxes",
    "nine",
    "polygon",
    "row",
    "column",
    "grid_index",
    SEAL,
];

pub(crate) const STEPS: [&str; 14] = [
    "sprite",
    "clip",
    "play",
    "plays",
    "step",
    "frame",
    "frame_index",
    "mirror",
    "event",
    "ticks",
    "timescale",
    "ms",
    "start_ms",
    SEAL,
];
