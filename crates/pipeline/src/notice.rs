//! What there is to tell on the way, as values; the words are the program's. A notice never changes what is done.

use std::path::PathBuf;

use shibori_core::CompanionSpec;
use shibori_core::clean::KeyColors;
use shibori_core::clip::EmptyRow;
use shibori_core::cut::{Crossing, Grid};
use shibori_core::pack::{PageScale, ReuseOutcome};
use shibori_core::shape::Coregistration;
use shibori_core::{Cell, Color, Name, Point, Ratio, Rect, Size, UVec2};
use shibori_formats::WouldLoseData;
use shibori_formats::decode::ReadNotice;

use crate::CommandLine;

/// Something that isn't an error, but not as it may seem.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
#[derive(serde::Serialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "snake_case")]
pub enum Notice {
    /// What a person changed in a set or an atlas is kept.
    KeptByHand {
        /// The manifest.
        file: PathBuf,
        /// What is kept.
        work: WouldLoseData,
    },
    /// What was noticed while reading.
    Read(ReadNotice),
    /// Companions have no place in a painting.
    NoCompanions {
        /// The painting.
        file: PathBuf,
    },
    /// The changes in a per-frame file are already applied.
    AlreadyApplied {
        /// The file, as it was named.
        file: PathBuf,
    },
    /// An image that was read as one frame looks like a sheet.
    UncutSheet {
        /// The image, as it was named.
        file: PathBuf,
        /// Its size.
        size: Size,
        /// The cells it seems to have.
        grid: Grid,
        /// What cuts it.
        command: Box<CommandLine>,
    },
    /// Frames without clips are played all, in order.
    NoClips {
        /// The source, as it was named.
        source: PathBuf,
        /// How many frames each second.
        rate: u32,
        /// What gives them a clip, if the source can keep one.
        command: Option<Box<CommandLine>>,
    },
    /// Numbered images were taken for frames, not for sheets.
    NumberedFrames {
        /// The first, as it was named.
        file: PathBuf,
        /// How many.
        count: usize,
    },
    /// Clips that an order of rows leaves out; their frames follow in rows of their own.
    RowsLeftOut {
        /// Their names.
        clips: Vec<String>,
    },
    /// Frames in no clip, which follow in rows of their own.
    Unclipped {
        /// How many.
        frames: usize,
        /// The first of them.
        first: Name,
    },
    /// Atlases of other scales that an earlier run wrote and this one didn't.
    StaleScales {
        /// Their manifests.
        manifests: Vec<PathBuf>,
    },
    /// Files that are called alike in different folders; their sprites are called after both.
    Namesakes {
        /// How the files are called.
        file: String,
        /// Their sprites.
        sprites: Vec<Name>,
    },
    /// A sheet stands on a flat color, and nothing was said about it.
    FlatBackground {
        /// The sheet, as it was named.
        file: PathBuf,
        /// Its background.
        color: Color,
    },
    /// A sheet whose background was to be found is transparent already.
    AlreadyClear {
        /// The sheet, as it was named.
        file: PathBuf,
    },
    /// The color that was taken out is left inside drawings.
    KeyLeft {
        /// The sheet, as it was named.
        file: PathBuf,
        /// The color, or several.
        colors: KeyColors,
        /// How many pixels of it are left.
        pixels: u64,
    },
    /// Cells leave pixels of a sheet over; nothing is drawn there.
    Rest {
        /// The sheet, as it was named.
        file: PathBuf,
        /// Pixels at the right and at the bottom.
        rest: UVec2,
    },
    /// A grid cuts through drawings.
    CutThrough {
        /// The sheet, as it was named.
        file: PathBuf,
        /// Where.
        places: Vec<Crossing>,
    },
    /// Cells that hold a few pixels only, where others hold drawings.
    OnlySpecks {
        /// The sheet, as it was named.
        file: PathBuf,
        /// The cells, and how many pixels each holds.
        cells: Vec<(Cell, u64)>,
    },
    /// Edges of drawings are mixed with the background that was taken out.
    MixedEdges {
        /// The sheet, as it was named.
        file: PathBuf,
        /// The share of edge pixels, 0 to 1.
        share: f64,
    },
    /// Scaling by this factor draws some pixels larger than others.
    UnevenScale {
        /// The factor.
        factor: Ratio,
    },
    /// A row that was named, and of which no frame is left.
    EmptyRow(EmptyRow),
    /// Each sprite was scaled by the factor at which all of its frames fit.
    FittedScale {
        /// The sprite.
        sprite: Name,
        /// Its factor.
        factor: Ratio,
    },
    /// A frame in which the region to match was not found; it stays where it is.
    NoMatch {
        /// The sprite.
        sprite: Name,
        /// The frame.
        frame: Name,
        /// How well the best place matched, up to 1.
        likeness: f64,
    },
    /// How drawings that were cut out by their outlines were put on their common canvas.
    Coregistration(Coregistration),
    /// Frames of a sprite that have little in common with the others of their clip, so that where the figure stands is a guess.
    PoorMatch {
        /// The sprite.
        sprite: Name,
        /// How many.
        frames: usize,
        /// The first of them.
        first: Name,
        /// The share of it that agrees with the others.
        likeness: f64,
    },
    /// Pivots that lie outside their canvas.
    PivotsOutside {
        /// How many frames have one.
        frames: usize,
        /// The first of them.
        first: Name,
        /// Its pivot.
        pivot: Point,
        /// Its canvas.
        canvas: Size,
    },
    /// Canvases that grow to a multiple, so that pages in other sizes fall on whole pixels.
    CanvasesGrow {
        /// How many frames.
        frames: usize,
        /// The multiple, in pixels.
        step: u32,
    },
    /// Canvases that grew because drawings moved past their edges.
    MovedOver {
        /// How many frames.
        frames: usize,
        /// The canvas of the first before.
        from: Size,
        /// Its canvas now.
        to: Size,
    },
    /// Frames that have no companion; they are filled.
    CompanionsMissing {
        /// Which companions, and what fills their place.
        spec: CompanionSpec,
        /// How many frames have none.
        frames: usize,
        /// The first of them.
        first: Name,
    },
    /// Frames that are blank or almost so at a smaller scale: thin lines fall between its pixels.
    VanishedAtScale {
        /// The scale.
        scale: PageScale,
        /// The frames.
        frames: Vec<Name>,
        /// Of how many.
        of: usize,
        /// Whether smooth resampling keeps all of them.
        smooth_helps: bool,
    },
    /// Pages of a manifest are not there, and were not needed.
    PagesMissing {
        /// The manifest.
        manifest: PathBuf,
    },
    /// What became of places that were to be kept, where that is not what was hoped for.
    PlacesKept {
        /// What.
        outcome: ReuseOutcome,
        /// The largest waste that was allowed, if any was named.
        most_waste: Option<f64>,
    },
    /// Pictures of a film were left out, since browsers would show them too long.
    TooFast {
        /// How many.
        dropped: usize,
        /// Of how many.
        of: usize,
    },
    /// A format without half transparency: pixels were made clear or solid.
    Hardened {
        /// How many.
        pixels: u64,
    },
    /// A format of few colors: colors were reduced.
    Reduced {
        /// How many there were.
        colors: usize,
    },
    /// Drawings of a loose sheet that may be several that touch.
    MayTouch {
        /// The sheet, as it was named.
        file: PathBuf,
        /// Their rows and columns, and their boxes on the sheet.
        drawings: Vec<(Cell, Rect)>,
        /// The join distance that separates them and leaves all other drawings as they are, if there is one.
        separate: Option<u32>,
    },
    /// Drawings that a line of the cut crosses, or that are in no cell.
    Crossed {
        /// How many places lines cut through.
        places: usize,
        /// How many pixels of drawings are crossed or in no cell.
        pixels: usize,
    },
}
