//! What a recipe could say of sources that nobody has told anything about yet. The words of it are the program's.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use shibori_core::cut::{Counts, Grid, Spacing};
use shibori_core::{Color, Size};
use shibori_formats::read::{is_image, manifest_of, sequence_of, sprite_name};
use tracing::info_span;

use crate::steps::inspect::{GridReading, Holds, Loose, inspect};
use crate::{Context, Error};

/// A sprite that a recipe could have.
#[derive(Clone, Debug)]
pub struct DraftSprite {
    /// Its name, unlike that of any other.
    pub name: String,
    /// Its source, as it was named; of numbered images the first.
    pub source: PathBuf,
    /// Numbered images of one name: what comes before the number, and the ending.
    pub numbered: Option<(String, String)>,
    /// How it is cut.
    pub cut: DraftCut,
    /// Whether that is sure.
    pub is_sure: bool,
    /// Other ways to cut it, the likeliest first.
    pub others: Vec<DraftCut>,
    /// The flat color behind the drawings.
    pub background: Option<Color>,
}

/// A way to cut a source.
#[derive(Clone, Debug, PartialEq)]
pub enum DraftCut {
    /// By a grid.
    Grid {
        /// Columns and rows.
        counts: Counts,
        /// The size of a cell.
        cell: Size,
        /// What lies before the first cell, and between cells.
        spacing: Spacing,
        /// Whether a grid of such cells fills the sheet, so that counts need not be said.
        fills: bool,
        /// Drawings of each row.
        per_row: Vec<usize>,
    },
    /// Each separate drawing, so many.
    Islands(usize),
    /// One picture.
    Whole,
    /// An animation: so many frames in this many milliseconds.
    Animation(usize, f64),
    /// Frames as they are: a set, an atlas, a folder, numbered images.
    Frames,
}

/// Looks at sources and proposes a sprite for each. Folders are gone through: numbered images in them are a sprite together, other images one
/// each, sets as they are.
///
/// # Errors
/// Where a source can't be read, or there is none.
pub fn draft(sources: &[PathBuf], cx: &Context<'_>) -> Result<Vec<DraftSprite>, Error> {
    let _span = info_span!("draft", sources = sources.len()).entered();
    let mut found: Vec<Vec<PathBuf>> = Vec::new();
    let (folders, files): (Vec<&PathBuf>, Vec<&PathBuf>) =
        sources.iter().partition(|path| cx.at(path).is_dir());
    group(files.into_iter().cloned().collect(), &mut found, cx);
    for folder in folders {
        gather(folder, 0, &mut found, cx)?;
    }
    let files: Vec<PathBuf> = found.iter().flatten().map(|path| cx.at(path)).collect();
    cx.run().add_sources(&files);
    let mut all: Vec<DraftSprite> = Vec::new();
    for paths in found {
        let mut sprite = look(&paths, cx)?;
        sprite.name = free_name(&sprite, &all);
        all.push(sprite);
    }
    if all.is_empty() {
        return Err(Error::NoFrames);
    }
    Ok(all)
}

/// Folders in folders: deeper is a mistake.
const DEEPEST: usize = 8;

fn gather(folder: &Path, depth: usize, found: &mut Vec<Vec<PathBuf>>, cx: &Context<'_>) -> Result<(), Error> {
    if manifest_of(&cx.at(folder)).is_some() {
        found.push(vec![folder.to_owned()]);
        return Ok(());
    }
    let entries = std::fs::read_dir(cx.at(folder)).map_err(|error| {
        Error::File(shibori_formats::Error::Read { path: folder.to_owned(), problem: error.into() })
    })?;
    let mut names: Vec<_> = entries.flatten().map(|entry| entry.file_name()).collect();
    names.sort_by(|a, b| natord::compare(&a.to_string_lossy(), &b.to_string_lossy()).then_with(|| a.cmp(b)));
    let (mut files, mut folders) = (Vec::new(), Vec::new());
    for name in names.into_iter().filter(|name| !name.to_string_lossy().starts_with('.')) {
        let path = folder.join(name);
        match cx.at(&path).is_dir() {
            true => folders.push(path),
            false if is_image(&path) => files.push(path),
            false => {}
        }
    }
    group(files, found, cx);
    folders.iter().filter(|_| depth < DEEPEST).try_for_each(|inner| gather(inner, depth + 1, found, cx))
}

