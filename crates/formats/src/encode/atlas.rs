//! An atlas: `pond.json` and its pages `pond.png`, `pond-1.png`, ...
//!
//! Pages of one sprite or clip carry its name (`pond-koi.png`), those of companions their suffix (`pond_n.png`), an atlas
//! in another size its factor (`pond-x0.5.json`, `pond-x0.5.png`).

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::path::{Path, PathBuf};

use image::RgbaImage;
use shibori_core::pack::{Atlas, PackedPage, paint};
use shibori_core::{Ratio, Size, parallel, portability_problem};

use crate::encode::batch::encode_all;
use crate::encode::page::{PageEncoding, PageFormat, Palette, QuantizationError};
use crate::encode::paint::{digest_of_pixels, find_painted};
use crate::encode::replacement::replacement;
use crate::manifest::{self, PageInfo, images_of_page};
use crate::store::{Transaction, Written, file_key};
use crate::{DisplaySlashed, FileError, WriteProblem};

#[derive(Debug)]
struct PageNames {
    file: String,
    /// By companion.
    companions: Vec<String>,
}

/// One page file that was written.
#[derive(Clone, Debug)]
pub struct PageFile {
    /// Where.
    pub path: PathBuf,
    /// Its length in bytes.
    pub bytes: usize,
    /// Of a WebP file: the length it would have as PNG.
    pub as_png: Option<usize>,
    /// The page of its atlas.
    pub page: usize,
    /// The companion it holds, if it holds no frames.
    pub companion: Option<usize>,
}

/// What a palette did to the colors of pages.
#[derive(Clone, Copy, Debug)]
pub struct PaletteOutcome {
    /// How many colors it has.
    pub colors: usize,
    /// What it gave up, if anything.
    pub loss: Option<QuantizationError>,
    /// The same for colors under clear pixels, which filtering mixes into edges.
    pub edge_loss: Option<QuantizationError>,
}

/// What was written.
#[derive(Clone, Debug, Default)]
pub struct AtlasReport {
    /// Files that are there now and files that went.
    pub written: Written,
    /// The page files of each atlas, pages before companions.
    pub pages: Vec<Vec<PageFile>>,
    /// The manifest of each atlas.
    pub manifests: Vec<PathBuf>,
    /// Where a palette was asked for: what became of the colors.
    pub palette: Option<PaletteOutcome>,
}

fn with_factor(stem: &str, factor: Ratio) -> String {
    // Four digits tell all factors apart that pages can have.
    let rounded = (factor.value() * 10_000.0).round() / 10_000.0;
    if factor == Ratio::ONE { stem.to_owned() } else { format!("{stem}-x{rounded}") }
}

/// Manifests beside an atlas that are the same atlas at other factors, and were not written now.
pub fn stale_scales(path: &Path, written: &[PathBuf]) -> Vec<PathBuf> {
    let (Some(stem), folder) = (stem_of(path), path.parent().unwrap_or(Path::new(""))) else {
        return Vec::new();
    };
    let prefix = format!("{stem}-x");
    let is_scale = |file: &PathBuf| {
        let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let factor = name.strip_prefix(&prefix).and_then(|rest| rest.strip_suffix(".json"));
        factor.is_some_and(|factor| factor.parse::<f64>().is_ok())
            && fs::read(file).is_ok_and(|bytes| manifest::parse(&bytes).is_ok())
    };
    let place = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let files =
        fs::read_dir(place).into_iter().flatten().flatten().map(|entry| folder.join(entry.file_name()));
    let mut stale: Vec<PathBuf> = files.filter(|file| !written.contains(file) && is_scale(file)).collect();
    stale.sort();
    stale
}

/// A name for each page file. Pages of one label are numbered, the first without a number.
fn page_names(
    stem: &str,
    atlas: &Atlas,
    encoding: &PageEncoding,
    folder: &Path,
) -> Result<Vec<PageNames>, FileError> {
    let ending = encoding.format.ending();
    let mut counts: HashMap<Option<&str>, usize> = HashMap::new();
    let mut taken: HashMap<String, String> = HashMap::new();
    let mut all = Vec::new();
    for PackedPage { label, .. } in atlas.pages() {
        if let Some((name, why)) =
            label.as_deref().and_then(|label| Some((label, portability_problem(label)?)))
        {
            return Err(FileError::write(folder, WriteProblem::FileName { name: name.to_owned(), why }));
        }
        let count = counts.entry(label.as_deref()).or_default();
        let label = label.as_ref().map(|label| format!("-{label}")).unwrap_or_default();
        let number = if *count == 0 { String::new() } else { format!("-{count}") };
        *count += 1;
        let base = format!("{stem}{label}{number}");
        let companions =
            atlas.companions().iter().map(|spec| format!("{base}{}.{ending}", spec.suffix)).collect();
        let names = PageNames { file: format!("{base}.{ending}"), companions };
        for file in [&names.file].into_iter().chain(&names.companions) {
            if let Some(first) = taken.insert(file_key(file), file.clone()) {
                let problem = WriteProblem::Twice { first, second: file.clone() };
                return Err(FileError::write(&folder.join(file), problem));
            }
        }
        all.push(names);
    }
    Ok(all)
}

