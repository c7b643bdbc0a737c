//! Why a step can't be done, as values. They name no option and no command: what to type instead is the program's to say.

use std::path::PathBuf;

use shibori_core::clean::KeyColors;
use shibori_core::clip::{ApplyError, ClipError, EditError, RowError};
use shibori_core::cut::{CutError, Grid, RectError};
use shibori_core::pack::{CompanionError, PackError};
use shibori_core::shape::{
    AlignError, Anchor, CanvasError, MarkError, NineError, OverrideError, PolygonError, ScaleError,
};
use shibori_core::{
    Background, Color, FilterError, Name, NamingError, OverBudget, SelectError, SetError, SignedRect, Size,
};
use shibori_formats::DisplaySlashed;
use shibori_formats::export::{ExportError, TemplateError};

use crate::build::BuildError;
use crate::options::OptionConflict;
use crate::recipe::{Location, RecipeError};

/// What makes pictures larger.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum SizeCause {
    /// Scaling.
    Scale,
    /// A canvas that was asked for.
    Canvas,
    /// Drawings that are moved over the edge of their canvas.
    Shift,
    /// One canvas for frames that never shared one, held together by their pivots.
    Gather,
    /// The zoom of a picture to look at.
    Zoom,
    /// The cells of a guide sheet.
    Cells,
    /// Frames that keep their whole canvas.
    Restore,
    /// Frames that are changed, each in a picture of its own.
    Change,
    /// Looking for frames on a sheet.
    Search,
    /// A picture to look at, at whatever zoom.
    Picture,
    /// The pictures of a film.
    Animation,
    /// The pages of an atlas.
    Pages,
    /// The frames of an atlas in another size.
    PageScales,
}

