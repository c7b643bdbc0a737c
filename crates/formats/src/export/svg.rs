//! SVG: `pond.svg#koi-00` shows one frame.
//!
//! Every frame is a symbol, drawn once in a cell of its canvas's size, and a view shows that cell. Pages are embedded: a
//! browser that shows an SVG as an image loads nothing else for it. Pages and symbols have a dot in their ids, which no
//! frame's has.

use std::fmt::Write;
use std::path::Path;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;

use crate::export::idents::{css_name, idents};
use crate::export::subject::ExportSource;
use crate::export::{ExportError, File};
use crate::manifest::{FrameEntry, Sampling};
use crate::store::seal;
use shibori_core::Size;

/// Empty pixels between cells, so that a view never shows the edge of another.
const GAP: u32 = 2;

/// One SVG with a symbol and a view for each frame.
pub fn svg(subject: &ExportSource, path: &Path) -> Result<Vec<File>, ExportError> {
    let names = idents(subject, css_name, false, None, "SVG")?;
    let cells = cells(subject);
    let wide = cells.iter().zip(&subject.manifest.frames).map(|(cell, frame)| cell[0] + frame.canvas[0]);
    let high = cells.iter().zip(&subject.manifest.frames).map(|(cell, frame)| cell[1] + frame.canvas[1]);
    let (wide, high) = (wide.max().unwrap_or(1), high.max().unwrap_or(1));
    let mut text = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {wide} {high}\" width=\"{wide}\" height=\"{high}\">\n<defs>\n"
    );
    for (number, page) in subject.pages.iter().enumerate() {
        let [width, height] = subject.manifest.pages[number].size;
        let is_smooth = subject.manifest.pages[number].sampling == Some(Sampling::Smooth);
        let rendering = if is_smooth { "auto" } else { "pixelated" };
        let png = subject.pages[number].straight_png(subject.is_premultiplied(number))?;
        debug_assert_eq!(page.pixels.size(), Size::new(width, height));
        writeln!(
            text,
            "<image id=\"page.{number}\" width=\"{width}\" height=\"{height}\" style=\"image-rendering: {rendering}\" \
             href=\"data:image/png;base64,{}\"/>",
            STANDARD.encode(png)
        )
        .expect("text grows");
    }
    for (frame, name) in subject.manifest.frames.iter().zip(&names.frames) {
        let [wide, high] = frame.canvas;
        writeln!(
            text,
            "<symbol id=\"{name}.shape\" viewBox=\"0 0 {wide} {high}\" width=\"{wide}\" height=\"{high}\">{}</symbol>",
            drawing(frame)
        )
        .expect("text grows");
    }
    text += "</defs>\n";
    for ((frame, name), [x, y]) in subject.manifest.frames.iter().zip(&names.frames).zip(&cells) {
        let [wide, high] = frame.canvas;
        writeln!(text, "<view id=\"{name}\" viewBox=\"{x} {y} {wide} {high}\"/>").expect("text grows");
        writeln!(
            text,
            "<use href=\"#{name}.shape\" x=\"{x}\" y=\"{y}\" width=\"{wide}\" height=\"{high}\"/>"
        )
        .expect("text grows");
    }
    text += "</svg>\n";
    Ok(vec![File::new(path, seal::text(text, "<!-- ", " -->\n"))])
}

/// The part of the page at its place on the canvas, rotated back where it is rotated.
fn drawing(frame: &FrameEntry) -> String {
    let [x, y, width, height] = frame.rect;
    if width == 0 {
        return String::new();
    }
    let [left, top] = frame.inset;
    let window = |place: &str| {
        format!(
            "<svg {place} width=\"{width}\" height=\"{height}\" viewBox=\"{x} {y} {width} {height}\"><use href=\"#page.{}\"/></svg>",
            frame.page
        )
    };
    if frame.rotated {
        // A quarter counter-clockwise: what is at the right goes to the top.
        let low = top + width;
        return format!(
            "<g transform=\"translate({left} {low}) rotate(-90)\">{}</g>",
            window("x=\"0\" y=\"0\"")
        );
    }
    window(&format!("x=\"{left}\" y=\"{top}\""))
}

/// Where each frame's canvas lies: in rows about as long as high.
fn cells(subject: &ExportSource) -> Vec<[u32; 2]> {
    let canvases = || subject.manifest.frames.iter().map(|frame| frame.canvas);
    let area: u64 = canvases().map(|[wide, high]| u64::from(wide + GAP) * u64::from(high + GAP)).sum();
    let widest = canvases().map(|[wide, _]| wide).max().unwrap_or(1);
    let limit = ((area as f64).sqrt().ceil() as u32).max(widest);
    let (mut x, mut y, mut row) = (0, 0, 0);
    let place = |[wide, high]: [u32; 2]| {
        if x > 0 && x + wide > limit {
            (x, y, row) = (0, y + row + GAP, 0);
        }
        let cell = [x, y];
        x += wide + GAP;
        row = row.max(high);
        cell
    };
    canvases().map(place).collect()
}
