//! Pages: one HTML file that plays every clip.

use std::path::Path;

use shibori_core::FrameSet;
use shibori_core::clip::{Clip, ClipSpec, FrameDuration};
use shibori_formats::decode::manifest_of;
use shibori_formats::manifest::replace_clips;
use shibori_formats::{DisplaySlashed, encode};
use shibori_report::{EmbeddedImage, Report};

use crate::CommandLine;
use crate::options::{ClipCommand, ClipOptions, HtmlOptions};
use crate::steps::check::{CheckReport, check_usual};
use crate::steps::loading::load;
use crate::steps::preview::pages::{Page, pages_of};
use crate::{Context, Error, Notice, Source};

/// Bytes of texture memory a pixel takes, uncompressed.
const PIXEL: u64 = 4;

/// A page, ready to be written.
#[derive(Clone, Debug)]
pub struct HtmlPage {
    html: String,
    /// How many frames it shows; none where a sheet is to be cut.
    pub frames: Option<usize>,
    /// How many clips it shows.
    pub clips: usize,
    /// What looks wrong in them; none on a light table.
    pub checked: Option<CheckReport>,
}

impl HtmlPage {
    pub(super) fn new(html: String, frames: Option<usize>, clips: usize) -> Self {
        Self { html, frames, clips, checked: None }
    }

    /// Its text.
    pub fn html(&self) -> &str {
        &self.html
    }

    /// Stages its file, and returns its size in bytes.
    ///
    /// # Errors
    /// If the file isn't called like a page, or can't be written.
    pub fn stage(&self, path: &Path, cx: &Context<'_>) -> Result<usize, Error> {
        let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
        if !["html", "htm"].contains(&ending.as_str()) {
            return Err(Error::NotHtml { file: path.to_owned(), ending });
        }
        Ok(encode::html(&cx.resolve(path), self.html.clone(), cx.transaction())?.1)
    }
}

pub(super) fn draw(source: &Source, options: &HtmlOptions, cx: &Context<'_>) -> Result<HtmlPage, Error> {
    let set = playing_all(load(source, &options.only, cx)?, source, cx)?;
    let (mut manifest, pages) = pages_of(source, options.only.only.is_some(), &set, cx)?;
    if manifest.clips.is_empty() {
        replace_clips(&mut manifest, &set);
    }
    let pages = pages.into_iter().map(encoded).collect::<Result<Vec<_>, _>>()?;
    let checked = check_usual(&set, source.name());
    let (frames, clips) = (manifest.frames.len(), manifest.clips.len());
    let before = set.frames().iter().map(|frame| frame.canvas().area() * PIXEL).sum();
    let after = manifest.pages.iter().map(|p| u64::from(p.size[0]) * u64::from(p.size[1]) * PIXEL).sum();
    let (title, findings) = (source.name().display_slashed().to_string(), cx.describe_findings(&checked));
    let report = Report { title, manifest, pages, findings, memory: [before, after] };
    let page = HtmlPage::new(shibori_report::page(&report), Some(frames), clips);
    Ok(HtmlPage { checked: Some(checked), ..page })
}

/// Frames with a clip of all of them for each sprite, where there is none.
fn playing_all(set: FrameSet, source: &Source, cx: &Context<'_>) -> Result<FrameSet, Error> {
    if !set.clips().is_empty() {
        return Ok(set);
    }
    let mut clips = Vec::new();
    for sprite in set.sprites() {
        let frames = set.frames_of(sprite);
        if frames.len() > 1 {
            let steps: Vec<(usize, FrameDuration)> =
                frames.iter().map(|&frame| (frame, FrameDuration::DEFAULT)).collect();
            clips.push(Clip::from_durations(sprite.clone(), sprite.clone(), &steps)?);
        }
    }
    let Some(first) = clips.first() else { return Ok(set) };
    if let Some(path) = source.path() {
        let keeps_clips = manifest_of(&cx.resolve(path)).is_some();
        let named = || format!("walk = 0-{} @10fps", first.steps().len() - 1).parse().ok();
        let named = if set.sprites().len() == 1 { named() } else { ClipSpec::for_clip(&set, first) };
        let command = named.filter(|_| keeps_clips).map(|clip| {
            let clips = ClipOptions { clip: vec![clip], ..ClipOptions::default() };
            let options = Box::new(ClipCommand { clips, ..ClipCommand::default() });
            Box::new(CommandLine::Clip { manifest: path.to_owned(), options })
        });
        let rate = (1000.0 / FrameDuration::DEFAULT.millis()).round() as u32;
        cx.notify(Notice::NoClips { source: path.to_owned(), rate, command });
    }
    Ok(set.with_clips(clips)?)
}

fn encoded(page: Page) -> Result<EmbeddedImage, Error> {
    let png = encode::png(&page.pixels.to_image());
    let png = png.map_err(|problem| shibori_formats::FileError::write(Path::new(&page.name), problem))?;
    Ok(EmbeddedImage { name: page.name, png, bytes: page.bytes })
}