/// Pages of the atlas that was here before, of which the new one has no use.
fn orphans(manifest: &Path, targets: &[PathBuf], folder: &Path, painted: &HashSet<String>) -> Vec<PathBuf> {
    let old = fs::read(manifest).ok().and_then(|bytes| manifest::parse(&bytes).ok());
    let files = old.iter().flat_map(|old| &old.pages).flat_map(images_of_page).cloned();
    let is_plain = |file: &String| !file.contains(['/', '\\', ':']) && file != "..";
    let targets: HashSet<&PathBuf> = targets.iter().collect();
    let files = files.filter(is_plain).filter(|file| !painted.contains(file));
    let mut orphans: Vec<PathBuf> = files.map(|file| folder.join(file)).collect();
    orphans.retain(|path| !targets.contains(path));
    orphans.sort();
    orphans.dedup();
    orphans
}

/// What may be typed behind an atlas's name: its files get endings of their own.
const KNOWN_EXTENSIONS: [&str; 5] = ["json", "png", "webp", "qoi", "tga"];

/// Extensions of files that other commands write.
const OTHER_EXTENSIONS: [&str; 10] =
    ["gif", "apng", "mp4", "y4m", "html", "css", "csv", "svg", "gltf", "glb"];

/// An atlas's name without the ending of one of its files; any other, as in `pond.v2`, is part of the name.
pub fn stem_of(path: &Path) -> Option<String> {
    if path.as_os_str().to_string_lossy().ends_with(std::path::is_separator) {
        return None;
    }
    let name = path.file_name()?.to_string_lossy();
    let is_typed = |ending: &str| KNOWN_EXTENSIONS.iter().any(|typed| typed.eq_ignore_ascii_case(ending));
    Some(match name.rsplit_once('.') {
        Some((stem, ending)) if !stem.is_empty() && is_typed(ending) => stem.to_owned(),
        _ => name.into_owned(),
    })
}

/// Plans and stages atlases, one a factor, at a path without extension; one that is typed is taken off. `tick` is
/// called once a page file, from any thread.
///
/// # Errors
/// If pages can't be files, or can't be encoded, or the transaction refuses a target.
pub fn atlas(
    path: &Path,
    atlases: &[Atlas],
    encoding: &PageEncoding,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<AtlasReport, FileError> {
    let Some(stem) = stem_of(path) else {
        let text = format!("an atlas needs a name, such as {}", path.join("pond").display_slashed());
        return Err(FileError::write(path, WriteProblem::Format(text)));
    };
    let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    if OTHER_EXTENSIONS.contains(&ending.as_str()) {
        return Err(FileError::write(path, WriteProblem::NotAnAtlas { ending }));
    }
    let folder = path.parent().unwrap_or(Path::new(""));
    let palettes = atlases.iter().map(|atlas| palette(atlas, encoding, run));
    let palettes: Vec<Option<Palette>> =
        palettes.collect::<Result<_, _>>().map_err(|problem| FileError::write(path, problem))?;
    let mut report = AtlasReport::default();
    for (atlas, palette) in atlases.iter().zip(&palettes) {
        let stem = with_factor(&stem, atlas.factor());
        let planned =
            PlannedAtlas { folder, manifest: folder.join(format!("{stem}.json")), atlas, encoding, palette };
        let (files, written) = planned.write(&page_names(&stem, atlas, encoding, folder)?, run, &tick)?;
        report.pages.push(files);
        report.manifests.push(planned.manifest);
        report.written.files.extend(written.files);
        report.written.removed.extend(written.removed);
    }
    report.palette = palettes.into_iter().flatten().next().map(|palette| PaletteOutcome {
        colors: palette.colors().len(),
        loss: palette.loss(),
        edge_loss: palette.edge_loss(),
    });
    Ok(report)
}

/// One atlas, at one factor.
struct PlannedAtlas<'a> {
    folder: &'a Path,
    manifest: PathBuf,
    atlas: &'a Atlas,
    encoding: &'a PageEncoding,
    palette: &'a Option<Palette>,
}

