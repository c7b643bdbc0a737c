//! A page that plays every clip, in one file.

use std::path::Path;

use serde_json::Value;
use shibori_core::FrameSet;
use shibori_formats::DisplaySlashed;
use shibori_formats::encode;
use shibori_formats::manifest::Manifest;
use shibori_report::{PageImage, Report, write_page};
use tracing::info_span;

use crate::options::HtmlOptions;
use crate::steps::check::{CheckReport, findings};
use crate::steps::gather;
use crate::steps::pages::{Page, packed, pages_of};
use crate::{Context, Error};

/// Bytes of texture memory a pixel takes, uncompressed.
const PIXEL: u64 = 4;

/// What a page shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct HtmlPage {
    /// Frames.
    pub frames: usize,
    /// Clips.
    pub clips: usize,
    /// Things that look wrong.
    pub findings: usize,
    /// The length of the file.
    pub bytes: usize,
}

/// Plans a page that plays every clip of a source. `tell` words what looks wrong, as the page is to show it.
///
/// # Errors
/// Where the source can't be read, or the page can't be written.
pub fn html(
    source: &Path,
    options: &HtmlOptions,
    output: &Path,
    tell: impl FnOnce(&CheckReport) -> Value,
    cx: &Context<'_>,
) -> Result<HtmlPage, Error> {
    let _span = info_span!("html").entered();
    is_page(output)?;
    let set = gather::one(source, &options.only, cx)?;
    let found = pages_of(source, options.only.only.is_some(), &set, cx)?;
    written(&set, found, source, output, tell, cx)
}

/// The same of frames that are there already; they are packed for the page.
///
/// # Errors
/// Where the page can't be written.
pub fn html_of(
    set: FrameSet,
    title: &Path,
    options: &HtmlOptions,
    output: &Path,
    tell: impl FnOnce(&CheckReport) -> Value,
    cx: &Context<'_>,
) -> Result<HtmlPage, Error> {
    is_page(output)?;
    let set = options.only.of(set)?;
    let found = packed(&set, cx)?;
    written(&set, found, title, output, tell, cx)
}

pub(super) fn is_page(output: &Path) -> Result<(), Error> {
    let ending = output.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    if !["html", "htm"].contains(&ending.as_str()) {
        return Err(Error::NotHtml { file: output.to_owned(), ending });
    }
    Ok(())
}

fn written(
    set: &FrameSet,
    (manifest, pages): (Manifest, Vec<Page>),
    source: &Path,
    output: &Path,
    tell: impl FnOnce(&CheckReport) -> Value,
    cx: &Context<'_>,
) -> Result<HtmlPage, Error> {
    let encoded = |page: Page| -> Result<PageImage, Error> {
        let wrong = |problem| shibori_formats::Error::Write { path: output.to_owned(), problem };
        let png = encode::png(&page.pixels.to_image()).map_err(wrong)?;
        Ok(PageImage { name: page.name, png, bytes: page.bytes })
    };
    let pages = pages.into_iter().map(encoded).collect::<Result<Vec<_>, _>>()?;
    let checked = findings(set, source);
    let (frames, clips) = (manifest.frames.len(), manifest.clips.len());
    let before = set.frames().iter().map(|frame| frame.canvas().area() * PIXEL).sum();
    let after = manifest.pages.iter().map(|p| u64::from(p.size[0]) * u64::from(p.size[1]) * PIXEL).sum();
    let (title, findings) = (source.shown().to_string(), tell(&checked));
    // As the page tells them: what is alike is one.
    let count = findings.as_array().map_or(checked.findings.len(), Vec::len);
    let report = Report { title, manifest, pages, findings, memory: [before, after] };
    let (_, bytes) = write_page(&cx.at(output), &report, cx.run())?;
    Ok(HtmlPage { frames, clips, findings: count, bytes })
}
