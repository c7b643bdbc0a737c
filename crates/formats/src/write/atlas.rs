//! An atlas: `pond.json` and its pages `pond.png`, `pond-1.png`, ...
//!
//! Pages of one sprite or clip carry its name (`pond-koi.png`), those of companions their suffix (`pond_n.png`), an atlas
//! in another size its factor (`pond-x0.5.json`, `pond-x0.5.png`).

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::path::{Path, PathBuf};

use shibori_core::pack::{Atlas, Page, paint};
use shibori_core::{Ratio, Size, file_fault, parallel};

use crate::manifest::{self, PageFacts};
use crate::write::page::{Loss, PageEncoding, PageFormat, Palette};
use crate::write::replace::over;
use crate::write::room::encoded;
use crate::write::{Transaction, Written};
use crate::{Error, WriteProblem};

#[derive(Debug)]
struct PageNames {
    file: String,
    /// By layer.
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
    /// The companions it holds, if it holds no frames.
    pub layer: Option<usize>,
}

/// What was written.
#[derive(Clone, Debug, Default)]
pub struct AtlasReport {
    /// Files that lie there now and files that went.
    pub written: Written,
    /// The page files of each atlas, pages before companions.
    pub pages: Vec<Vec<PageFile>>,
    /// The manifest of each atlas.
    pub manifests: Vec<PathBuf>,
    /// Where a palette was asked for: how many colors it has, and what it gave up if anything.
    pub palette: Option<(usize, Option<Loss>)>,
}

fn with_factor(stem: &str, factor: Ratio) -> String {
    // Four digits tell all factors apart that pages can have.
    let told = (factor.value() * 10_000.0).round() / 10_000.0;
    if factor == Ratio::ONE { stem.to_owned() } else { format!("{stem}-x{told}") }
}

/// A name for each page file. Pages of one label are numbered, the first without a number.
fn page_names(
    stem: &str,
    atlas: &Atlas,
    encoding: &PageEncoding,
    folder: &Path,
) -> Result<Vec<PageNames>, Error> {
    let ending = encoding.format.ending();
    let mut counts: HashMap<Option<&str>, usize> = HashMap::new();
    let mut taken: HashMap<String, String> = HashMap::new();
    let mut all = Vec::new();
    for Page { label, .. } in atlas.pages() {
        if let Some((name, why)) = label.as_deref().and_then(|label| Some((label, file_fault(label)?))) {
            return Err(Error::write(folder, WriteProblem::FileName { name: name.to_owned(), why }));
        }
        let count = counts.entry(label.as_deref()).or_default();
        let label = label.as_ref().map(|label| format!("-{label}")).unwrap_or_default();
        let number = if *count == 0 { String::new() } else { format!("-{count}") };
        *count += 1;
        let base = format!("{stem}{label}{number}");
        let companions =
            atlas.layers().iter().map(|layer| format!("{base}{}.{ending}", layer.suffix)).collect();
        let names = PageNames { file: format!("{base}.{ending}"), companions };
        for file in [&names.file].into_iter().chain(&names.companions) {
            if let Some(first) = taken.insert(file.to_lowercase(), file.clone()) {
                let problem = WriteProblem::Twice { first, second: file.clone() };
                return Err(Error::write(&folder.join(file), problem));
            }
        }
        all.push(names);
    }
    Ok(all)
}

/// Pages of the atlases that stood here before, of which the new ones have no use.
fn left_behind(manifests: &[PathBuf], targets: &[PathBuf], folder: &Path) -> Vec<PathBuf> {
    let old = manifests.iter().filter_map(|path| manifest::parse(&fs::read(path).ok()?).ok());
    let files = old.flat_map(|old| old.pages).flat_map(|page| {
        let companions: Vec<String> = page.companions.into_values().collect();
        std::iter::once(page.file).chain(companions)
    });
    let is_plain = |file: &String| !file.contains(['/', '\\', ':']) && file != "..";
    let targets: HashSet<&PathBuf> = targets.iter().collect();
    let mut stale: Vec<PathBuf> = files.filter(is_plain).map(|file| folder.join(file)).collect();
    stale.retain(|path| !targets.contains(path));
    stale.sort();
    stale.dedup();
    stale
}

/// What may be typed behind an atlas's name: its files get endings of their own.
const TYPED: [&str; 5] = ["json", "png", "webp", "qoi", "tga"];

/// An atlas's name without the ending of one of its files; any other, as in `pond.v2`, is part of the name.
pub fn stem_of(path: &Path) -> Option<String> {
    let name = path.file_name()?.to_string_lossy();
    let is_typed = |ending: &str| TYPED.iter().any(|typed| typed.eq_ignore_ascii_case(ending));
    Some(match name.rsplit_once('.') {
        Some((stem, ending)) if !stem.is_empty() && is_typed(ending) => stem.to_owned(),
        _ => name.into_owned(),
    })
}

