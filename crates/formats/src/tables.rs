//! The first lines of the tables that `export` writes, by which they are known again.

pub(crate) const FRAMES: [&str; 24] = [
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
];

pub(crate) const STEPS: [&str; 13] = [
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
];

/// Whether a file is one of these tables: like a manifest it has no place for a seal, but says in its first line what it is.
pub(crate) fn is_our_table(bytes: &[u8]) -> bool {
    let first = bytes.split(|&byte| byte == b'\r').next().unwrap_or_default();
    first == FRAMES.join(",").as_bytes() || first == STEPS.join(",").as_bytes()
}