/// A page, or one of its companions.
#[derive(Clone, Copy)]
struct Job {
    page: usize,
    companion: Option<usize>,
}

impl PlannedAtlas<'_> {
    fn write(
        &self,
        pages: &[PageNames],
        run: &Transaction,
        tick: &(impl Fn() + Sync),
    ) -> Result<(Vec<PageFile>, Written), FileError> {
        let (folder, atlas, manifest) = (self.folder, self.atlas, &self.manifest);
        let companions = || std::iter::once(None).chain((0..atlas.companions().len()).map(Some));
        let jobs =
            (0..pages.len()).flat_map(|page| companions().map(move |companion| Job { page, companion }));
        let jobs: Vec<Job> = jobs.collect();
        let files = pages.iter().flat_map(|page| [&page.file].into_iter().chain(&page.companions));
        let files: Vec<String> = files.cloned().collect();
        run.claim(manifest)?;
        let ledger = run.ledger(manifest)?;
        let painted =
            find_painted(folder, &files, |job| Some(self.image(jobs[job])), manifest, ledger.as_ref(), run)?;
        let facts: Vec<PageInfo> = pages.iter().map(|names| facts(names, atlas, self.encoding)).collect();
        let entries = manifest::of_atlas(atlas, &facts, self.encoding.uv);
        let new = replacement(manifest, &entries, &painted, ledger.as_ref(), run)?;
        painted.keys().for_each(|file| run.approve(&folder.join(file)));
        // The manifest goes last: it says what the others are.
        let targets: Vec<PathBuf> =
            files.iter().map(|file| folder.join(file)).chain([manifest.clone()]).collect();
        let batch = run.plan(&targets, &orphans(manifest, &targets, folder, &new.painted))?;
        let fault = |job: usize, problem| FileError::write(&targets[job], problem);
        let write_page = |job: usize| {
            let Job { page, companion } = jobs[job];
            let image = paint(atlas, page, companion, self.encoding.finish);
            let palette = self.palette.as_ref().filter(|_| companion.is_none());
            let bytes = self.encoding.encode_with(&image, palette).map_err(|problem| fault(job, problem))?;
            let png = PageEncoding { format: PageFormat::Png, ..*self.encoding };
            let as_png = (self.encoding.format == PageFormat::Webp).then(|| png.encode_with(&image, palette));
            let as_png = as_png.transpose().map_err(|problem| fault(job, problem))?.map(|png| png.len());
            let pixels = digest_of_pixels(&palette.map_or(image.clone(), |palette| palette.apply(&image)));
            tick();
            match new.painted.contains(&files[job]) {
                true => batch.leave(job, &bytes, pixels),
                false => batch.stage_picture(job, &bytes, Some(pixels))?,
            }
            Ok(PageFile { path: targets[job].clone(), bytes: bytes.len(), as_png, page, companion })
        };
        let sizes: Vec<Size> = jobs.iter().map(|job| atlas.pages()[job.page].size).collect();
        let mut written = encode_all(&sizes, run.memory(), fault, write_page)?;
        written.sort_by_key(|file| (file.companion.is_some(), file.page));
        new.stage(jobs.len(), &batch)?;
        Ok((written, batch.written()))
    }

    /// A page as it is written. A companion's colors are no colors: a palette would bend its normals.
    fn image(&self, Job { page, companion }: Job) -> RgbaImage {
        let image = paint(self.atlas, page, companion, self.encoding.finish);
        match self.palette.as_ref().filter(|_| companion.is_none()) {
            Some(palette) => palette.apply(&image),
            None => image,
        }
    }
}

fn palette(
    atlas: &Atlas,
    encoding: &PageEncoding,
    run: &Transaction,
) -> Result<Option<Palette>, WriteProblem> {
    let Some(most) = encoding.colors else { return Ok(None) };
    let pixels: u64 = atlas.pages().iter().map(|page| page.size.area()).sum();
    let _room = run.memory().lease(pixels.saturating_mul(4))?;
    let pages = parallel::map(atlas.pages().len(), |page| paint(atlas, page, None, encoding.finish));
    Ok(Some(Palette::of(&pages, most, encoding.finish.spread > 0)))
}

fn facts(names: &PageNames, atlas: &Atlas, encoding: &PageEncoding) -> PageInfo {
    let suffixes = atlas.companions().iter().map(|spec| spec.suffix.clone());
    let companions: BTreeMap<String, String> = suffixes.zip(names.companions.iter().cloned()).collect();
    let premultiplied = encoding.finish.premultiplied;
    PageInfo { file: names.file.clone(), premultiplied, sampling: encoding.sampling, companions }
}
