//! Sheets, strips and animations into frames.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use shibori_core::clean::KeyColors;
use shibori_core::cut::{
    BlankCells, Grid, Island, IslandOptions, Islands, NamedRect, Spacing, cut_cells, cut_rects,
    find_crossings, frame_from_rect,
};
use shibori_core::pack::PageGrid;
use shibori_core::{
    Background, Cell, Frame, FrameError, FrameSet, FrameSource, Name, NameTemplate, Pixels, Rect, SetError,
    SignedRect, Size, UVec2,
};
use shibori_formats::DisplaySlashed;
use shibori_formats::ReadProblem;
use shibori_formats::decode::{
    self, DecodedFile, DecodedImage, ReadNotice, animation_frames, image, images_of, layer_frames, rects,
    sprite_name,
};
use shibori_formats::encode;
use shibori_formats::store::Written;
use tracing::{debug, info_span};

use crate::options::{ClipOptions, CutOptions, ShapeOptions, SliceOptions};
use crate::plan::{Change, CleanReport, CleanStep, Naming, Plan, PlanOutcome};
use crate::steps::loading::{accept_loaded, load_with_companions, report_total_memory};
use crate::steps::lowering::{Defaults, lower_clean, lower_clean_frames, lower_marks, lower_shape, naming};
use crate::steps::namesakes::{folder_name, sprites_of_namesakes, with_folder};
use crate::steps::sheet::{Sheet, find_islands, flattened, grid_of, prepare_sheet, within};
use crate::steps::slice_sources::{expand_folders, is_file, numbered_images};
use crate::{Context, Error, Notice, SheetError, SizeCause, Source, Task};

/// The frames of sheets, and how they came about.
#[derive(Clone, Debug)]
#[must_use = "a step returns what it made and changes nothing else"]
pub struct Sliced {
    /// All frames, named, cleaned and shaped.
    pub set: FrameSet,
    /// Each sheet.
    pub sheets: Vec<SheetReport>,
    /// What shaping did.
    pub done: ShapeOutcome,
}

/// What shaping did beside changing frames.
#[derive(Clone, Debug, Default)]
pub struct ShapeOutcome {
    /// How each frame was moved where frames were lined up; else empty.
    pub shifts: Vec<shibori_core::shape::Shift>,
    /// What boxes of whole clips cover.
    pub covered: Vec<crate::plan::BoxCover>,
}

/// How one sheet was cut.
#[derive(Clone, Debug)]
pub struct SheetReport {
    /// The sheet, as it was named.
    pub file: PathBuf,
    /// Its pixels.
    pub size: Size,
    /// The part of it that was looked at, if not all.
    pub within: Option<SignedRect>,
    /// How it was cut.
    pub how: CutMethod,
    /// How many frames it gave.
    pub frames: usize,
    /// What each step of mending changed.
    pub mended: Vec<CleanReport>,
}

impl SheetReport {
    fn new(path: &Path, size: Size, options: &SliceOptions, how: CutMethod) -> Self {
        let within = options.cut.within;
        Self { file: path.to_owned(), size, within, how, frames: 0, mended: Vec::new() }
    }
}

/// How a sheet was cut.
#[derive(Clone, Debug)]
pub enum CutMethod {
    /// By a grid.
    Grid {
        /// The grid.
        grid: Grid,
        /// Whether it was found, and not said.
        is_found: bool,
        /// Blank cells that were left out.
        dropped: Vec<Cell>,
    },
    /// Each separate drawing.
    Islands {
        /// Pieces with at most this many empty pixels between them were one drawing.
        join: u32,
        /// Whether that was found, and not said.
        is_found: bool,
        /// Drawings of fewer pixels were left out.
        least: u32,
        /// Where those are.
        specks: Vec<Rect>,
        /// Pieces of a packed page that were parted where they only touch.
        parted: usize,
    },
    /// At the places of a list.
    Rects {
        /// The list, as it was named.
        list: PathBuf,
    },
    /// It is an animation, so its frames were there already.
    Animation,
    /// A folder, a set or an atlas: frames that were cut before.
    Frames,
}

