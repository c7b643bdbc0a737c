//! `shibori preview html`: a page that plays every clip, in one file.

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_core::FrameSet;
use shibori_core::pack::{Options, pack, paint};
use shibori_core::shape::{Trim, TrimScope, trim};
use shibori_formats::manifest::{Manifest, of_atlas, parse};
use shibori_formats::read::{Picture, image, manifest_of};
use shibori_formats::report::{PageImage, Report, write_page};
use shibori_formats::{Error, write};

use super::{check, gather, policy, wrote};
use crate::args::{Everywhere, Html};
use crate::console::{Console, bytes, counted};
use crate::failure::Failure;

/// Bytes of texture memory a pixel takes, uncompressed.
const PIXEL: u64 = 4;

#[derive(Serialize)]
struct Done {
    file: PathBuf,
    frames: usize,
    clips: usize,
    findings: usize,
    bytes: usize,
}

pub(super) fn run(args: &Html, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let ending = args.output.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    if !["html", "htm"].contains(&ending.as_str()) {
        return Err(Failure::usage(format!("a page ends in .html, not '.{ending}'"))
            .with_hint(format!("use -o {}", args.output.with_extension("html").display())));
    }
    let (set, sources) = gather::one(&args.source, &args.only, everywhere, console)?;
    let (manifest, pages) = match own_pages(args, everywhere)? {
        Some(found) => found,
        None => packed(&set)?,
    };
    let findings = check::findings(&set, &args.source);
    let (frames, clips, count) = (manifest.frames.len(), manifest.clips.len(), findings.len());
    let before = set.frames().iter().map(|frame| frame.canvas().area() * PIXEL).sum();
    let after = manifest.pages.iter().map(|p| u64::from(p.size[0]) * u64::from(p.size[1]) * PIXEL).sum();
    let findings = serde_json::to_value(findings).unwrap_or_default();
    let title = args.source.display().to_string();
    let report = Report { title, manifest, pages, findings, memory: [before, after] };
    let (_, size) = write_page(&args.output, &report, &policy(everywhere, sources))?;
    let (name, shown) = (args.output.display(), counted(frames, "frame"));
    let text = format!("{} {name}: {shown}, {}", wrote(everywhere), counted(clips, "clip"));
    console.say(&format!("{text}, {}; {}", counted(count, "finding"), bytes(size as u64)));
    let file = args.output.clone();
    console.result(&Done { file, frames, clips, findings: count, bytes: size });
    Ok(())
}

/// An atlas or a sheet is shown with its own pages; a set of many files, or a part of anything, has none to show.
fn own_pages(args: &Html, everywhere: &Everywhere) -> Result<Option<(Manifest, Vec<PageImage>)>, Failure> {
    let Some(path) = manifest_of(&args.source).filter(|_| args.only.only.is_none()) else { return Ok(None) };
    let wrong = |problem| Failure::from(Error::Read { path: path.clone(), problem });
    let text = std::fs::read(&path).map_err(|error| wrong(error.into()))?;
    let manifest = parse(&text).map_err(wrong)?;
    if manifest.pages.len() >= manifest.frames.len().max(2) {
        return Ok(None);
    }
    let folder = path.parent().unwrap_or(Path::new(""));
    let page = |file: &str| -> Result<PageImage, Failure> {
        let path = folder.join(file);
        let Picture::Still(pixels) = image(&path, &everywhere.limits())?.picture else {
            return Err(Failure::usage(format!("{}: is an animation, not a page", path.display())));
        };
        let length = std::fs::metadata(&path).ok().map(|meta| meta.len());
        let png = write::png(&pixels.to_image()).map_err(|error| Failure::usage(error.to_string()))?;
        Ok(PageImage { name: file.to_owned(), png, bytes: length })
    };
    let pages = manifest.pages.iter().map(|p| page(&p.file)).collect::<Result<Vec<_>, _>>()?;
    Ok(Some((manifest, pages)))
}

/// Packed for the page alone.
fn packed(set: &FrameSet) -> Result<(Manifest, Vec<PageImage>), Failure> {
    let trimmed = trim(set.clone(), Trim { scope: TrimScope::Frame, ..Trim::default() })?;
    let atlas = pack(trimmed, &Options::dense())?;
    let names: Vec<String> =
        (0..atlas.pages().len()).map(|page| format!("page {page}, packed for this report")).collect();
    let image = |(page, name): (usize, &String)| -> Result<PageImage, Failure> {
        let png = write::png(&paint(&atlas, page)).map_err(|error| Failure::usage(error.to_string()))?;
        Ok(PageImage { name: name.clone(), png, bytes: None })
    };
    let pages = names.iter().enumerate().map(image).collect::<Result<Vec<_>, _>>()?;
    Ok((of_atlas(&atlas, &names), pages))
}
