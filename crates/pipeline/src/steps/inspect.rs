//! What images contain.

use std::path::{Path, PathBuf};

use shibori_core::cut::{CellChoice, Cut, GridCandidate, SheetAnalysis, cut_cells, find_crossings};
use shibori_core::{Background, Color, Pixels, Size, parallel};
use shibori_formats::DisplaySlashed;
use shibori_formats::decode::{
    DecodedFile, DecodedImage, ImageInfo, LayeredImage, image, images_in, manifest_of, pages_of, sequence_of,
};
use tracing::info_span;

use crate::options::CutOptions;
use crate::steps::sheet::{SheetReading, find_islands, flattened};
use crate::{Context, Error};

/// Fewer drawings than this are one picture, not loose drawings.
const FEWEST: usize = 2;
/// So many numbered images are frames rather than sheets.
const FEWEST_IN_SEQUENCE: usize = 3;
/// A cell of a grid that is not sure holds fewer drawings than this.
const SEVERAL: u64 = 4;
/// Cells are rarely smaller, and listing 4-pixel cells would bury the likely ones.
const SMALLEST_CELL: u32 = 8;

/// What one image holds.
#[derive(Clone, Debug)]
pub struct ImageReport {
    /// The image, as it was named.
    pub file: PathBuf,
    /// Its format, size and colors.
    pub info: ImageInfo,
    /// Whether pixels can be seen through.
    pub transparency: Transparency,
    /// Share of pixels that show nothing, 0 to 1.
    pub empty: f64,
    /// The rest, by whether it moves.
    pub holds: ImageContent,
}

/// What an image holds.
#[derive(Clone, Debug)]
pub enum ImageContent {
    /// One picture, which may be a sheet.
    Sheet {
        /// The flat color behind the drawings, if there is one.
        background: Option<Color>,
        /// Whether it is completely blank.
        is_blank: bool,
        /// Grids that could explain it, the best first.
        grids: Vec<GridAnalysis>,
        /// Its separate drawings, where no grid is sure and several are apart.
        loose: Option<IslandReading>,
        /// Square cells that divide it evenly, largest first.
        square_cells: Vec<u32>,
        /// Counts of columns that divide its width, and of rows that divide its height.
        counts: (Vec<u32>, Vec<u32>),
    },
    /// A painting in layers.
    Layers {
        /// How many show.
        layers: usize,
        /// The groups they are in, in order.
        groups: Vec<String>,
    },
    /// An animation.
    Animation {
        /// How long each frame is shown, in milliseconds.
        millis: Vec<f64>,
        /// How often it plays; 0 is forever.
        plays: u32,
    },
}

/// A sheet read as separate drawings.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct IslandReading {
    /// How many there are.
    pub drawings: usize,
    /// Whether they explain it better than any grid: there is none, its cells hold several each, or it cuts through some.
    pub is_likelier: bool,
}

/// One way to read a sheet.
#[derive(Clone, Debug)]
pub struct GridAnalysis {
    /// The grid, and how much speaks for it.
    pub candidate: GridCandidate,
    /// What it cuts: cells with a drawing, and blank ones.
    pub cut: Cut,
    /// Places where it cuts through a drawing, as `slice` counts them.
    pub crossings: usize,
    /// Drawings of each row.
    pub per_row: Vec<usize>,
    /// 0 to 1: the chance that it is right, were the next one the only other.
    pub confidence: f64,
    /// Whether a sheet is cut by it without being asked.
    pub is_sure: bool,
}

/// Whether pixels can be seen through.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Transparency {
    /// Every pixel is solid.
    None,
    /// Some are clear.
    Hard,
    /// Some are in between.
    Soft,
}

/// Something that was looked at.
#[derive(Debug)]
pub enum Inspected {
    /// An image.
    Image(Box<ImageReport>),
    /// Numbered images of one name and one size: the frames of an animation.
    Sequence(SequenceReport),
    /// A file of a folder that can't be read.
    Unreadable(Error),
}

/// Numbered images.
#[derive(Clone, Debug)]
pub struct SequenceReport {
    /// The files, in order, as the user would name them.
    pub files: Vec<PathBuf>,
    /// The size of each.
    pub size: Size,
    /// Whether the folder has no other images.
    pub is_alone: bool,
}