/// Plans and stages atlases, one a factor, at a path without extension; one that is typed is taken off. `tick` is called once a page file, from any thread.
///
/// # Errors
/// Where pages can't be files, or can't be encoded, or the transaction refuses a target.
pub fn atlas(
    path: &Path,
    atlases: &[Atlas],
    encoding: &PageEncoding,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<AtlasReport, Error> {
    let Some(stem) = stem_of(path) else {
        let text = "an atlas needs a name, such as build/pond".to_owned();
        return Err(Error::write(path, WriteProblem::Format(text)));
    };
    let folder = path.parent().unwrap_or(Path::new(""));
    let stems: Vec<String> = atlases.iter().map(|atlas| with_factor(&stem, atlas.factor())).collect();
    let names = |(stem, atlas): (&String, &Atlas)| page_names(stem, atlas, encoding, folder);
    let pages: Vec<Vec<PageNames>> = stems.iter().zip(atlases).map(names).collect::<Result<_, _>>()?;
    let files = pages.iter().flatten().flat_map(|page| [&page.file].into_iter().chain(&page.companions));
    // Manifests go last: while one is the old one, the old pages are still what it says.
    let manifests: Vec<PathBuf> = stems.iter().map(|stem| folder.join(format!("{stem}.json"))).collect();
    let targets: Vec<PathBuf> =
        files.map(|file| folder.join(file)).chain(manifests.iter().cloned()).collect();
    let texts = stems.iter().enumerate().map(|(number, _)| {
        let atlas = &atlases[number];
        let facts: Vec<PageFacts> = pages[number].iter().map(|names| facts(names, atlas, encoding)).collect();
        over(&manifests[number], manifest::of_atlas(atlas, &facts, encoding.uv), run)
    });
    let texts = texts.collect::<Result<Vec<Vec<u8>>, Error>>()?;
    let batch = run.plan(&targets, &left_behind(&manifests, &targets, folder))?;
    let palettes = atlases.iter().map(|atlas| palette(atlas, encoding, run));
    let palettes: Vec<Option<Palette>> =
        palettes.collect::<Result<_, _>>().map_err(|problem| Error::write(path, problem))?;
    let mut jobs = Vec::new();
    for (number, atlas) in atlases.iter().enumerate() {
        for page in 0..atlas.pages().len() {
            jobs.push((number, page, None));
            jobs.extend((0..atlas.layers().len()).map(|layer| (number, page, Some(layer))));
        }
    }
    let write_page = |target: usize| {
        let (number, page, layer) = jobs[target];
        let image = paint(&atlases[number], page, layer, encoding.finish);
        // A companion's colors are no colors: a palette would bend its normals.
        let palette = palettes[number].as_ref().filter(|_| layer.is_none());
        let bytes = encoding.encode(&image, palette);
        let bytes = bytes.map_err(|problem| Error::write(&targets[target], problem))?;
        let as_png = PageEncoding { format: PageFormat::Png, ..*encoding };
        let as_png =
            (encoding.format == PageFormat::Webp).then(|| as_png.encode(&image, palette)).transpose();
        let as_png =
            as_png.map_err(|problem| Error::write(&targets[target], problem))?.map(|bytes| bytes.len());
        tick();
        batch.stage(target, &bytes)?;
        Ok((number, PageFile { path: targets[target].clone(), bytes: bytes.len(), as_png, page, layer }))
    };
    let sizes: Vec<Size> = jobs.iter().map(|&(number, page, _)| atlases[number].pages()[page].size).collect();
    let at_fault = |job: usize, problem| Error::write(&targets[job], problem);
    let written = encoded(&sizes, run.memory(), at_fault, write_page)?;
    let mut report = AtlasReport { pages: vec![Vec::new(); atlases.len()], ..AtlasReport::default() };
    written.into_iter().for_each(|(number, file)| report.pages[number].push(file));
    report.pages.iter_mut().for_each(|pages| pages.sort_by_key(|file| (file.layer.is_some(), file.page)));
    for (number, text) in texts.iter().enumerate() {
        batch.stage(jobs.len() + number, text)?;
    }
    report.manifests = targets[jobs.len()..].to_vec();
    report.palette =
        palettes.into_iter().flatten().next().map(|palette| (palette.colors().len(), palette.loss()));
    report.written = batch.written();
    Ok(report)
}

fn palette(
    atlas: &Atlas,
    encoding: &PageEncoding,
    run: &Transaction,
) -> Result<Option<Palette>, WriteProblem> {
    let Some(most) = encoding.colors else { return Ok(None) };
    let pixels: u64 = atlas.pages().iter().map(|page| page.size.area()).sum();
    let _room = run.memory().take(pixels.saturating_mul(4))?;
    let pages = parallel::map(atlas.pages().len(), |page| paint(atlas, page, None, encoding.finish));
    Ok(Some(Palette::of(&pages, most)))
}

fn facts(names: &PageNames, atlas: &Atlas, encoding: &PageEncoding) -> PageFacts {
    let suffixes = atlas.layers().iter().map(|layer| layer.suffix.clone());
    let companions: BTreeMap<String, String> = suffixes.zip(names.companions.iter().cloned()).collect();
    let premultiplied = encoding.finish.premultiplied;
    PageFacts { file: names.file.clone(), premultiplied, sampling: encoding.sampling, companions }
}
