//! `shibori preview`: pictures that prove it.

use std::path::{Path, PathBuf};

use image::RgbaImage;
use serde::Serialize;
use shibori_core::clip::{Clip, Span};
use shibori_core::draw::{self, ContactOptions, Film, FilmOptions, OnionOptions, PagePlan};
use shibori_core::{FrameSet, Name, Rect};
use shibori_formats::manifest::Manifest;
use shibori_formats::write;

use super::pages::{Page, pages_of};
use super::{gather, policy, told, wrote};
use crate::args::{Contact, Drift, Everywhere, Motion, Onion, Pages, PictureOut, show};
use crate::console::{Console, bytes, counted, grouped, millis};
use crate::failure::Failure;
use crate::terminal;

#[derive(Serialize)]
struct PictureReport {
    file: PathBuf,
    size: [u32; 2],
    frames: usize,
}

#[derive(Serialize)]
struct MotionReport {
    file: PathBuf,
    size: [u32; 2],
    pictures: usize,
    ms: f64,
    bytes: usize,
}

pub(super) fn contact(args: &Contact, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let (set, sources) = gather::one(&args.source, &args.only, everywhere, console)?;
    let sheet = draw::contact(
        &set,
        ContactOptions { width: args.width, zoom: args.zoom.zoom, show: show(&args.show) },
    );
    finish(&sheet, &args.out, set.frames().len(), sources, everywhere, console)
}

pub(super) fn onion(args: &Onion, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let (set, sources) = gather::one(&args.source, &args.only, everywhere, console)?;
    let sheet = draw::draw_onion(&set, OnionOptions { width: args.width, zoom: args.zoom.zoom, boxes: true });
    finish(&sheet, &args.out, set.frames().len(), sources, everywhere, console)
}

pub(super) fn drift(args: &Drift, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let (set, mut sources) = gather::one(&args.source, &args.only, everywhere, console)?;
    let after = match &args.after {
        None => None,
        Some(path) => {
            let (after, more) = gather::one(path, &args.only, everywhere, console)?;
            sources.extend(more);
            Some(after)
        }
    };
    let sheet = draw::draw_drift(&set, after.as_ref());
    written(&sheet, &args.output, set.frames().len(), sources, everywhere, console)
}

pub(super) fn pages(args: &Pages, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let (set, sources) = gather::one(&args.source, &args.only, everywhere, console)?;
    let (manifest, pages) = pages_of(&args.source, args.only.only.is_some(), &set, everywhere)?;
    let sheet = draw::draw_pages(&plans(&manifest, &pages), args.zoom.zoom);
    finish(&sheet, &args.out, set.frames().len(), sources, everywhere, console)
}

/// What lies where on each page.
fn plans(manifest: &Manifest, pages: &[Page]) -> Vec<PagePlan> {
    let plan = |(number, page): (usize, &Page)| {
        let mut frames: Vec<(Rect, String)> = Vec::new();
        for entry in manifest.frames.iter().filter(|entry| entry.page == number) {
            let [x, y, width, height] = entry.rect;
            let rect = Rect::new(x, y, width, height);
            match frames.iter_mut().find(|(other, _)| *other == rect) {
                _ if rect.is_empty() => {}
                Some((_, name)) => *name += "+",
                None => frames.push((rect, entry.name.clone())),
            }
        }
        PagePlan { name: page.name.clone(), pixels: page.pixels.clone(), frames }
    };
    pages.iter().enumerate().map(plan).collect()
}

/// Shows a picture here, or writes it and says so.
fn finish(
    picture: &RgbaImage,
    out: &PictureOut,
    frames: usize,
    sources: Vec<PathBuf>,
    everywhere: &Everywhere,
    console: &Console,
) -> Result<(), Failure> {
    if out.here {
        terminal::show(picture)?;
    }
    match &out.output {
        Some(output) => written(picture, output, frames, sources, everywhere, console),
        None => Ok(()),
    }
}

/// Writes a picture and says so.
fn written(
    picture: &RgbaImage,
    output: &Path,
    frames: usize,
    sources: Vec<PathBuf>,
    everywhere: &Everywhere,
    console: &Console,
) -> Result<(), Failure> {
    write::picture(output, picture, &policy(everywhere, sources))?;
    let (file, size) = (output.to_owned(), [picture.width(), picture.height()]);
    let (name, shown) = (file.display(), counted(frames, "frame"));
    console.say(&format!("{} {name}: {shown} on {}x{} px", wrote(everywhere), size[0], size[1]));
    console.result(&PictureReport { file, size, frames });
    Ok(())
}

pub(super) fn motion(args: &Motion, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let (set, sources) = gather::one(&args.source, &args.only, everywhere, console)?;
    let (film, told) =
        film_of(&set, FilmOptions { zoom: args.zoom, backdrop: args.background, show: show(&args.show) })?;
    if args.out.here {
        terminal::play(&film)?;
    }
    let Some(output) = &args.out.output else { return Ok(()) };
    let progress = console.progress("encoding pictures", film.pictures.len());
    let done = write::film(output, &film, &policy(everywhere, sources), || progress.tick())?;
    drop(progress);
    if done.hardened > 0 {
        let text = format!(
            "a GIF has no half transparency: {} pixels were made clear or solid",
            grouped(done.hardened)
        );
        console.warn(&text, Some("write an .apng, or add --background with a color or checker"));
    }
    if let Some(colors) = done.reduced_from {
        let text = format!("a GIF has 256 colors: {} were reduced to 255", grouped(colors as u64));
        console.warn(&text, Some("write an .apng to keep them"));
    }
    let (width, height) = film.pictures[0].0.dimensions();
    let (file, size) = (output.clone(), [width, height]);
    console.say(&format!(
        "{} {}: {told}; {width}x{height} px, {}",
        wrote(everywhere),
        file.display(),
        bytes(done.bytes as u64)
    ));
    let ms = film.pictures.iter().map(|(_, span)| span.millis()).sum();
    let (pictures, bytes) = (film.pictures.len(), done.bytes);
    console.result(&MotionReport { file, size, pictures, ms, bytes });
    Ok(())
}

/// The one clip there is, all of them side by side, or where there is none all frames at 100 ms; and what it is.
fn film_of(set: &FrameSet, options: FilmOptions) -> Result<(Film, String), Failure> {
    Ok(match set.clips() {
        [one] => (draw::film(set, one, options), told(one)),
        [] => {
            let clip = all_frames(set)?;
            (draw::film(set, &clip, options), told(&clip))
        }
        several => {
            let clips: Vec<&Clip> = several.iter().collect();
            let film = draw::films(set, &clips, options);
            let ms = film.pictures.iter().map(|(_, span)| span.millis()).sum();
            let text = format!("{} side by side, {} (the longest)", counted(clips.len(), "clip"), millis(ms));
            (film, text)
        }
    })
}

fn all_frames(set: &FrameSet) -> Result<Clip, Failure> {
    let spans: Vec<(usize, Span)> = (0..set.frames().len()).map(|at| (at, Span::DEFAULT)).collect();
    let sprite = set.frames().first().map(|frame| frame.sprite().clone());
    let sprite = sprite.ok_or_else(|| Failure::usage("there are no frames to show"))?;
    let name = Name::new("all frames").expect("not empty");
    Clip::of_spans(sprite, name, &spans).map_err(|error| Failure::usage(error.to_string()))
}
