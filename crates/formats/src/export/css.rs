//! CSS: one class per frame and one class per clip.
//!
//! An element is as large as a frame's canvas. The page is its background, painted in the content box only: padding stands
//! for what was trimmed away, so that no neighbor shows. `--scale` makes everything larger, `--pivot-x` and `--pivot-y` say
//! where the pivot lies. A clip jumps from keyframe to keyframe (`steps`), and each keyframe stands where its step
//! begins, so uneven times are kept.

use std::fmt::Write;
use std::path::Path;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use image::{RgbaImage, imageops};

use crate::encode::png;
use crate::escape::escape_url_path;
use crate::export::idents::{css_name, idents};
use crate::export::metrics::PlayedStep;
use crate::export::{ExportError, ExportSource, File};
use crate::manifest::{FrameEntry, Sampling};
use crate::store::seal;
use shibori_core::Rect;

const FORMAT: &str = "CSS";

/// A style sheet. Rotated frames can't be shown.
pub fn css(subject: &ExportSource, path: &Path) -> Result<Vec<File>, ExportError> {
    if let Some(rotated) = subject.manifest.frames.iter().position(|frame| frame.rotated) {
        let frame = subject.manifest.frames[rotated].name.clone();
        return Err(ExportError::Rotated { frame, format: FORMAT });
    }
    for (number, page) in subject.manifest.pages.iter().enumerate() {
        let refuse = |what| Err(ExportError::Page { page: page.file.clone(), what, format: FORMAT });
        if subject.is_premultiplied(number) {
            return refuse("its colors are multiplied by alpha");
        }
        if !subject.pages[number].is_for_browsers() {
            return refuse("browsers can't display this file format");
        }
    }
    // A sprite alone has the name of its set: the class that all share must be another.
    let shared = format!("{}-atlas", css_name(&subject.stem));
    let names = idents(subject, css_name, true, Some((&shared, "the class of all of them")), FORMAT)?;
    let folder = path.parent().unwrap_or(Path::new(""));
    let sheet = CssWriter { subject, shared, folder };
    let mut text = sheet.head();
    for (at, name) in names.frames.iter().enumerate() {
        let frame = &subject.manifest.frames[at];
        writeln!(text, ".{name} {{\n{}{}}}", sheet.frame_rule(frame), sheet.pivot(frame))
            .expect("text grows");
        if let Some(nine) = sheet.nine(frame, name)? {
            text += &nine;
        }
    }
    for (at, name) in names.clips.iter().enumerate() {
        text += &sheet.clip(at, name);
    }
    Ok(vec![File::new(path, seal::text(text, "/* ", " */\n"))])
}

struct CssWriter<'a> {
    subject: &'a ExportSource,
    /// The class that every element has.
    shared: String,
    folder: &'a Path,
}

