//! From a manifest and its pages to frames.

use std::path::{Path, PathBuf};

use image::{RgbaImage, imageops};
use rayon::prelude::*;
use serde::Deserialize;
use serde_json::{Map, Value};
use shibori_core::clip::{Clip, Play, Step};
use shibori_core::{Carried, Frame, FrameSet, Name, Pair, Pixels, Point, Rect, Size, Source};

use crate::manifest::model::Alpha;
use crate::manifest::paths::page_path;
use crate::manifest::{ClipEntry, FORMAT, FrameEntry, Manifest, Page, Playing, SourceEntry};
use crate::read::{Limits, Picture, image as read_image};
use crate::{Error, ReadProblem};

/// Reads a manifest and its pages: the frames, and every file that was read.
pub fn load(path: &Path, limits: &Limits) -> Result<(FrameSet, Vec<PathBuf>), Error> {
    let wrong = |problem: ReadProblem| Error::read(path, problem);
    let bytes = crate::read::bytes_of(path)?;
    let manifest = parse(&bytes).map_err(wrong)?;
    let folder = path.parent().unwrap_or(Path::new(""));
    let files = manifest.pages.iter().map(|page| page_path(folder, &page.file));
    let files = files.collect::<Result<Vec<_>, _>>().map_err(wrong)?;
    let pages = manifest.pages.par_iter().zip(&files);
    let pages = pages.map(|(page, file)| open_page(page, file, path, limits));
    let pages = pages.collect::<Result<Vec<_>, Error>>()?;
    let set = to_set(manifest, &pages).map_err(wrong)?;
    Ok((set, std::iter::once(path.to_owned()).chain(files).collect()))
}

/// Reads a manifest's text.
///
/// # Errors
/// Where it is no JSON, no manifest, of an unknown format number, or a key has a wrong value.
pub fn parse(bytes: &[u8]) -> Result<Manifest, ReadProblem> {
    #[derive(Deserialize)]
    struct Stamp {
        format: Option<String>,
    }
    let stamp: Stamp = serde_json::from_slice(bytes).map_err(|error| json(&error))?;
    match stamp.format.as_deref() {
        Some(FORMAT) => serde_json::from_slice(bytes).map_err(|error| json(&error)),
        Some(other) => Err(ReadProblem::UnknownFormat(other.to_owned())),
        None => Err(ReadProblem::NotAManifest),
    }
}

fn json(error: &serde_json::Error) -> ReadProblem {
    let text = error.to_string();
    let why = text.split(" at line ").next().unwrap_or(&text).to_owned();
    ReadProblem::Json { line: error.line(), column: error.column(), why }
}

fn open_page(page: &Page, file: &Path, manifest: &Path, limits: &Limits) -> Result<Pixels, Error> {
    let loaded = match read_image(file, limits) {
        Err(Error::Read { problem: ReadProblem::NotFound, .. }) => {
            return Err(Error::read(manifest, ReadProblem::PageMissing(page.file.clone())));
        }
        other => other?,
    };
    let Picture::Still(pixels) = loaded.picture else {
        return Err(Error::read(manifest, ReadProblem::PageMoves(page.file.clone())));
    };
    let said = Size::from((page.size[0], page.size[1]));
    if pixels.size() != said {
        let found = pixels.size();
        return Err(Error::read(manifest, ReadProblem::PageSize { page: page.file.clone(), said, found }));
    }
    Ok(match page.alpha {
        Alpha::Straight => pixels,
        Alpha::Premultiplied => Pixels::whole(straightened(pixels.to_image())),
    })
}

/// Colours divided by their alpha, rounded to nearest. What premultiplying rounded away stays lost.
fn straightened(mut image: RgbaImage) -> RgbaImage {
    for pixel in image.pixels_mut() {
        let alpha = u32::from(pixel[3]);
        for channel in 0..3 {
            let full = (u32::from(pixel[channel]) * 255 + alpha / 2).checked_div(alpha);
            pixel[channel] = full.unwrap_or(0).min(255) as u8;
        }
    }
    image
}

fn to_set(manifest: Manifest, pages: &[Pixels]) -> Result<FrameSet, ReadProblem> {
    let frames = manifest.frames.into_iter().map(|entry| to_frame(entry, pages));
    let frames = frames.collect::<Result<Vec<_>, _>>()?;
    let clips = manifest.clips.into_iter().map(to_clip).collect::<Result<Vec<_>, _>>()?;
    Ok(FrameSet::new(frames, clips)?.with_carried(carried(manifest.extras, manifest.other)))
}

fn to_frame(entry: FrameEntry, pages: &[Pixels]) -> Result<Frame, ReadProblem> {
    let pixels = kept_pixels(&entry, pages)?;
    let canvas = Size::from((entry.canvas[0], entry.canvas[1]));
    let inset =
        if pixels.is_empty() { Pair::default() } else { Pair { x: entry.inset[0], y: entry.inset[1] } };
    let frame =
        Frame::trimmed(Name::new(entry.sprite)?, Name::new(entry.name.clone())?, pixels, canvas, inset);
    let frame = frame.map_err(|error| ReadProblem::Frame { frame: entry.name, error })?;
    let [x, y] = entry.pivot.map(|coordinate| coordinate.0);
    let source = entry.source.map(to_source);
    Ok(frame
        .with_pivot(Point::new(x, y))
        .with_source(source)
        .with_carried(carried(entry.extras, entry.other)))
}

fn kept_pixels(entry: &FrameEntry, pages: &[Pixels]) -> Result<Pixels, ReadProblem> {
    let [x, y, width, height] = entry.rect;
    let rect = Rect::new(x, y, width, height);
    if rect.is_empty() {
        return Ok(Pixels::none());
    }
    let count = pages.len();
    let no_page = || ReadProblem::NoPage { frame: entry.name.clone(), page: entry.page, count };
    let page = pages.get(entry.page).ok_or_else(no_page)?;
    let outside = || ReadProblem::RectOutside { frame: entry.name.clone(), rect, page: page.size() };
    let part = page.part(rect).ok_or_else(outside)?;
    Ok(if entry.turned { Pixels::whole(imageops::rotate270(&part.to_image())) } else { part })
}

fn to_source(entry: SourceEntry) -> Source {
    Source {
        file: entry.file,
        // A cell in words that are not ours is kept as nothing rather than refused.
        cell: entry.cell.and_then(|cell| cell.parse().ok()),
        rect: entry.rect.map(|[x, y, width, height]| Rect::new(x, y, width, height)),
        carried: entry.other,
    }
}

fn to_clip(entry: ClipEntry) -> Result<Clip, ReadProblem> {
    let steps = entry.steps.into_iter().map(|step| Step {
        frame: step.frame,
        ticks: step.ticks,
        mirror: step.mirror,
        event: step.event,
        carried: step.other,
    });
    let play = match entry.play {
        Playing::Forward => Play::Forward,
        Playing::Bounce => Play::Bounce,
    };
    let clip = Clip::new(Name::new(entry.sprite)?, Name::new(entry.name)?, entry.timescale, steps.collect())?;
    Ok(clip.playing(play, entry.plays).with_carried(carried(entry.extras, entry.other)))
}

fn carried(extras: Option<Map<String, Value>>, mut other: Map<String, Value>) -> Carried {
    if let Some(extras) = extras {
        other.insert("extras".to_owned(), Value::Object(extras));
    }
    other
}