/// Cuts sheets, each a sprite named after its file, cleans and shapes the frames. Writes nothing.
///
/// # Errors
/// If a sheet can't be read or cut, or a change can't be made.
pub fn slice(sheets: &[Source], options: &SliceOptions, cx: &Context<'_>) -> Result<Sliced, Error> {
    let _span = info_span!("slice", sheets = sheets.len()).entered();
    options.validate()?;
    if let Some((first, set)) = numbered_images(sheets, options, cx)? {
        return finish_cut(vec![cut_already(&first, set, options, cx)?], options, cx);
    }
    if let Some(sprite) = options.cut.sprite.as_ref().filter(|_| sheets.len() > 1) {
        return Err(Error::Sheet(SheetError::OneSprite { sprite: sprite.clone(), sheets: sheets.len() }));
    }
    let sheets = expand_folders(sheets, options, cx)?;
    let namesakes = sprites_of_namesakes(&sheets, cx);
    let cut_one = |sheet: &Source| match namesakes.get(sheet.name()) {
        None => cut_source(sheet, options, None, cx),
        Some(sprite) => {
            let cut = CutOptions { sprite: Some(sprite.clone()), ..options.cut.clone() };
            cut_source(sheet, &SliceOptions { cut, ..options.clone() }, None, cx)
        }
    };
    let cut: Result<Vec<_>, _> = sheets.iter().map(cut_one).collect();
    let paths: Vec<PathBuf> = sheets.iter().filter_map(Source::path).map(Path::to_owned).collect();
    finish_cut(report_total_memory(cut, &paths, cx)?, options, cx)
}

/// All cut files in one set, named and shaped.
fn finish_cut(cut: Vec<CutFile>, options: &SliceOptions, cx: &Context<'_>) -> Result<Sliced, Error> {
    let is_loose = cut.iter().any(|one| matches!(one.report.how, CutMethod::Islands { .. }));
    let is_named = cut.iter().any(|one| matches!(one.report.how, CutMethod::Frames));
    let rows = cut.iter().filter_map(|one| one.rows.clone()).collect();
    let (sets, reports): (Vec<_>, Vec<_>) = cut.into_iter().map(|one| (one.set, one.report)).unzip();
    let PlanOutcome { set, shifts, covered, .. } =
        finish_frames(FrameSet::merge(sets)?, options, is_loose, is_named, rows, cx)?;
    Ok(Sliced { set, sheets: reports, done: ShapeOutcome { shifts, covered } })
}

/// A sheet or an animation; or frames that are cut already: in memory, a folder of images, a set, an atlas.
fn cut_source(
    source: &Source,
    options: &SliceOptions,
    clip: Option<&Name>,
    cx: &Context<'_>,
) -> Result<CutFile, Error> {
    match source {
        Source::Path(path) if is_file(path, cx) => return cut_file(path, options, clip, cx),
        Source::Sheet { name, pixels } => return cut_still(Path::new(name), pixels, options, cx),
        Source::Path(_) | Source::Frames { .. } => {}
    }
    if options.cut.has_cut_method() || options.cut.within.is_some() {
        return Err(Error::Sheet(SheetError::CutAlready { source_path: source.name().to_owned() }));
    }
    cut_already(source.name(), load_with_companions(source, cx)?, options, cx)
}

/// Frames that are cut already, cleaned.
fn cut_already(
    path: &Path,
    set: FrameSet,
    options: &SliceOptions,
    cx: &Context<'_>,
) -> Result<CutFile, Error> {
    let set = match (&options.cut.sprite, set.sprites().len()) {
        (Some(sprite), 1) => set.with_sprite(sprite)?,
        (Some(sprite), sprites) => {
            return Err(Error::Sheet(SheetError::SpritesThere { sprite: sprite.clone(), sprites }));
        }
        (None, _) => set,
    };
    let size = set.frames().iter().fold(Size::default(), |size, frame| size.union(frame.canvas()));
    let report = SheetReport { within: None, ..SheetReport::new(path, size, options, CutMethod::Frames) };
    clean_sheet(set, report, options, None, cx)
}

/// A source of a sprite, and how it is cut.
#[derive(Clone, Copy, Debug)]
pub struct SpriteInput<'a> {
    /// Files or a folder, in order.
    pub files: &'a [PathBuf],
    /// How they are cut and cleaned, and what is done with these frames alone.
    pub options: &'a SliceOptions,
}