/// Whether images of one name are frames of one sequence: their numbers go on from one to the next, with few gaps. `tiles16` and `tiles32` do
/// not.
fn is_sequence(paths: &[PathBuf]) -> bool {
    let number = |path: &PathBuf| -> Option<u64> {
        let stem = path.file_stem()?.to_string_lossy().into_owned();
        stem[stem.trim_end_matches(|c: char| c.is_ascii_digit()).len()..].parse().ok()
    };
    let numbers: Vec<u64> = paths.iter().filter_map(number).collect();
    let (Some(least), Some(most)) = (numbers.iter().min(), numbers.iter().max()) else { return false };
    most - least < 2 * paths.len() as u64
}

/// Files each by itself, but numbered images of one name together.
fn group(files: Vec<PathBuf>, found: &mut Vec<Vec<PathBuf>>, cx: &Context<'_>) {
    let first = found.len();
    let mut sequences: HashMap<_, usize> = HashMap::new();
    for file in files {
        let sequence = sequence_of(&cx.at(&file));
        match sequence.as_ref().and_then(|sequence| sequences.get(sequence)) {
            Some(&at) => found[at].push(file),
            None => {
                sequences.extend(sequence.map(|sequence| (sequence, found.len())));
                found.push(vec![file]);
            }
        }
    }
    let groups = found.split_off(first);
    for group in groups {
        match group.len() < 2 || is_sequence(&group) {
            true => found.push(group),
            false => found.extend(group.into_iter().map(|file| vec![file])),
        }
    }
}

fn look(paths: &[PathBuf], cx: &Context<'_>) -> Result<DraftSprite, Error> {
    let source = paths[0].clone();
    let stem = source.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let plain = |name: String, cut: DraftCut| DraftSprite {
        name,
        source: source.clone(),
        numbered: None,
        cut,
        is_sure: true,
        others: Vec::new(),
        background: None,
    };
    if paths.len() > 1 {
        let before = stem.trim_end_matches(|c: char| c.is_ascii_digit()).to_owned();
        let ending = source.extension().unwrap_or_default().to_string_lossy().into_owned();
        let bare = before.trim_end_matches(['-', '_', ' ', '.']).to_owned();
        let folder =
            source.parent().and_then(Path::file_name).map(|name| name.to_string_lossy().into_owned());
        let name = if bare.is_empty() { folder.unwrap_or_else(|| "frames".to_owned()) } else { bare };
        return Ok(DraftSprite { numbered: Some((before, ending)), ..plain(name, DraftCut::Frames) });
    }
    let name = sprite_name(&source).map_or_else(|_| "sprite".to_owned(), |name| name.to_string());
    if cx.at(&source).is_dir() || manifest_of(&cx.at(&source)).is_some() {
        return Ok(plain(name, DraftCut::Frames));
    }
    let inspected = inspect(std::slice::from_ref(&source), cx)?.into_iter().next().ok_or(Error::NoFrames)?;
    let size = inspected.info.size;
    match inspected.holds {
        Holds::Animation { millis, .. } => {
            Ok(plain(name, DraftCut::Animation(millis.len(), millis.iter().sum())))
        }
        Holds::Sheet { background, grids, loose, .. } => {
            let is_sure = grids.first().is_some_and(|grid| grid.is_sure);
            let mut ways: Vec<DraftCut> = grids.iter().map(|reading| grid_cut(reading, size)).collect();
            if let Some(Loose { drawings, is_likelier }) = loose {
                ways.insert(if is_likelier { 0 } else { ways.len() }, DraftCut::Islands(drawings));
            }
            if !is_sure {
                ways.push(DraftCut::Whole);
            }
            let cut = ways.remove(0);
            let is_sure = is_sure || matches!(cut, DraftCut::Whole);
            Ok(DraftSprite { is_sure, others: ways, background, ..plain(name, cut) })
        }
    }
}

fn grid_cut(reading: &GridReading, size: Size) -> DraftCut {
    let grid = &reading.candidate.grid;
    let (counts, cell, spacing) = (grid.counts(), grid.cell_size(), grid.spacing());
    let fills = Grid::by_cell(size, cell, spacing).is_ok_and(|other| other == *grid);
    DraftCut::Grid { counts, cell, spacing, fills, per_row: reading.per_row.clone() }
}

/// The name, or one with its folder's or a number, so that no two are the same.
fn free_name(sprite: &DraftSprite, others: &[DraftSprite]) -> String {
    let is_free = |name: &String| others.iter().all(|other| other.name != *name);
    let folder =
        sprite.source.parent().and_then(Path::file_name).map(|folder| folder.to_string_lossy().into_owned());
    let names = std::iter::once(sprite.name.clone())
        .chain(folder.map(|folder| format!("{folder}-{}", sprite.name)))
        .chain((2..).map(|number| format!("{}-{number}", sprite.name)));
    names.into_iter().find(is_free).expect("numbers never end")
}