/// Looks at images. Of a folder, numbered images of one size are one sequence, and files that can't be read are passed
/// over.
///
/// # Errors
/// If an image that was named, or a folder, can't be read.
pub fn inspect(images: &[PathBuf], cx: &Context<'_>) -> Result<Vec<Inspected>, Error> {
    let mut found = Vec::new();
    for path in images {
        let files = files_of(path, cx)?;
        if !cx.resolve(path).is_dir() {
            for file in files {
                found.push(Inspected::Image(Box::new(inspect_file(&file, cx)?)));
            }
            continue;
        }
        for run in files.chunk_by(|a, b| sequence_of(a).is_some_and(|key| sequence_of(b) == Some(key))) {
            found.extend(inspect_run(run, run.len() == files.len(), cx));
        }
    }
    Ok(found)
}

/// Files of a folder that follow each other and are called alike; `is_alone` if they are all it has.
fn inspect_run(files: &[PathBuf], is_alone: bool, cx: &Context<'_>) -> Vec<Inspected> {
    let one = |file: &PathBuf| match inspect_file(file, cx) {
        Ok(report) => Inspected::Image(Box::new(report)),
        Err(error) => Inspected::Unreadable(error),
    };
    if files.len() < FEWEST_IN_SEQUENCE {
        return files.iter().map(one).collect();
    }
    let still = |file: &PathBuf| -> Result<Option<Size>, Error> {
        let DecodedFile { info, picture, .. } = image(&cx.resolve(file), cx.limits())?;
        Ok(matches!(picture, DecodedImage::Still(_)).then_some(info.size))
    };
    let sizes = parallel::map_slice(files, still);
    let mut unreadable = Vec::new();
    let mut readable: Vec<(PathBuf, Option<Size>)> = Vec::new();
    for (file, size) in files.iter().zip(sizes) {
        match size {
            Ok(size) => readable.push((file.clone(), size)),
            Err(error) => unreadable.push(Inspected::Unreadable(error)),
        }
    }
    let is_sheet = |file: &PathBuf| {
        let report = inspect_file(file, cx);
        report.is_ok_and(|report| match report.holds {
            ImageContent::Sheet { grids, .. } => grids.first().is_some_and(|grid| grid.is_sure),
            ImageContent::Animation { .. } | ImageContent::Layers { .. } => true,
        })
    };
    let mut found = match readable.as_slice() {
        [(first, Some(size)), rest @ ..]
            if rest.iter().all(|one| one.1 == Some(*size)) && !is_sheet(first) =>
        {
            let files = readable.iter().map(|(file, _)| file.clone()).collect();
            vec![Inspected::Sequence(SequenceReport { files, size: *size, is_alone })]
        }
        _ => readable.iter().map(|(file, _)| one(file)).collect(),
    };
    found.append(&mut unreadable);
    found
}

/// The images that a path stands for: itself, or those of a folder, a set or an atlas, as the user would name them.
fn files_of(path: &Path, cx: &Context<'_>) -> Result<Vec<PathBuf>, Error> {
    let whole = cx.resolve(path);
    let shown = |file: PathBuf| file.strip_prefix(&cx.base).map_or_else(|_| file.clone(), Path::to_owned);
    if let Some(manifest) = manifest_of(&whole) {
        let files = pages_of(&manifest)?;
        return Ok(files.into_iter().map(shown).collect());
    }
    match whole.is_dir() {
        true => Ok(images_in(&whole)?.into_iter().map(shown).collect()),
        false => Ok(vec![path.to_owned()]),
    }
}

pub(crate) fn inspect_file(path: &Path, cx: &Context<'_>) -> Result<ImageReport, Error> {
    let _span = info_span!("inspect", file = %path.display_slashed()).entered();
    let DecodedFile { info, picture, .. } = image(&cx.resolve(path), cx.limits())?;
    let animation = match picture {
        DecodedImage::Still(pixels) => return still(path, info, &pixels, cx),
        DecodedImage::Layers(layered) => {
            let flat = flattened(path, &layered, cx)?;
            return if layered.is_flat() {
                still(path, info, &flat, cx)
            } else {
                Ok(layers(path, info, &flat, &layered))
            };
        }
        DecodedImage::Moving(animation) => animation,
    };
    let millis = animation.moments.iter().map(|moment| moment.span.millis()).collect();
    let holds = ImageContent::Animation { millis, plays: animation.plays };
    let images: Vec<Pixels> = animation.moments.into_iter().map(|moment| moment.picture).collect();
    let (transparency, empty) = (transparency(&images), empty_share(&images));
    Ok(ImageReport { file: path.to_owned(), info, transparency, empty, holds })
}

fn layers(path: &Path, info: ImageInfo, flat: &Pixels, layered: &LayeredImage) -> ImageReport {
    let images = std::slice::from_ref(flat);
    let (transparency, empty) = (transparency(images), empty_share(images));
    let mut groups: Vec<String> = layered.layers.iter().map(|layer| layer.groups.join("/")).collect();
    groups.dedup();
    groups.retain(|group| !group.is_empty());
    let holds = ImageContent::Layers { layers: layered.layers.len(), groups };
    ImageReport { file: path.to_owned(), info, transparency, empty, holds }
}