/// Why a step can't be done.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// A recipe that is wrong.
    #[error(transparent)]
    Recipe(#[from] Box<RecipeError>),
    /// An error of a step, with the place in the recipe that caused it.
    #[error("{}:{mark}: {error}", mark.file.display_slashed())]
    InRecipe {
        /// The place.
        mark: Box<Location>,
        /// Why.
        #[source]
        error: Box<Error>,
    },
    /// Targets of a recipe that failed.
    #[error(transparent)]
    Build(#[from] Box<BuildError>),
    /// A file that can't be read or written.
    #[error(transparent)]
    File(#[from] shibori_formats::FileError),
    /// A bug in the program, hit by one of several jobs.
    #[error("stopped by a bug in shibori: {what}")]
    Bug {
        /// What went wrong.
        what: String,
    },
    /// Options that make no sense together.
    #[error(transparent)]
    Options(#[from] OptionConflict),
    /// Several sources have a sprite of this name, with frames or clips of the same names.
    #[error("{} have a sprite '{sprite}', with frames or clips of the same names", shared_sources(sources))]
    SharedSprite {
        /// The sprite.
        sprite: Name,
        /// The sources, as they were named.
        sources: Vec<PathBuf>,
    },
    /// A selection that does not fit.
    #[error(transparent)]
    Select(#[from] SelectError),
    /// A part that is not there.
    #[error(transparent)]
    Only(#[from] FilterError),
    /// Frames and clips that do not make a set.
    #[error(transparent)]
    Set(#[from] SetError),
    /// Names that can't be given.
    #[error(transparent)]
    Naming(#[from] NamingError),
    /// A clip that can't be added.
    #[error(transparent)]
    Apply(#[from] ApplyError),
    /// Rows that can't be named.
    #[error(transparent)]
    Rows(#[from] RowError),
    /// A clip that can't be changed.
    #[error(transparent)]
    Edit(#[from] EditError),
    /// Times that can't be.
    #[error(transparent)]
    Clip(#[from] ClipError),
    /// A registration mark that is of no use.
    #[error(transparent)]
    Mark(#[from] MarkError),
    /// Frames that can't be scaled.
    #[error(transparent)]
    Scale(#[from] ScaleError),
    /// Frames that can't be lined up.
    #[error(transparent)]
    Align(#[from] AlignError),
    /// A region that begins outside the canvas.
    #[error("{region} starts outside the canvas")]
    RegionOutside {
        /// The region.
        region: SignedRect,
    },
    /// Frames that do not go on a canvas.
    #[error(transparent)]
    Canvas(#[from] CanvasError),
    /// A nine-slice that can't be.
    #[error(transparent)]
    Nine(#[from] NineError),
    /// A polygon that can't be.
    #[error(transparent)]
    Polygon(#[from] PolygonError),
    /// A list of places, frame by frame, that does not fit.
    #[error(transparent)]
    Places(#[from] OverrideError),
    /// Frames that can't be packed.
    #[error(transparent)]
    Pack(#[from] PackError),
    /// Companions that can't be laid out.
    #[error(transparent)]
    Companion(#[from] CompanionError),
    /// Only a set can be changed in place.
    #[error("{}: only a set can be changed in place", source_path.display_slashed())]
    NotASet {
        /// What was named.
        source_path: PathBuf,
    },
    /// Something without a manifest, which clips are kept in.
    #[error("{}: not a set or an atlas, so it can't store clips", source_path.display_slashed())]
    NoClips {
        /// What was named.
        source_path: PathBuf,
    },
    /// An export that can't be made.
    #[error(transparent)]
    Export(#[from] ExportError),
    /// Nothing to show.
    #[error("there are no frames to show")]
    NoFrames,
    /// Nothing would be left.
    #[error("all of these frames are blank")]
    AllBlank,
    /// A page for browsers under a name that no browser opens.
    #[error("the file name must end in .html, not '.{ending}'")]
    NotHtml {
        /// The file.
        file: PathBuf,
        /// Its ending.
        ending: String,
    },
    /// A sheet that can't be cut, or a background that can't be removed.
    #[error(transparent)]
    Sheet(#[from] SheetError),
    /// An image larger than is allowed, or more memory than there is.
    #[error(transparent)]
    Limit(#[from] LimitError),
    /// Clips that can't be changed alone.
    #[error(transparent)]
    Clips(#[from] ClipsError),
    /// Something that can't be exported.
    #[error(transparent)]
    ExportInput(#[from] ExportInputError),
    /// A guide sheet that can't be drawn.
    #[error(transparent)]
    Guide(#[from] GuideError),
}

/// Why a sheet can't be cut, or its background not be removed.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SheetError {
    /// A sheet that can't be cut so.
    #[error("{}: {error}", sheet.display_slashed())]
    Cut {
        /// The sheet, as it was named.
        sheet: PathBuf,
        /// Why.
        #[source]
        error: CutError,
    },
    /// A list of places that does not fit its sheet.
    #[error("{}: {error}", list.display_slashed())]
    Rects {
        /// The list, as it was named.
        list: PathBuf,
        /// Why.
        #[source]
        error: RectError,
    },
    /// Every cell of a sheet is blank.
    #[error("{}: {}", sheet.display_slashed(), all_blank(*cells))]
    AllBlank {
        /// The sheet, as it was named.
        sheet: PathBuf,
        /// How many cells there are.
        cells: u64,
    },
    /// A sheet without a drawing.
    #[error("{}: the sheet is blank (transparent or a single color), so there is nothing to find a grid by", sheet.display_slashed())]
    BlankSheet {
        /// The sheet, as it was named.
        sheet: PathBuf,
    },
    /// No grid explains a sheet, or several do.
    #[error("{}: {}", sheet.display_slashed(), unsure(grids))]
    UnsureGrid {
        /// The sheet, as it was named.
        sheet: PathBuf,
        /// The likely grids, the best first.
        grids: Vec<Grid>,
        /// The pixels of the sheet, or of the part that was looked at.
        size: Size,
        /// What is behind the drawings; if that is known, they can be sliced one by one instead.
        background: Background,
        /// The part of the sheet that was looked at, if not all of it.
        within: Option<SignedRect>,
    },
    /// A part of a sheet that is not on it.
    #[error("{}: {area} is outside the sheet of {size} px", sheet.display_slashed())]
    Within {
        /// The sheet, as it was named.
        sheet: PathBuf,
        /// The part.
        area: SignedRect,
        /// The sheet's size.
        size: Size,
    },
    /// Frames that were cut before, and are to be cut once more.
    #[error("{}: already sliced into frames", source_path.display_slashed())]
    CutAlready {
        /// The source, as it was named.
        source_path: PathBuf,
    },
    /// Images that can't stay as they are, since a frame is not a file each.
    #[error("{}: not every frame is a separate image in that folder", folder.display_slashed())]
    NotOneFileEach {
        /// The folder, as it was named.
        folder: PathBuf,
    },
    /// One sprite's name for several sheets.
    #[error("{sheets} sheets can't all be the sprite '{sprite}'")]
    OneSprite {
        /// The sprite.
        sprite: Name,
        /// How many sheets there are.
        sheets: usize,
    },
    /// One sprite name for a source of several sprites.
    #[error("{sprites} sprites can't all be called '{sprite}'")]
    SpritesThere {
        /// The name.
        sprite: Name,
        /// How many sprites there are.
        sprites: usize,
    },
    /// Nothing separates the drawings.
    #[error("{}: nothing separates the drawings", sheet.display_slashed())]
    NothingBetween {
        /// The sheet, as it was named.
        sheet: PathBuf,
    },
    /// No separate drawing is large enough.
    #[error("{}: no drawing of {least} pixels or more was found", sheet.display_slashed())]
    NoDrawing {
        /// The sheet, as it was named.
        sheet: PathBuf,
        /// The least number of pixels.
        least: u32,
    },
    /// An animation where a sheet is needed.
    #[error("{}: is an animation of {frames} frames, not a sheet", file.display_slashed())]
    IsAnimation {
        /// The file, as it was named.
        file: PathBuf,
        /// How many frames it has.
        frames: usize,
    },
    /// More frames are wanted than an animation or a folder has.
    #[error("{}: has only {frames} frame{}, not {wanted}", source_path.display_slashed(), if *frames == 1 { "" } else { "s" })]
    FewerFrames {
        /// The source, as it was named.
        source_path: PathBuf,
        /// How many frames it has.
        frames: usize,
        /// How many are wanted.
        wanted: u32,
    },
    /// Cells are read in an order where there are none.
    #[error("{}: has frames already, so there are no cells to read in another order", source_path.display_slashed())]
    NoCells {
        /// The source, as it was named.
        source_path: PathBuf,
    },
    /// A page that is an animation.
    #[error("{}: this is an animation, not a page", file.display_slashed())]
    PageMoves {
        /// The page.
        file: PathBuf,
    },
    /// No flat background was found.
    #[error("{}: no flat background was found along its border", sheet.display_slashed())]
    NoBackground {
        /// The sheet, as it was named.
        sheet: PathBuf,
    },
    /// No frame stands on a flat background.
    #[error("no frame has a flat background")]
    NoFlatFrame,
    /// The key color is nowhere.
    #[error("{}found no pixels of {colors} to remove", named(sheet.as_ref()))]
    KeyNowhere {
        /// The sheet, as it was named; none where frames were cut already.
        sheet: Option<PathBuf>,
        /// The color, or several.
        colors: KeyColors,
        /// Pixels of it that are enclosed by others, and so not part of a background.
        enclosed: u64,
        /// The background that is there instead.
        background: Option<Color>,
    },
    /// Edges were to be cleaned of a color, and nothing says which.
    #[error("edges can't be cleaned without a background color to remove")]
    NoKey,
}

/// What is larger than is allowed.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum LimitError {
    /// A picture that would be made larger than is allowed.
    #[error("'{frame}' would become {size} px, {} pixels; the limit is {limit}", .size.area())]
    TooLarge {
        /// What makes it so large.
        by: SizeCause,
        /// The first frame that would be too large.
        frame: Name,
        /// Its size then.
        size: Size,
        /// The most pixels a picture may have.
        limit: u64,
    },
    /// A picture to look at or to draw on that would be larger than is allowed.
    #[error("the image would have {pixels} pixels; the limit is {limit}")]
    PictureTooLarge {
        /// What makes it so large.
        by: SizeCause,
        /// How many pixels it would have at least.
        pixels: u64,
        /// The most pixels a picture may have.
        limit: u64,
    },
    /// Pictures that would take more memory than is left.
    #[error("{over}")]
    Memory {
        /// What makes them so large.
        by: SizeCause,
        /// How much is needed, and how much there is.
        #[source]
        over: OverBudget,
    },
}

/// Why clips can't be changed alone.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ClipsError {
    /// Frames that were to be changed show in clips that were not meant.
    #[error("{} some of those frames too", shows(clips))]
    SharedFrames {
        /// The clips beyond.
        clips: Vec<String>,
        /// The clips that were meant.
        own: Vec<String>,
    },
    /// A clip with options of its own that is not there.
    #[error("options are given for clip '{clip}', but there is no such clip")]
    NoSuchClip {
        /// Its name.
        clip: String,
        /// Those there are.
        known: Vec<String>,
    },
    /// A clip whose own options change which cells are blank.
    #[error("clip '{clip}': its options change which cells are blank")]
    OtherCut {
        /// The clip.
        clip: String,
    },
}

/// Why something can't be exported.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ExportInputError {
    /// Something without a manifest, which is what is exported.
    #[error("{}: not an atlas or a set", path.display_slashed())]
    NoManifest {
        /// What was named.
        path: PathBuf,
    },
    /// Nothing says what to export to.
    #[error("no export format given")]
    NoFormat,
    /// No file, and no template that comes with shibori.
    #[error("{}: no such file or bundled template", template.display_slashed())]
    NoTemplate {
        /// What was asked for.
        template: PathBuf,
    },
    /// A template that isn't text.
    #[error("{}: a template must be UTF-8 text", template.display_slashed())]
    TemplateNotText {
        /// The template, as it was named.
        template: PathBuf,
    },
    /// A mistake in a template.
    #[error("{}: line {}, column {}: {}", template.display_slashed(), error.line, error.column, error.problem)]
    Template {
        /// The template, as it was named.
        template: PathBuf,
        /// The mistake.
        #[source]
        error: TemplateError,
    },
}

/// Why a guide sheet can't be drawn.
#[derive(Clone, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum GuideError {
    /// More names than rows.
    #[error("{names} row names given, but the sheet has {rows} row{}", if *rows == 1 { "" } else { "s" })]
    RowNames {
        /// How many names.
        names: usize,
        /// How many rows.
        rows: u32,
    },
    /// A pivot that is measured on a drawing, for a sheet without one.
    #[error("the pivot {anchor} needs a drawing to measure, but this sheet is blank")]
    Unmeasurable {
        /// The pivot.
        anchor: Anchor,
    },
}

impl From<RecipeError> for Error {
    fn from(error: RecipeError) -> Self {
        Self::Recipe(Box::new(error))
    }
}

impl Error {
    /// Whether there would have been room for it, were nothing else done at the same time.
    pub(crate) fn is_memory(&self) -> bool {
        use shibori_formats::{FileError, ReadProblem, WriteProblem};
        matches!(
            self,
            Self::Limit(LimitError::Memory { .. })
                | Self::File(
                    FileError::Read { problem: ReadProblem::Memory(_), .. }
                        | FileError::Write { problem: WriteProblem::Memory(_), .. }
                )
        )
    }
}

fn all_blank(cells: u64) -> String {
    match cells {
        1 => "its only cell is blank".to_owned(),
        cells => format!("all {cells} cells are blank"),
    }
}

fn unsure(grids: &[Grid]) -> String {
    let describe = |grid: &Grid| format!("{} of {} px", grid.counts(), grid.cell_size());
    match grids {
        [] => "no grid was found; it may be a single image or loose drawings".to_owned(),
        grids => {
            let texts: Vec<String> = grids.iter().map(describe).collect();
            format!("the grid is uncertain: {}", texts.join(", or "))
        }
    }
}

fn named(sheet: Option<&PathBuf>) -> String {
    sheet.map(|sheet| format!("{}: ", sheet.display_slashed())).unwrap_or_default()
}

fn shows(clips: &[String]) -> String {
    match clips {
        [one] => format!("clip '{one}' shows"),
        several => format!("clips '{}' show", several.join("', '")),
    }
}

/// Sources, as they were named: `a/frog and b/frog`.
fn shared_sources(sources: &[PathBuf]) -> String {
    let names: Vec<String> = sources.iter().map(|path| path.display_slashed().to_string()).collect();
    match &names[..] {
        [first, second] => format!("{first} and {second} both"),
        [first, .., last] => format!("{first} to {last} ({} sources) all", names.len()),
        _ => names.join(""),
    }
}