/// The frames of one sprite out of several sources, after one another; what is said of all of them is done with all of them
/// together. Numbered images are the frames as they are, where nothing says how to cut them. Writes nothing.
///
/// # Errors
/// As [`slice()`].
pub fn slice_sprite(
    name: &Name,
    parts: &[SpriteInput<'_>],
    shape: &ShapeOptions,
    clips: &ClipOptions,
    cx: &Context<'_>,
) -> Result<FrameSet, Error> {
    let _span = info_span!("slice", sprite = %name).entered();
    let mut cut: Vec<(Vec<CutFile>, &SliceOptions)> = Vec::new();
    for part in parts {
        part.options.validate()?;
        let is_alone = parts.len() == 1 && part.files.len() == 1;
        cut.push((cut_part(name, *part, is_alone, cx)?, part.options));
    }
    let is_loose =
        |cut: &[CutFile]| cut.iter().any(|one| matches!(one.report.how, CutMethod::Islands { .. }));
    let is_named = |cut: &[CutFile]| cut.iter().any(|one| matches!(one.report.how, CutMethod::Frames));
    let is_plain = |options: &SliceOptions| {
        options.shape == ShapeOptions::default() && options.clips == ClipOptions::default()
    };
    if let [(all, options)] = cut.as_mut_slice()
        && is_plain(options)
        && all.len() == 1
    {
        let all = std::mem::take(all);
        let (is_loose, is_named) = (is_loose(&all), is_named(&all));
        let whole = SliceOptions { shape: shape.clone(), clips: clips.clone(), ..(*options).clone() };
        let rows = all.iter().filter_map(|one| one.rows.clone()).collect();
        let set = FrameSet::merge(all.into_iter().map(|one| one.set))?;
        return Ok(finish_frames(set, &whole, is_loose, is_named, rows, cx)?.set);
    }
    // Numbers go on from one source to the next, so that all frames have names of their own.
    let count: usize = cut.iter().flat_map(|(all, _)| all).map(|one| one.set.frames().len()).sum();
    let mut sets = Vec::new();
    let mut before = 0;
    for (all, options) in cut {
        for one in all {
            let mut options = options.clone();
            let first = options.cut.number_from();
            let frames = one.set.frames().len();
            options.cut.name.get_or_insert_with(|| NameTemplate::for_count(count + first as usize));
            options.cut.number_from = Some(first + before as u32);
            before += frames;
            let one = vec![one];
            let (is_loose, is_named) = (is_loose(&one), is_named(&one));
            if is_named {
                options.cut.name = None;
            }
            let rows = one.iter().filter_map(|one| one.rows.clone()).collect();
            let set = FrameSet::merge(one.into_iter().map(|one| one.set))?;
            sets.push(finish_frames(set, &options, is_loose, is_named, rows, cx)?.set);
        }
    }
    let mut changes = lower_marks(shape);
    changes.push(Change::Name(naming(clips)));
    changes.extend(lower_shape(shape, Defaults::PLAIN, cx)?);
    Ok(Plan::new(changes).run(FrameSet::merge(sets)?, cx)?.set)
}

/// One source of a sprite; its frames are all that sprite's.
fn cut_part(
    name: &Name,
    part: SpriteInput<'_>,
    is_alone: bool,
    cx: &Context<'_>,
) -> Result<Vec<CutFile>, Error> {
    let SpriteInput { files, options } = part;
    let called = options.cut.sprite.clone().unwrap_or_else(|| name.clone());
    let own = |is_file: bool| {
        let mut options = options.clone();
        options.cut.sprite = is_file.then(|| called.clone());
        options
    };
    let mut all = Vec::new();
    let paths: Vec<PathBuf> = files.iter().map(|file| cx.resolve(file)).collect();
    if files.len() > 1 && !options.cut.has_cut_method() && decode::is_numbered(&paths) {
        let set = accept_loaded(decode::sources(&paths, cx.limits())?, cx);
        all.push(cut_already(&files[0], set, &own(false), cx)?);
    } else {
        for source in expand_folders(&Source::paths(files), options, cx)? {
            // Of several sources, an animation's clip is called after its file.
            let clip = if is_alone { None } else { sprite_name(source.name()).ok() };
            all.push(cut_source(&source, &own(is_file(source.name(), cx)), clip.as_ref(), cx)?);
        }
    }
    for one in &mut all {
        let set = std::mem::take(&mut one.set);
        // A folder of several sprites keeps their names.
        one.set = if set.sprites().len() == 1 { set.with_sprite(&called)? } else { set };
    }
    Ok(all)
}

/// The folder of a set where none is said: `koi-frames` for one sheet, `frames` for several.
pub fn default_set(sheets: &[PathBuf]) -> PathBuf {
    match sheets {
        [one] if one == Path::new("-") => PathBuf::from("stdin-frames"),
        [one] => PathBuf::from(format!("{}-frames", one.file_stem().unwrap_or_default().to_string_lossy())),
        _ => PathBuf::from("frames"),
    }
}

/// Stages the files of a set; they are in place after [`Context::commit`].
///
/// # Errors
/// If a frame can't be a file there.
pub fn stage_set(set: FrameSet, folder: &Path, cx: &Context<'_>) -> Result<Written, Error> {
    let _span = info_span!("write", frames = set.frames().len()).entered();
    let tick = cx.progress_counter(Task::Frames, set.frames().len());
    Ok(encode::set(set, &cx.resolve(folder), cx.transaction(), tick)?)
}

/// Cuts sheets that stay as they are, each on its own, and writes a manifest beside each.
///
/// # Errors
/// If a sheet can't be read or cut, or its manifest can't be written.
pub fn slice_manifests(
    sheets: &[PathBuf],
    options: &SliceOptions,
    cx: &Context<'_>,
) -> Result<Vec<(Sliced, Written)>, Error> {
    let _span = info_span!("slice", sheets = sheets.len()).entered();
    options.validate()?;
    let one = |source: &Source| {
        let path = source.name();
        let CutFile { set, report, rows } = cut_file(path, options, None, cx)?;
        let rows = rows.into_iter().collect();
        let PlanOutcome { set, shifts, covered, .. } = finish_frames(set, options, false, false, rows, cx)?;
        let grid = page_grid(&report);
        let written =
            encode::sheet_manifest(&cx.resolve(path), report.size, &set, grid.as_ref(), cx.transaction())?;
        Ok((Sliced { set, sheets: vec![report], done: ShapeOutcome { shifts, covered } }, written))
    };
    match sheets {
        [folder] if !options.cut.has_cut_method() && cx.resolve(folder).is_dir() => {
            Ok(vec![images_in_place(sheets, folder, options, cx)?])
        }
        [first, _, ..] if !options.cut.has_cut_method() => {
            let folder = first.parent().unwrap_or(Path::new("")).to_owned();
            Ok(vec![images_in_place(sheets, &folder, options, cx)?])
        }
        sheets => expand_folders(&Source::paths(sheets), options, cx)?.iter().map(one).collect(),
    }
}

/// Images that are the frames as they are: nothing is copied, and a manifest in their folder names them.
fn images_in_place(
    sources: &[PathBuf],
    folder: &Path,
    options: &SliceOptions,
    cx: &Context<'_>,
) -> Result<(Sliced, Written), Error> {
    let whole = cx.resolve(folder);
    let paths: Vec<PathBuf> = sources.iter().map(|path| cx.resolve(path)).collect();
    // The manifest that may be there is what is made again.
    let gathered = if sources.len() == 1 {
        images_of(&whole, cx.limits())?
    } else {
        decode::sources(&paths, cx.limits())?
    };
    let not_each = || Error::Sheet(SheetError::NotOneFileEach { folder: folder.to_owned() });
    if gathered.files.len() != gathered.set.frames().len() {
        return Err(not_each());
    }
    let inside = |file: &PathBuf| {
        let parts = file.strip_prefix(&whole).ok()?.components();
        Some(parts.map(|part| part.as_os_str().to_string_lossy().into_owned()).collect::<Vec<_>>().join("/"))
    };
    let files: Vec<String> = gathered.files.iter().map(inside).collect::<Option<_>>().ok_or_else(not_each)?;
    gathered.remarks.into_iter().for_each(|remark| cx.notify(Notice::Read(remark)));
    cx.transaction().add_sources(&gathered.files);
    if options.cut.take.is_some() {
        return Err(Error::Sheet(SheetError::NotOneFileEach { folder: folder.to_owned() }));
    }
    let PlanOutcome { set, shifts, covered, .. } =
        finish_frames(gathered.set, options, false, true, HashMap::new(), cx)?;
    let written = encode::images_manifest(&whole, &set, &files, cx.transaction())?;
    let size = set.frames().iter().fold(Size::default(), |size, frame| size.union(frame.canvas()));
    let report = SheetReport::new(folder, size, options, CutMethod::Frames);
    let report = SheetReport { within: None, frames: set.frames().len(), ..report };
    Ok((Sliced { set, sheets: vec![report], done: ShapeOutcome { shifts, covered } }, written))
}

/// The cells of a sheet that was cut evenly, counted from its corner.
fn page_grid(report: &SheetReport) -> Option<PageGrid> {
    let CutMethod::Grid { grid, .. } = &report.how else { return None };
    let corner = report.within.and_then(SignedRect::to_rect).unwrap_or_default();
    let Spacing { offset, gutter } = grid.spacing();
    let offset = UVec2 { x: offset.x + corner.x, y: offset.y + corner.y };
    let spacing = Spacing { offset, gutter };
    grid.is_even().then(|| PageGrid { counts: grid.counts(), cell: grid.cell_size(), spacing })
}

/// One file's frames, without names yet.
struct CutFile {
    set: FrameSet,
    report: SheetReport,
    /// The sprite and the rows of its sheet, whichever frames are left of it.
    rows: Option<(Name, u32)>,
}

/// Frames of a sheet or an animation; the clip of the latter is called like its sprite, unless said otherwise.
fn cut_file(
    path: &Path,
    options: &SliceOptions,
    clip: Option<&Name>,
    cx: &Context<'_>,
) -> Result<CutFile, Error> {
    let file = cx.resolve(path);
    let DecodedFile { info, picture, is_truncated } = image(&file, cx.limits())?;
    cx.transaction().add_sources(std::slice::from_ref(&file));
    if let Some(loss) = info.loss {
        cx.notify(Notice::Read(ReadNotice::Loss { file: file_name(path), files: 1, loss }));
    }
    let animation = match picture {
        DecodedImage::Still(pixels) => {
            if is_truncated {
                cx.notify(Notice::Read(ReadNotice::Truncated { file: file_name(path), frames: 0 }));
            }
            return cut_still(path, &pixels, options, cx);
        }
        // With a way to cut, a painting is the sheet that it looks like.
        DecodedImage::Layers(layered)
            if layered.is_flat() || options.cut.has_cut_method() || options.cut.within.is_some() =>
        {
            return cut_still(path, &flattened(path, &layered, cx)?, options, cx);
        }
        DecodedImage::Layers(layered) => {
            let sprite = sprite_of(path, options)?;
            let made = layer_frames(*layered, &sprite, &file_name(path));
            let (set, remarks) = made.map_err(|problem| read_error(path, problem))?;
            remarks.into_iter().for_each(|remark| cx.notify(Notice::Read(remark)));
            return cut_already(path, set, options, cx);
        }
        DecodedImage::Moving(animation) => animation,
    };
    if options.cut.has_cut_method() || options.cut.within.is_some() || options.cut.manifest_only.is_on() {
        return Err(Error::Sheet(SheetError::IsAnimation {
            file: path.to_owned(),
            frames: animation.moments.len(),
        }));
    }
    let sprite = sprite_of(path, options)?;
    let clip = clip.unwrap_or(&sprite);
    let made = animation_frames(animation, &sprite, clip, &file_name(path), is_truncated);
    let (set, remarks) = made.map_err(|problem| read_error(path, problem))?;
    remarks.into_iter().for_each(|remark| cx.notify(Notice::Read(remark)));
    clean_sheet(set, SheetReport::new(path, info.size, options, CutMethod::Animation), options, None, cx)
}

/// Frames of a sheet.
fn cut_still(
    path: &Path,
    pixels: &Pixels,
    options: &SliceOptions,
    cx: &Context<'_>,
) -> Result<CutFile, Error> {
    let size = pixels.size();
    let (pixels, origin) = within(path, pixels, options.cut.within)?;
    let sheet = prepare_sheet(path, &pixels, &options.cut, &options.clean, cx)?;
    let (set, how) = cut_sheet(path, &sheet, options, cx)?;
    let set = rebase_sources(set, origin)?;
    debug!(file = %path.display_slashed(), frames = set.frames().len(), "cut");
    clean_sheet(set, SheetReport::new(path, size, options, how), options, sheet.keyed.as_ref(), cx)
}

/// What the frames of a file are of.
fn sprite_of(path: &Path, options: &SliceOptions) -> Result<Name, Error> {
    match &options.cut.sprite {
        Some(sprite) => Ok(sprite.clone()),
        None => Ok(sprite_name(path)?),
    }
}

/// Frames of a part of a sheet, with their places on the whole of it.
fn rebase_sources(set: FrameSet, origin: UVec2) -> Result<FrameSet, SetError> {
    set.map_frames(|_, frame| {
        let moved = |rect: Rect| Rect { x: rect.x + origin.x, y: rect.y + origin.y, ..rect };
        let source =
            frame.source().map(|source| FrameSource { rect: source.rect.map(moved), ..source.clone() });
        Ok(frame.with_source(source))
    })
}

fn cut_sheet(
    path: &Path,
    sheet: &Sheet,
    options: &SliceOptions,
    cx: &Context<'_>,
) -> Result<(FrameSet, CutMethod), Error> {
    let (cut, sprite, file) = (&options.cut, sprite_of(path, options)?, file_name(path));
    if let Some(list) = &cut.rects {
        cx.transaction().add_sources(&[cx.resolve(list)]);
        let parts = cut_rects(sheet.analysis.pixels(), &rects(&cx.resolve(list), cx.limits())?);
        let parts = parts.map_err(|error| Error::Sheet(SheetError::Rects { list: list.clone(), error }))?;
        let frame = |(named, pixels): (NamedRect, Pixels)| {
            frame_from_rect(&sprite, named.name, pixels, &file, named.rect, None)
        };
        let set = frame_set(path, parts.into_iter().map(frame).collect())?;
        return Ok((set, CutMethod::Rects { list: list.clone() }));
    }
    if cut.islands.is_on() {
        return cut_islands(path, sheet, options, cx);
    }
    let (grid, is_found) = grid_of(path, sheet, cut, cx)?;
    let done = cut_cells(sheet.analysis.pixels(), &grid, &cut.cells(sheet.analysis.background()));
    let done = done.map_err(|error| Error::Sheet(SheetError::Cut { sheet: path.to_owned(), error }))?;
    if done.cells.is_empty() {
        return Err(Error::Sheet(SheetError::AllBlank { sheet: path.to_owned(), cells: grid.len() }));
    }
    // Drawings may touch the lines round their cells.
    let is_ruled = sheet.analysis.ruled().is_some_and(|ruled| ruled.grid == grid);
    let places = if is_ruled {
        Vec::new()
    } else {
        find_crossings(sheet.analysis.pixels(), sheet.analysis.background(), &grid)
    };
    if !places.is_empty() {
        cx.notify(Notice::CutThrough { file: path.to_owned(), places });
    }
    let cells = if options.clean.specks.is_some() {
        Vec::new()
    } else {
        done.only_specks(sheet.analysis.background())
    };
    if !cells.is_empty() {
        cx.notify(Notice::OnlySpecks { file: path.to_owned(), cells });
    }
    let dropped = done.dropped.clone();
    let set = frame_set(path, done.into_frames(&sprite, &file))?;
    Ok((set, CutMethod::Grid { grid, is_found, dropped }))
}

fn cut_islands(
    path: &Path,
    sheet: &Sheet,
    options: &SliceOptions,
    cx: &Context<'_>,
) -> Result<(FrameSet, CutMethod), Error> {
    let island = options.cut.island_options();
    if sheet.analysis.background() == Background::None {
        return Err(Error::Sheet(SheetError::NothingBetween { sheet: path.to_owned() }));
    }
    let found = find_islands(&sheet.analysis, island, cx)?;
    if found.drawings.is_empty() {
        return Err(Error::Sheet(SheetError::NoDrawing { sheet: path.to_owned(), least: island.min_area }));
    }
    let (sprite, file) = (sprite_of(path, options)?, file_name(path));
    let _copies = cx.check_memory(SizeCause::Search, found.copied())?;
    let frame = |(number, &Island { cell, rect }): (usize, &Island)| {
        let name = Name::new(number.to_string()).expect("a number is a name");
        frame_from_rect(
            &sprite,
            name,
            found.mask_out_others(sheet.analysis.pixels(), number),
            &file,
            rect,
            Some(cell),
        )
    };
    let set = frame_set(path, found.drawings.iter().enumerate().map(frame).collect())?;
    cx.charge(&set);
    note_oversized(path, sheet, &found, island, cx)?;
    let (join, is_found, least) = (found.join, island.join.is_none(), island.min_area);
    Ok((set, CutMethod::Islands { join, is_found, least, specks: found.specks, parted: found.parted }))
}

/// Notes drawings that may be several that touch, and the join distance that separates them and no others, if there is one.
fn note_oversized(
    path: &Path,
    sheet: &Sheet,
    found: &Islands,
    options: IslandOptions,
    cx: &Context<'_>,
) -> Result<(), Error> {
    let oversized = found.oversized();
    if oversized.is_empty() {
        return Ok(());
    }
    let separates = |join: u32| -> Result<bool, Error> {
        let options = IslandOptions { join: Some(join), ..options };
        let apart = find_islands(&sheet.analysis, options, cx)?;
        let is_kept = |at: usize| apart.drawings.iter().any(|one| one.rect == found.drawings[at].rect);
        let mut others = (0..found.drawings.len()).filter(|at| !oversized.contains(at));
        Ok(apart.oversized().is_empty() && others.all(is_kept))
    };
    let mut separate = None;
    for join in (0..found.join).rev() {
        if separates(join)? {
            separate = Some(join);
            break;
        }
    }
    let drawings =
        oversized.into_iter().map(|at| (found.drawings[at].cell, found.drawings[at].rect)).collect();
    cx.notify(Notice::MayTouch { file: path.to_owned(), drawings, separate });
    Ok(())
}

/// Takes the selection and mends the frames, each sheet on its own.
fn clean_sheet(
    set: FrameSet,
    mut report: SheetReport,
    options: &SliceOptions,
    keyed: Option<&(KeyColors, u64)>,
    cx: &Context<'_>,
) -> Result<CutFile, Error> {
    let set = match &options.cut.name {
        Some(template) if template.uses_folders() => with_folder(set, &folder_name(&report.file, cx))?,
        _ => set,
    };
    let has_frames = matches!(report.how, CutMethod::Animation | CutMethod::Frames);
    if has_frames && options.cut.read.is_some() {
        return Err(Error::Sheet(SheetError::NoCells { source_path: report.file }));
    }
    let set = match options.cut.count {
        Some(wanted) if has_frames => first_frames(&set, wanted, &report.file)?,
        _ => set,
    };
    let taken = |set: FrameSet| -> Result<FrameSet, Error> {
        match &options.cut.take {
            None => Ok(set),
            Some(take) => Ok(set.take(&take.resolve(&set)?, &take.left_out(&set)?)),
        }
    };
    let rows = rows_of(&set, &report.how);
    // Which cells are blank shows only when they are clean, and numbers count those that are not; all other frames are
    // known by now, and of a long film only a few may be wanted.
    let is_grid = matches!(report.how, CutMethod::Grid { .. });
    let set = if is_grid { set } else { taken(set)? };
    let of_sheet = |(colors, pixels): &(KeyColors, u64)| CleanReport {
        step: CleanStep::Key(colors.clone()),
        pixels: *pixels,
        frames: None,
    };
    report.mended.extend(keyed.map(of_sheet));
    let mut changes = lower_marks(&options.shape);
    // A sheet's background went before it was cut; pictures that were never one have theirs each.
    changes.extend(match report.how {
        CutMethod::Animation | CutMethod::Frames => lower_clean_frames(&set, &options.clean)?,
        _ => lower_clean(&options.clean, keyed.map(|(colors, _)| colors))?,
    });
    let done = Plan::new(changes).run(set, cx)?;
    report.mended.extend(done.mended);
    let mut set = done.set;
    if has_frames && options.cut.blank == Some(BlankCells::Drop) {
        let shown: Vec<usize> = (0..set.frames().len()).filter(|&at| !set.frames()[at].is_blank()).collect();
        if shown.is_empty() {
            return Err(Error::AllBlank);
        }
        set = set.take(&shown, &HashMap::new());
    }
    if let CutMethod::Grid { grid, dropped, .. } = &mut report.how {
        if !options.cut.keeps_blank() {
            let (blank, shown): (Vec<usize>, Vec<usize>) =
                (0..set.frames().len()).partition(|&at| set.frames()[at].is_blank());
            if shown.is_empty() {
                return Err(Error::Sheet(SheetError::AllBlank { sheet: report.file, cells: grid.len() }));
            }
            dropped.extend(blank.iter().filter_map(|&at| set.frames()[at].cell()));
            dropped.sort_by_key(|cell| (cell.row, cell.column));
            set = set.subset(&shown);
        }
        set = taken(set)?;
    }
    report.frames = set.frames().len();
    Ok(CutFile { set, report, rows })
}

/// The first frames of an animation or a folder.
fn first_frames(set: &FrameSet, wanted: u32, path: &Path) -> Result<FrameSet, Error> {
    let frames = set.frames().len();
    if wanted as usize > frames {
        let source_path = path.to_owned();
        return Err(Error::Sheet(SheetError::FewerFrames { source_path, frames, wanted }));
    }
    let places: Vec<usize> = (0..wanted as usize).collect();
    Ok(set.take(&places, &HashMap::new()))
}

/// The one sprite of a sheet and how many rows it has there.
fn rows_of(set: &FrameSet, how: &CutMethod) -> Option<(Name, u32)> {
    let rows = match how {
        CutMethod::Grid { grid, .. } => grid.counts().rows,
        _ => set.frames().iter().filter_map(|frame| Some(frame.cell()?.row + 1)).max()?,
    };
    Some((set.frames().first()?.sprite().clone(), rows))
}

/// Names, clips, and all of shaping.
fn finish_frames(
    set: FrameSet,
    options: &SliceOptions,
    is_loose: bool,
    is_named: bool,
    sheet_rows: HashMap<Name, u32>,
    cx: &Context<'_>,
) -> Result<PlanOutcome, Error> {
    let first = options.cut.number_from();
    let template = match &options.cut.name {
        Some(template) => Some(template.clone()),
        // A list of places brings its own names, and so do frames that were cut before.
        None if options.cut.rects.is_some() || is_named => None,
        None => {
            let longest = set.index().sprites().map(<[usize]>::len).max();
            Some(NameTemplate::for_count(longest.unwrap_or(0) + first as usize))
        }
    };
    let naming = Naming { template, first, sheet_rows, ..naming(&options.clips) };
    let defaults = Defaults { is_loose, ..Defaults::PLAIN };
    let mut changes = vec![Change::Name(naming)];
    changes.extend(lower_shape(&options.shape, defaults, cx)?);
    let done = Plan::new(changes).run(set, cx)?;
    for frame in done.set.frames() {
        debug!(
            "{}{}: canvas {} px, keeps {}, pivot {}",
            frame.name(),
            frame.cell().map(|cell| format!(" {cell}")).unwrap_or_default(),
            frame.canvas(),
            frame.kept_rect(),
            frame.pivot()
        );
    }
    Ok(done)
}

fn frame_set(path: &Path, frames: Result<Vec<Frame>, FrameError>) -> Result<FrameSet, Error> {
    let problem = |error| ReadProblem::Frame { frame: file_name(path), error };
    let frames = frames.map_err(|error| read_error(path, problem(error)))?;
    Ok(FrameSet::new(frames, Vec::new())?)
}

fn read_error(path: &Path, problem: ReadProblem) -> Error {
    Error::File(shibori_formats::FileError::Read { path: path.to_owned(), problem })
}

pub(super) fn file_name(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}
