//! `shibori pack`: frames onto pages.

use std::path::PathBuf;

use serde::Serialize;
use shibori_core::pack::{Atlas, Layout, pack};
use shibori_core::shape::TrimScope;
use shibori_formats::write;

use super::{gather, policy, shaping, wrote};
use crate::args::{Everywhere, Pack};
use crate::console::{Console, bytes, counted};
use crate::failure::Failure;

/// Bytes of texture memory a pixel takes, uncompressed.
const PIXEL: u64 = 4;

#[derive(Serialize)]
struct Report {
    manifest: PathBuf,
    pages: Vec<PageReport>,
    /// Share of all pages covered by frames, 0 to 1.
    fill: f64,
    /// Pixels that the distinct frames cover: no page can be smaller.
    least_area: u64,
    count: usize,
    distinct: usize,
    memory: Memory,
    removed: Vec<PathBuf>,
}

#[derive(Serialize)]
struct PageReport {
    file: PathBuf,
    size: [u32; 2],
    /// Places on this page; identical frames share one.
    count: usize,
    fill: f64,
    bytes: usize,
}

/// Texture memory in bytes, uncompressed RGBA: every frame's canvas by itself, and the pages.
#[derive(Serialize)]
struct Memory {
    before: u64,
    after: u64,
}

pub(super) fn run(args: &Pack, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    if let Some((option, layout)) = args.pack.without_use() {
        return Err(Failure::usage(format!("{option} has no use here; it goes with --layout {layout}")));
    }
    let options = args.pack.options();
    let (set, sources) = gather::many(&args.sources, &args.only, everywhere, console)?;
    let trim = if options.layout == Layout::Dense { TrimScope::Frame } else { TrimScope::None };
    let set = shaping::shaped(args.clips.apply(set)?, &args.shape, trim, None, console)?.set;
    let memory_before = set.frames().iter().map(|frame| frame.canvas().area() * PIXEL).sum();
    let atlas = pack(set, &options)?;
    let files = write::atlas_files(&args.output, atlas.pages().len(), &policy(everywhere, sources))?;
    let progress = console.progress("writing pages", atlas.pages().len());
    let (written, sizes) = write::atlas(files, &atlas, || progress.tick())?;
    drop(progress);
    let report = report(&atlas, &written, &sizes, memory_before);
    describe(&report, everywhere, console);
    console.result(&report);
    Ok(())
}

fn report(atlas: &Atlas, written: &write::Written, sizes: &[usize], before: u64) -> Report {
    let page = |(page, size): (usize, &shibori_core::Size)| PageReport {
        file: written.files[page].clone(),
        size: [size.width, size.height],
        count: atlas.rects_on(page).len(),
        fill: atlas.fill(page),
        bytes: sizes[page],
    };
    let pages: Vec<PageReport> = atlas.pages().iter().enumerate().map(page).collect();
    let area: u64 = atlas.pages().iter().map(|size| size.area()).sum();
    let covered = |page: usize| atlas.rects_on(page).iter().map(|rect| rect.size().area()).sum::<u64>();
    let least_area: u64 = (0..pages.len()).map(covered).sum();
    Report {
        manifest: written.files.last().cloned().unwrap_or_default(),
        fill: least_area as f64 / area as f64,
        least_area,
        count: atlas.set().frames().len(),
        distinct: pages.iter().map(|page| page.count).sum(),
        memory: Memory { before, after: area * PIXEL },
        removed: written.removed.clone(),
        pages,
    }
}

fn describe(report: &Report, everywhere: &Everywhere, console: &Console) {
    let name = |page: &PageReport| page.file.display().to_string();
    let widest = report.pages.iter().map(|page| name(page).chars().count()).max().unwrap_or(0).max(4);
    console
        .head(&format!("{:widest$}  {:>14}  {:>7}  {:>7}  {:>9}", "page", "size", "places", "fill", "file"));
    for page in &report.pages {
        let size = format!("{}x{} px", page.size[0], page.size[1]);
        let fill = format!("{:.1} %", page.fill * 100.0);
        let file = bytes(page.bytes as u64);
        console.say(&format!("{:widest$}  {size:>14}  {:>7}  {fill:>7}  {file:>9}", name(page), page.count));
    }
    let shared = report.count - report.distinct.min(report.count);
    let shared = if shared > 0 { format!(" ({shared} blank or sharing a place)") } else { String::new() };
    let Memory { before, after } = report.memory;
    console.say(&format!(
        "{}{shared}; texture memory {}, {} as separate canvases",
        counted(report.count, "frame"),
        bytes(after),
        bytes(before)
    ));
    console.say(&format!("{} {}", wrote(everywhere), report.manifest.display()));
    super::slice::say_removed(&report.removed, console);
}