fn still(path: &Path, info: ImageInfo, pixels: &Pixels, cx: &Context<'_>) -> Result<ImageReport, Error> {
    let holds = sheet_content(path, pixels, info.size, cx)?;
    let images = std::slice::from_ref(pixels);
    let (transparency, empty) = (transparency(images), empty_share(images));
    Ok(ImageReport { file: path.to_owned(), info, transparency, empty, holds })
}

/// What a sheet holds.
pub(crate) fn sheet_content(
    path: &Path,
    pixels: &Pixels,
    size: Size,
    cx: &Context<'_>,
) -> Result<ImageContent, Error> {
    let analysis = SheetAnalysis::of(pixels);
    let background = match analysis.background() {
        Background::Flat { color, .. } => Some(Color(color)),
        Background::Clear | Background::None => None,
    };
    let sheet = SheetReading::of(path, &analysis, cx)?;
    let is_blank = sheet.found.is_blank();
    let confidence = sheet.found.confidence();
    let is_sure = sheet.is_sure();
    let reading = |(place, candidate): (usize, &GridCandidate)| {
        let choice = CellChoice { background: sheet.found.background, ..CellChoice::default() };
        let cut = cut_cells(pixels, &candidate.grid, &choice).expect("without a count nothing is missing");
        let mut per_row = vec![0; candidate.grid.counts().rows as usize];
        cut.cells.iter().for_each(|cell| per_row[cell.cell.row as usize] += 1);
        GridAnalysis {
            candidate: candidate.clone(),
            crossings: find_crossings(pixels, sheet.found.background, &candidate.grid).len(),
            cut,
            per_row,
            confidence: if place == 0 { confidence } else { 1.0 - confidence },
            is_sure: is_sure && place == 0,
        }
    };
    let grids: Vec<GridAnalysis> =
        if is_blank { Vec::new() } else { sheet.proposals().enumerate().map(reading).collect() };
    let loose = if is_sure || is_blank { None } else { loose(&analysis, grids.first(), cx)? };
    Ok(ImageContent::Sheet {
        background,
        is_blank,
        grids,
        loose,
        square_cells: square_cells(size),
        counts: (counts(size.width), counts(size.height)),
    })
}

/// The separate drawings of a sheet that no grid explains for sure.
fn loose(
    sheet: &SheetAnalysis,
    best: Option<&GridAnalysis>,
    cx: &Context<'_>,
) -> Result<Option<IslandReading>, Error> {
    if sheet.background() == Background::None {
        return Ok(None);
    }
    let usual = CutOptions::default().island_options();
    let drawings = find_islands(sheet, usual, cx)?.drawings.len();
    let cells = best.map_or(0, |reading| reading.candidate.grid.len());
    let cuts = best.is_some_and(|reading| reading.crossings > 0);
    let is_likelier = drawings as u64 >= if cuts { cells + 1 } else { SEVERAL * cells };
    Ok((drawings >= FEWEST).then_some(IslandReading { drawings, is_likelier }))
}

fn transparency(pictures: &[Pixels]) -> Transparency {
    let alphas = || pictures.iter().flat_map(Pixels::rows).flat_map(|row| row.iter().skip(3).step_by(4));
    if alphas().any(|&alpha| alpha != 0 && alpha != 255) {
        Transparency::Soft
    } else if alphas().any(|&alpha| alpha == 0) {
        Transparency::Hard
    } else {
        Transparency::None
    }
}

fn empty_share(pictures: &[Pixels]) -> f64 {
    let total: u64 = pictures.iter().map(|picture| picture.size().area()).sum();
    let alphas = pictures.iter().flat_map(Pixels::rows).flat_map(|row| row.iter().skip(3).step_by(4));
    alphas.filter(|&&alpha| alpha == 0).count() as f64 / total.max(1) as f64
}

fn square_cells(size: Size) -> Vec<u32> {
    let divides = |side: &u32| size.width.is_multiple_of(*side) && size.height.is_multiple_of(*side);
    let sides = (SMALLEST_CELL..=size.width.min(size.height)).rev().filter(divides);
    // A sheet of one cell is a picture, not a grid.
    sides.filter(|side| size.area() > u64::from(*side).pow(2)).collect()
}

fn counts(length: u32) -> Vec<u32> {
    (1..=length / SMALLEST_CELL).filter(|&count| length.is_multiple_of(count)).collect()
}
