//! `shibori preview html`: a page that plays every clip, in one file.

use std::path::PathBuf;

use serde::Serialize;
use shibori_formats::report::{PageImage, Report, write_page};
use shibori_formats::write;

use super::pages::{Page, pages_of};
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
    let (manifest, pages) = pages_of(&args.source, args.only.only.is_some(), &set, everywhere)?;
    let encoded = |page: Page| -> Result<PageImage, Failure> {
        let png = write::png(&page.pixels.to_image()).map_err(|error| Failure::usage(error.to_string()))?;
        Ok(PageImage { name: page.name, png, bytes: page.bytes })
    };
    let pages = pages.into_iter().map(encoded).collect::<Result<Vec<_>, _>>()?;
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