impl CssWriter<'_> {
    fn head(&self) -> String {
        let is_smooth =
            self.subject.manifest.pages.iter().any(|page| page.sampling == Some(Sampling::Smooth));
        let rendering = if is_smooth { "auto" } else { "pixelated" };
        let shared = &self.shared;
        format!(
            "/* A frame: <span role=\"img\" class=\"{shared} FRAME\" aria-label=\"...\"></span>. A clip: the same with \
             CLIP. Twice as large: --scale: 2. */\n\
             .{shared} {{\n  --scale: 1;\n  display: inline-block;\n  box-sizing: border-box;\n  \
             background-repeat: no-repeat;\n  background-origin: content-box;\n  background-clip: content-box;\n  \
             image-rendering: {rendering};\n}}\n"
        )
    }

    /// What shows a frame, one declaration per line.
    fn frame_rule(&self, frame: &FrameEntry) -> String {
        let [wide, high] = frame.canvas;
        let mut text = format!("  width: {};\n  height: {};\n", scaled(wide), scaled(high));
        let [x, y, width, height] = frame.rect;
        if width == 0 {
            text += "  background-image: none;\n";
            return text;
        }
        let [left, top] = frame.inset;
        let sides = [top, wide - left - width, high - top - height, left].map(scaled);
        let page = self.subject.manifest.pages[frame.page].size;
        writeln!(text, "  padding: {};", sides.join(" ")).expect("text grows");
        writeln!(text, "  background-image: url(\"{}\");", self.url(frame.page)).expect("text grows");
        writeln!(text, "  background-position: {} {};", negative_px(x), negative_px(y)).expect("text grows");
        writeln!(text, "  background-size: {} {};", scaled(page[0]), scaled(page[1])).expect("text grows");
        text
    }

    fn pivot(&self, frame: &FrameEntry) -> String {
        let [x, y] = frame.pivot.map(|at| at.0);
        format!(
            "  --pivot-x: calc(var(--scale) * {x}px);\n  --pivot-y: calc(var(--scale) * {y}px);\n  transform-origin: \
             var(--pivot-x) var(--pivot-y);\n"
        )
    }

    fn url(&self, page: usize) -> String {
        let path = self.subject.page_from(self.folder, page);
        escape_url_path(&path)
    }

    /// A class and its keyframes.
    fn clip(&self, at: usize, name: &str) -> String {
        let (clip, facts) = (&self.subject.manifest.clips[at], &self.subject.clips[at]);
        let first = &self.subject.manifest.frames[facts.playback[0].frame];
        let times = if clip.plays == 0 { "infinite".to_owned() } else { clip.plays.to_string() };
        let animation = format!("{}-{name}", self.shared);
        let mut text = format!(
            ".{name} {{\n{}  animation: {animation} {} steps(1, end) {times} both;\n}}\n@keyframes {animation} {{\n",
            self.pivot(first),
            millis(facts.ms),
        );
        let mut frame = |share: f64, step: &PlayedStep| {
            let shown = &self.subject.manifest.frames[step.frame];
            let way = if step.mirror { "scaleX(-1)" } else { "none" };
            let body = format!("{}{}  transform: {way};\n", self.frame_rule(shown), self.pivot(shown))
                .replace("\n  ", " ");
            writeln!(text, "  {} {{ {} }}", percent(share), body.trim()).expect("text grows");
        };
        facts.playback.iter().for_each(|step| frame(step.start_ms / facts.ms, step));
        // What is shown when it has played.
        frame(1.0, facts.playback.last().expect("a clip has a step"));
        text + "}\n"
    }

    /// A panel that stretches: the frame's own picture, since a border can't be cut from a page.
    fn nine(&self, frame: &FrameEntry, name: &str) -> Result<Option<String>, ExportError> {
        let Some([left, top, right, bottom]) = frame.nine else { return Ok(None) };
        let [wide, high] = frame.canvas;
        let [x, y, width, height] = frame.rect;
        let mut canvas = RgbaImage::new(wide, high);
        let part = self.subject.pages[frame.page].pixels.crop(Rect::new(x, y, width, height));
        let part = part.expect("a frame is inside its page").to_image();
        imageops::replace(&mut canvas, &part, i64::from(frame.inset[0]), i64::from(frame.inset[1]));
        let bytes = png(&canvas).map_err(|error| ExportError::Encode(error.to_string()))?;
        let widths = [top, right, bottom, left].map(scaled).join(" ");
        Ok(Some(format!(
            ".{name}.stretched {{\n  width: auto;\n  height: auto;\n  padding: 0;\n  background: none;\n  border: 0 solid \
             transparent;\n  border-width: {widths};\n  \
             border-image: url(\"data:image/png;base64,{}\") {top} {right} {bottom} {left} fill / {widths} stretch;\n}}\n",
            STANDARD.encode(bytes)
        )))
    }
}

fn scaled(pixels: u32) -> String {
    if pixels == 0 { "0px".to_owned() } else { format!("calc(var(--scale) * {pixels}px)") }
}

fn negative_px(pixels: u32) -> String {
    if pixels == 0 { "0px".to_owned() } else { format!("calc(var(--scale) * -{pixels}px)") }
}

/// Six decimals are a thousandth of a millisecond in an hour.
fn percent(share: f64) -> String {
    let text = format!("{:.6}", share * 100.0);
    format!("{}%", text.trim_end_matches('0').trim_end_matches('.'))
}

fn millis(value: f64) -> String {
    let text = format!("{value:.3}");
    format!("{}ms", text.trim_end_matches('0').trim_end_matches('.'))
}
