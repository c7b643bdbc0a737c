//! A recipe's proposal for sources that have none yet. The program words it.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use shibori_core::cut::{Counts, Grid, Spacing};
use shibori_core::{Color, Size, parallel};
use shibori_formats::ReadProblem;
use shibori_formats::decode::{is_image, manifest_images, manifest_of, names_in, sequence_of, sprite_name};
use shibori_formats::manifest::SET_FILE;
use shibori_formats::store::outputs_in;
use tracing::info_span;

use crate::steps::inspect::{GridAnalysis, ImageContent, IslandReading, inspect_file};
use crate::{Context, Error};

/// What a recipe could say.
#[derive(Clone, Debug, Default)]
pub struct Draft {
    /// Its sprites.
    pub sprites: Vec<DraftSprite>,
    /// Files that can't be read, and why.
    pub unreadable: Vec<(PathBuf, String)>,
}

/// A sprite that a recipe could have, or several that are made alike.
#[derive(Clone, Debug)]
pub struct DraftSprite {
    /// Its name, unlike that of any other; of several sprites with a `*`.
    pub name: String,
    /// Its source, as it was named; of several files the first.
    pub source: PathBuf,
    /// All files, as they were named.
    pub files: Vec<PathBuf>,
    /// A pattern that finds these files and no others: what comes before its `*` or `[0-9]*`, that, and what comes after it.
    pub pattern: Option<(String, &'static str, String)>,
    /// How many sprites there are; numbered images are one.
    pub sprites: usize,
    /// How it is cut.
    pub cut: DraftCut,
    /// The largest frame that it can have.
    pub largest: Size,
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
        /// What is before the first cell, and between cells.
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
    /// One picture of a single color.
    Flat,
    /// Nothing is drawn on it.
    Blank,
    /// An animation: so many frames in this many milliseconds.
    Animation(usize, f64),
    /// Frames as they are: a set, an atlas, a folder, numbered images.
    Frames,
}

/// Looks at sources and proposes a sprite for each. Folders are searched: numbered images in them are a sprite together,
/// unless each is a sheet, other images one each, sets and atlases as they are. What shibori wrote itself is passed over, and
/// so is the folder of outputs. A file that can't be read is reported beside the sprites.
///
/// # Errors
/// If a folder can't be read, or there is no sprite at all.
pub fn draft(sources: &[PathBuf], out: &Path, cx: &Context<'_>) -> Result<Draft, Error> {
    let _span = info_span!("draft", sources = sources.len()).entered();
    let mut found: Vec<Vec<PathBuf>> = Vec::new();
    let (folders, files): (Vec<&PathBuf>, Vec<&PathBuf>) =
        sources.iter().partition(|path| cx.resolve(path).is_dir());
    let typed: HashSet<&PathBuf> = files.iter().copied().collect();
    group_sequences(files.into_iter().cloned().collect(), &mut found, cx);
    let out = cx.resolve(out).canonicalize().ok();
    for folder in folders {
        gather(folder, 0, out.as_deref(), &mut found, cx)?;
    }
    let files: Vec<PathBuf> = found.iter().flatten().map(|path| cx.resolve(path)).collect();
    cx.transaction().add_sources(&files);
    let drafted = parallel::map_slice(&found, |paths| draft_group(paths, cx));
    let mut draft = Draft::default();
    let mut first = None;
    for (sprites, paths) in drafted.into_iter().zip(&found) {
        match sprites {
            Ok(sprites) => draft.sprites.extend(sprites),
            // A file that was typed is meant; of several, one that is broken is left out.
            Err(error) if typed.contains(&paths[0]) && (sources.len() == 1 || is_missing(&error)) => {
                return Err(error);
            }
            Err(error) => {
                draft.unreadable.push((paths[0].clone(), error.to_string()));
                first.get_or_insert(error);
            }
        }
    }
    if draft.sprites.is_empty() {
        let (path, problem) = (sources[0].clone(), ReadProblem::NoImages);
        return Err(first.unwrap_or(Error::File(shibori_formats::FileError::Read { path, problem })));
    }
    draft.sprites = merge_alike(draft.sprites, &found);
    for at in 0..draft.sprites.len() {
        draft.sprites[at].name = free_name(&draft.sprites[at], &draft.sprites[..at]);
    }
    Ok(draft)
}

fn is_missing(error: &Error) -> bool {
    matches!(error, Error::File(shibori_formats::FileError::Read { problem: ReadProblem::NotFound, .. }))
}

/// Folders in folders: deeper is a mistake.
const DEEPEST: usize = 8;

fn gather(
    folder: &Path,
    depth: usize,
    out: Option<&Path>,
    found: &mut Vec<Vec<PathBuf>>,
    cx: &Context<'_>,
) -> Result<(), Error> {
    let outputs = outputs_in(&cx.resolve(folder));
    let is_built = |path: &Path| outputs.get(&cx.resolve(path)).copied().unwrap_or(false);
    if is_built(&folder.join(SET_FILE))
        || depth > 0 && cx.resolve(folder).canonicalize().ok().as_deref() == out
    {
        return Ok(());
    }
    if manifest_of(&cx.resolve(folder)).is_some() {
        found.push(vec![folder.to_owned()]);
        return Ok(());
    }
    let (mut files, mut folders, mut atlases) = (Vec::new(), Vec::new(), Vec::new());
    let mut pages: HashSet<PathBuf> = HashSet::new();
    for name in
        names_in(&cx.resolve(folder))?.into_iter().filter(|name| !name.to_string_lossy().starts_with('.'))
    {
        let path = folder.join(name);
        match cx.resolve(&path).is_dir() {
            true => folders.push(path),
            false if is_image(&path) => files.push(path),
            false => {
                let is_json = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("json"));
                let own = if is_json {
                    manifest_images(&cx.resolve(&path)).unwrap_or_default()
                } else {
                    Vec::new()
                };
                if !own.is_empty() && !is_built(&path) {
                    atlases.push(vec![path]);
                }
                pages.extend(own);
            }
        }
    }
    files.retain(|file| !pages.contains(&cx.resolve(file)) && !outputs.contains_key(&cx.resolve(file)));
    group_sequences(files, found, cx);
    found.extend(atlases);
    let folders = folders.iter().filter(|_| depth < DEEPEST);
    folders.into_iter().try_for_each(|inner| gather(inner, depth + 1, out, found, cx))
}

