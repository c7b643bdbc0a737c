//! Options of the pictures that prove it.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};
use shibori_core::draw::{Backdrop, Show};

use crate::args::{CleanArgs, CutArgs, OnlyArgs};

/// How large pictures are drawn.
#[derive(Args, Debug)]
pub(crate) struct ZoomArg {
    /// How large a pixel is drawn [default: as large as fits]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=64))]
    pub(crate) zoom: Option<u32>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Preview {
    /// Every frame at once, by clip, with numbers, cells and times: a PNG
    Contact(Contact),
    /// The cut drawn over the sheet before cutting: lines, blank cells, crossed pixels: a PNG
    Grid(Box<GridPreview>),
    /// A clip as the game will show it, or all clips side by side: a GIF or an APNG, by the file's ending
    Motion(Motion),
    /// The pages of an atlas with each frame's border and name, free space hatched: a PNG
    Pages(Pages),
    /// One page that plays every clip, with frames, pages, times and findings: an HTML file that needs no network
    Html(Html),
    /// The frames of each clip over each other, pivots on one point, time told by color: a PNG
    Onion(Onion),
    /// Where feet and center stand from step to step, across and down: a PNG
    Drift(Drift),
}

/// Where a picture goes.
#[derive(Args, Debug)]
pub(crate) struct PictureOut {
    /// The picture to write; ends in .png (a moving one in .gif, .apng or .png)
    #[arg(short, long, value_name = "FILE", required_unless_present = "here")]
    pub(crate) output: Option<PathBuf>,
    /// Show it in this terminal; a moving one plays until a key is pressed
    #[arg(long)]
    pub(crate) here: bool,
}

#[derive(Args, Debug)]
pub(crate) struct Pages {
    /// An atlas, a set, an image, an animation or a folder of images; what has no pages is packed for the picture
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    #[command(flatten)]
    pub(crate) out: PictureOut,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
    #[command(flatten)]
    pub(crate) zoom: ZoomArg,
}

#[derive(Args, Debug)]
pub(crate) struct Contact {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    #[command(flatten)]
    pub(crate) out: PictureOut,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
    #[command(flatten)]
    pub(crate) zoom: ZoomArg,
    /// The widest the picture may be, in pixels
    #[arg(long, value_name = "PX", default_value_t = 1280, value_parser = clap::value_parser!(u32).range(64..=16384))]
    pub(crate) width: u32,
    /// Draw these over the frames: canvas, trim, pivot, boxes, polygon, or all
    #[arg(long, value_name = "WHAT", value_delimiter = ',')]
    pub(crate) show: Vec<ShowArg>,
}

#[derive(Args, Debug)]
pub(crate) struct Html {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    /// The page to write; ends in .html
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
}

#[derive(Args, Debug)]
pub(crate) struct Onion {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    #[command(flatten)]
    pub(crate) out: PictureOut,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
    #[command(flatten)]
    pub(crate) zoom: ZoomArg,
    /// The widest the picture may be, in pixels
    #[arg(long, value_name = "PX", default_value_t = 1280, value_parser = clap::value_parser!(u32).range(64..=16384))]
    pub(crate) width: u32,
}

#[derive(Args, Debug)]
pub(crate) struct Drift {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    /// The same after it was lined up, drawn over it
    #[arg(value_name = "AFTER")]
    pub(crate) after: Option<PathBuf>,
    /// The picture to write; ends in .png
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
}

/// What is drawn over frames.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum ShowArg {
    /// The border of the canvas
    Canvas,
    /// The box round the kept pixels
    Trim,
    /// A cross on the pivot
    Pivot,
    /// Named boxes
    Boxes,
    /// The polygon
    Polygon,
    /// All of it
    All,
}

#[derive(Args, Debug)]
pub(crate) struct GridPreview {
    /// The sheet
    #[arg(value_name = "IMAGE")]
    pub(crate) image: PathBuf,
    #[command(flatten)]
    pub(crate) out: PictureOut,
    #[command(flatten)]
    pub(crate) zoom: ZoomArg,
    #[command(flatten)]
    pub(crate) cut: CutArgs,
    #[command(flatten)]
    pub(crate) clean: CleanArgs,
}

#[derive(Args, Debug)]
pub(crate) struct Motion {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    #[command(flatten)]
    pub(crate) out: PictureOut,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
    /// How large a pixel is drawn, with hard edges
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=64))]
    pub(crate) zoom: u32,
    /// What lies behind: none, checker, or a color such as 203040
    #[arg(long, value_name = "BACKDROP", default_value = "none")]
    pub(crate) background: Backdrop,
    /// Draw these over the frames: canvas, trim, pivot, boxes, polygon, or all
    #[arg(long, value_name = "WHAT", value_delimiter = ',')]
    pub(crate) show: Vec<ShowArg>,
}

/// The list as what core draws.
pub(crate) fn show(list: &[ShowArg]) -> Show {
    let has = |what: ShowArg| list.contains(&what) || list.contains(&ShowArg::All);
    Show {
        canvas: has(ShowArg::Canvas),
        trim: has(ShowArg::Trim),
        pivot: has(ShowArg::Pivot),
        boxes: has(ShowArg::Boxes),
        polygon: has(ShowArg::Polygon),
    }
}