/// Whether images of one name are frames of one sequence: their numbers go on from one to the next, with few gaps.
/// `tiles16` and `tiles32` do not.
fn is_sequence(paths: &[PathBuf]) -> bool {
    let number = |path: &PathBuf| -> Option<u64> {
        let stem = path.file_stem()?.to_string_lossy().into_owned();
        stem[stem.trim_end_matches(|c: char| c.is_ascii_digit()).len()..].parse().ok()
    };
    let numbers: Vec<u64> = paths.iter().filter_map(number).collect();
    let (Some(least), Some(most)) = (numbers.iter().min(), numbers.iter().max()) else { return false };
    most - least < 2 * paths.len() as u64
}

/// Files each on its own, but numbered images of one name together.
fn group_sequences(files: Vec<PathBuf>, found: &mut Vec<Vec<PathBuf>>, cx: &Context<'_>) {
    let first = found.len();
    let mut sequences: HashMap<_, usize> = HashMap::new();
    for file in files {
        let sequence = sequence_of(&cx.resolve(&file));
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

/// The sprite that a source is, or those that numbered images are.
fn draft_group(paths: &[PathBuf], cx: &Context<'_>) -> Result<Vec<DraftSprite>, Error> {
    let (Some(first), Some(last)) = (paths.first(), paths.last()) else { return Ok(Vec::new()) };
    let (one, size) = draft_file(first, cx)?;
    if paths.len() == 1 {
        return Ok(vec![one]);
    }
    let is_sheet = |sprite: &DraftSprite| match &sprite.cut {
        DraftCut::Grid { per_row, .. } => sprite.is_sure && per_row.iter().sum::<usize>() > 1,
        _ => false,
    };
    if is_sheet(&one) && is_sheet(&draft_file(last, cx)?.0) {
        return paths.iter().map(|path| Ok(draft_file(path, cx)?.0)).collect();
    }
    let stem = first.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let before = stem.trim_end_matches(|c: char| c.is_ascii_digit()).to_owned();
    let bare = before.trim_end_matches(['-', '_', ' ', '.']).to_owned();
    let folder = first.parent().and_then(Path::file_name).map(|name| name.to_string_lossy().into_owned());
    let name = if bare.is_empty() { folder.unwrap_or_else(|| "frames".to_owned()) } else { bare };
    // A frame may have several drawings, and so may a sheet.
    let has_several =
        std::iter::once(&one.cut).chain(&one.others).any(|cut| matches!(cut, DraftCut::Islands(_)));
    let is_sure = !has_several;
    let (cut, files, others) = (DraftCut::Frames, paths.to_vec(), Vec::new());
    Ok(vec![DraftSprite { name, files, cut, largest: size, is_sure, others, background: None, ..one }])
}

/// A single source, and the size of its picture.
fn draft_file(source: &Path, cx: &Context<'_>) -> Result<(DraftSprite, Size), Error> {
    let source = source.to_owned();
    // With a star, it would stand for several.
    let name = sprite_name(&source).map(|name| name.to_string().replace('*', "")).unwrap_or_default();
    let name = if name.is_empty() { "sprite".to_owned() } else { name };
    let plain = |cut: DraftCut, largest: Size| DraftSprite {
        name: name.clone(),
        source: source.clone(),
        files: vec![source.clone()],
        pattern: None,
        sprites: 1,
        cut,
        largest,
        is_sure: true,
        others: Vec::new(),
        background: None,
    };
    if cx.resolve(&source).is_dir() || manifest_of(&cx.resolve(&source)).is_some() {
        return Ok((plain(DraftCut::Frames, Size::default()), Size::default()));
    }
    let inspected = inspect_file(&source, cx)?;
    let size = inspected.info.size;
    match inspected.holds {
        ImageContent::Animation { millis, .. } => {
            Ok((plain(DraftCut::Animation(millis.len(), millis.iter().sum()), size), size))
        }
        ImageContent::Layers { .. } => Ok((plain(DraftCut::Frames, size), size)),
        ImageContent::Sheet { is_blank: true, background, .. } => {
            let cut = if background.is_some() { DraftCut::Flat } else { DraftCut::Blank };
            Ok((plain(cut, size), size))
        }
        ImageContent::Sheet { background, grids, loose, .. } => {
            let is_sure = grids.first().is_some_and(|grid| grid.is_sure);
            let mut ways: Vec<DraftCut> = grids.iter().map(|reading| grid_cut(reading, size)).collect();
            if let Some(IslandReading { drawings, is_likelier }) = loose {
                ways.insert(if is_likelier { 0 } else { ways.len() }, DraftCut::Islands(drawings));
            }
            if !is_sure {
                ways.push(DraftCut::Whole);
            }
            let cut = ways.remove(0);
            let is_sure = is_sure || matches!(cut, DraftCut::Whole);
            let largest = match cut {
                DraftCut::Grid { cell, .. } => cell,
                DraftCut::Islands(_) => Size::default(),
                _ => size,
            };
            Ok((DraftSprite { is_sure, others: ways, background, ..plain(cut, largest) }, size))
        }
    }
}

/// Fewer sprites that are made alike are each a table of their own.
const MIN_ALIKE: usize = 3;

/// Sprites of one folder that are surely cut alike as one with a pattern, if the pattern finds just their files.
fn merge_alike(sprites: Vec<DraftSprite>, found: &[Vec<PathBuf>]) -> Vec<DraftSprite> {
    let mut groups: Vec<Vec<DraftSprite>> = Vec::new();
    for sprite in sprites {
        let group = groups.iter_mut().find(|group| is_alike(&group[0], &sprite));
        match group {
            Some(group) => group.push(sprite),
            None => groups.push(vec![sprite]),
        }
    }
    let all: Vec<&PathBuf> = found.iter().flatten().collect();
    let whole = groups.into_iter().flat_map(|group| match merge_into_pattern(&group, &all) {
        Some(one) => vec![one],
        None => split_by_prefix(group)
            .into_iter()
            .flat_map(|some| merge_into_pattern(&some, &all).map_or(some, |one| vec![one]))
            .collect(),
    });
    let with_pattern = |sprite: DraftSprite| match sprite.files.len() > 1 && sprite.sprites == 1 {
        true => DraftSprite { pattern: numbered_pattern(&sprite.files, &all), ..sprite },
        false => sprite,
    };
    whole.map(with_pattern).collect()
}

/// The pattern of numbered images, if one finds no others.
fn numbered_pattern(files: &[PathBuf], all: &[&PathBuf]) -> Option<(String, &'static str, String)> {
    let stem = |path: &Path| path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let first = stem(&files[0]);
    let before = first.trim_end_matches(|c: char| c.is_ascii_digit());
    let finds = |star: &str| {
        let is_found = |path: &&&PathBuf| {
            let rest = stem(path).strip_prefix(before).map(str::to_owned);
            let is_it = |rest: &str| star == "*" || rest.starts_with(|c: char| c.is_ascii_digit());
            rest.is_some_and(|rest| is_it(&rest))
                && path.parent() == files[0].parent()
                && path.extension() == files[0].extension()
        };
        all.iter().filter(is_found).count() == files.len()
    };
    let after = format!(".{}", files[0].extension()?.to_string_lossy());
    ["*", "[0-9]*"].into_iter().find(|star| finds(star)).map(|star| (before.to_owned(), star, after))
}

/// Sprites whose names have a beginning in common: what comes before their number, or before the last dash.
fn split_by_prefix(group: Vec<DraftSprite>) -> Vec<Vec<DraftSprite>> {
    let family = |sprite: &DraftSprite| {
        let name = sprite.name.trim_end_matches(|c: char| c.is_ascii_digit());
        let end = if name.len() < sprite.name.len() {
            name.len()
        } else {
            name.rfind(['-', '_', ' ']).unwrap_or(name.len())
        };
        name[..end].to_owned()
    };
    let mut families: Vec<(String, Vec<DraftSprite>)> = Vec::new();
    for sprite in group {
        let own = family(&sprite);
        match families.iter_mut().find(|(other, _)| *other == own) {
            Some((_, all)) => all.push(sprite),
            None => families.push((own, vec![sprite])),
        }
    }
    families.into_iter().map(|(_, all)| all).collect()
}

fn is_alike(one: &DraftSprite, other: &DraftSprite) -> bool {
    let DraftCut::Grid { .. } = one.cut else { return false };
    let of_file = |sprite: &DraftSprite| {
        let source = &sprite.source;
        (source.parent().map(Path::to_owned), source.extension().map(std::ffi::OsStr::to_owned))
    };
    one.is_sure
        && other.is_sure
        && one.background == other.background
        && one.cut.is_like(&other.cut)
        && of_file(one) == of_file(other)
}

fn merge_into_pattern(group: &[DraftSprite], all: &[&PathBuf]) -> Option<DraftSprite> {
    let first = group.first().filter(|_| group.len() >= MIN_ALIKE)?;
    let stem = |path: &Path| path.file_stem().map(|stem| stem.to_string_lossy().into_owned());
    let stems: Vec<String> = group.iter().filter_map(|sprite| stem(&sprite.source)).collect();
    // A name that was changed to be one can't be had by a pattern.
    if group.iter().zip(&stems).any(|(sprite, stem)| sprite.name != *stem) {
        return None;
    }
    let shortest = stems.iter().map(|stem| stem.chars().count()).min()?;
    let before: String = stems[0].chars().take(shortest.saturating_sub(1)).collect();
    let before: String = before
        .chars()
        .enumerate()
        .take_while(|&(at, letter)| stems.iter().all(|stem| stem.chars().nth(at) == Some(letter)))
        .map(|(_, letter)| letter)
        .collect();
    let ending = first.source.extension()?;
    let is_found = |path: &&&PathBuf| {
        path.parent() == first.source.parent()
            && path.extension() == Some(ending)
            && stem(path).is_some_and(|stem| stem.starts_with(&before))
    };
    if all.iter().filter(is_found).count() != group.len() {
        return None;
    }
    let pattern = Some((before.clone(), "*", format!(".{}", ending.to_string_lossy())));
    let files = group.iter().map(|sprite| sprite.source.clone()).collect();
    Some(DraftSprite { name: format!("{before}*"), files, pattern, sprites: group.len(), ..first.clone() })
}

impl DraftCut {
    /// Whether the same options cut both, into the same clips.
    fn is_like(&self, other: &Self) -> bool {
        let clips = |per_row: &[usize]| match per_row {
            [alone] => vec![*alone],
            several => several.iter().map(|&count| count.min(1)).collect(),
        };
        match (self, other) {
            (Self::Grid { per_row: one, .. }, Self::Grid { per_row: two, .. }) => {
                let without = |cut: &Self| match cut {
                    Self::Grid { counts, cell, spacing, fills, .. } => {
                        Some((*counts, *cell, *spacing, *fills))
                    }
                    _ => None,
                };
                clips(one) == clips(two) && without(self) == without(other)
            }
            _ => false,
        }
    }
}

fn grid_cut(reading: &GridAnalysis, size: Size) -> DraftCut {
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
