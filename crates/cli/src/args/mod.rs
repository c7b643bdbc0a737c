//! What can be typed. One file a group of options; a group is a plain struct that clap fills from the
//! command line and serde from a recipe, with the same names and the same value strings.

mod clean;
mod clips;
mod cut;
mod everywhere;
mod export;
mod pack;
mod pages;
mod preview;
mod shape;
mod value;

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};
use shibori_core::check::Rule;
use shibori_core::clip::{ClipSpec, EventSpec, Factor, Rate, Renaming, RowList};
use shibori_core::cut::Counts;
use shibori_core::shape::Anchor;
use shibori_core::{Only, Pair, Size};

pub(crate) use clean::{CleanArgs, KeyArg};
pub(crate) use clips::ClipArgs;
pub(crate) use cut::CutArgs;
pub(crate) use everywhere::{Everywhere, When};
pub(crate) use export::{Export, ExportTo};
pub(crate) use pack::PackArgs;
pub(crate) use pages::PageArgs;
pub(crate) use preview::{
    Contact, Drift, GridPreview, Html, Motion, Onion, Pages, PictureOut, Preview, show,
};
pub(crate) use shape::{AlignWithArg, MirrorArg, ResampleArg, ShapeArgs};

/// Cut sprite sheets, strips and animations into frames, line them up, time them, pack them.
#[derive(Debug, Parser)]
#[command(name = "shibori", version, max_term_width = 100, arg_required_else_help = true)]
#[command(after_help = "Start with: shibori demo    or: shibori inspect SHEET.png")]
pub(crate) struct Cli {
    #[command(subcommand)]
    pub(crate) command: Command,
    #[command(flatten)]
    pub(crate) everywhere: Everywhere,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// What images hold: size, colors, transparency, delays, cell sizes that fit
    Inspect(Inspect),
    /// Cut sheets, strips and animations into frames
    Slice(Box<Slice>),
    /// Clean, mirror, scale, align, trim, and set pivots and boxes of frames already cut
    Adjust(Box<Adjust>),
    /// List, add, change and remove clips
    Clip(ClipEdit),
    /// Arrange frames on pages: an atlas
    Pack(Box<Pack>),
    /// Frames back out of an atlas, one file each
    Unpack(Unpack),
    /// Metadata in other forms: tables, styles, scenes, your own templates
    Export(Export),
    /// Pictures that prove it: all frames at once, or a clip in motion
    #[command(subcommand)]
    Preview(Preview),
    /// What will look wrong in the game, with the frame, the place and what mends it
    Check(Check),
    /// An empty sheet to draw on: lines, labels, pivot marks
    GuideSheet(GuideSheet),
    /// Write the demo art and run the whole road on it
    Demo(Demo),
    /// Print a JSON Schema
    Schema(Schema),
}

/// Narrows any command.
#[derive(Args, Debug)]
pub(crate) struct OnlyArgs {
    /// Only this sprite, clip or selection of frames, such as koi, koi:swim or 0-3,7
    #[arg(long, value_name = "SPRITE|CLIP|SELECTION")]
    pub(crate) only: Option<Only>,
}

#[derive(Args, Debug)]
pub(crate) struct Inspect {
    /// Images or animations; - is standard input
    #[arg(required = true, value_name = "IMAGE")]
    pub(crate) images: Vec<PathBuf>,
}

#[derive(Args, Debug)]
pub(crate) struct Slice {
    /// Sheets, strips or animations, each a sprite named after its file; - is standard input
    #[arg(required = true, value_name = "IMAGE")]
    pub(crate) images: Vec<PathBuf>,
    /// The folder to write: one PNG a frame, and frames.json [default: IMAGE-frames]
    #[arg(short, long, value_name = "SET")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) cut: CutArgs,
    #[command(flatten)]
    pub(crate) clean: CleanArgs,
    #[command(flatten)]
    pub(crate) shape: ShapeArgs,
    #[command(flatten)]
    pub(crate) clips: ClipArgs,
}

#[derive(Args, Debug)]
pub(crate) struct Adjust {
    /// A set, an atlas, an image, an animation or a folder of images
    #[arg(value_name = "SOURCE")]
    pub(crate) source: PathBuf,
    /// The folder to write: one PNG a frame, and frames.json
    #[arg(
        short,
        long,
        value_name = "SET",
        required_unless_present = "in_place",
        conflicts_with = "in_place"
    )]
    pub(crate) output: Option<PathBuf>,
    /// Change the set itself, also images that were painted over since
    #[arg(long)]
    pub(crate) in_place: bool,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
    #[command(flatten)]
    pub(crate) clean: CleanArgs,
    #[command(flatten)]
    pub(crate) shape: ShapeArgs,
}

#[derive(Args, Debug)]
pub(crate) struct ClipEdit {
    /// A set or an atlas; only its manifest is changed
    #[arg(value_name = "MANIFEST")]
    pub(crate) manifest: PathBuf,
    /// Clips to add or replace: "NAME = FRAMES [@TIME] [PLAY]", such as "walk = 0-5 @12fps"
    #[arg(value_name = "NAME=SPEC")]
    pub(crate) specs: Vec<ClipSpec>,
    /// Names of the sheet's rows in order, each a clip, as for slice
    #[arg(long, value_name = "NAMES")]
    pub(crate) clip_rows: Option<RowList>,
    /// Mark a step: CLIP@STEP=NAME; without a name the mark goes
    #[arg(long, value_name = "EVENT")]
    pub(crate) event: Vec<EventSpec>,
    /// Take this clip away; its frames stay
    #[arg(long, value_name = "CLIP")]
    pub(crate) drop: Vec<String>,
    /// Give a clip another name
    #[arg(long, value_name = "OLD=NEW")]
    pub(crate) rename: Vec<Renaming>,
    /// Play so many times as fast; 0.5 is half the speed
    #[arg(long, value_name = "F")]
    pub(crate) speed: Option<Factor>,
    /// Put times on another frame clock, such as 24fps, and say how far off they are
    #[arg(long, value_name = "RATE")]
    pub(crate) fit: Option<Rate>,
    /// Only this clip or sprite, for --speed and --fit and the list
    #[arg(long, value_name = "SPRITE|CLIP")]
    pub(crate) only: Option<Only>,
}

#[derive(Args, Debug)]
pub(crate) struct Check {
    /// Sets, atlases, images, animations or folders of images
    #[arg(required = true, value_name = "SOURCE")]
    pub(crate) sources: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
    /// Rules that may be broken, such as drift,touches-edge
    #[arg(long, value_name = "RULE", value_delimiter = ',')]
    pub(crate) allow: Vec<Rule>,
    /// How far a figure may move within a clip, in pixels
    #[arg(long, value_name = "PX", default_value_t = 3.0)]
    pub(crate) drift_limit: f64,
    /// How much larger or smaller a frame may be than its clip, in percent
    #[arg(long, value_name = "PERCENT", default_value_t = 20.0)]
    pub(crate) size_limit: f64,
    /// The largest stray group, in pixels
    #[arg(long, value_name = "PX", default_value_t = 4)]
    pub(crate) speck_limit: u32,
}

#[derive(Args, Debug)]
pub(crate) struct Pack {
    /// Sets, atlases, images, animations or folders of images
    #[arg(required = true, value_name = "SOURCE")]
    pub(crate) sources: Vec<PathBuf>,
    /// The atlas, without ending: build/pond becomes build/pond.json and build/pond.png
    #[arg(short, long, value_name = "ATLAS")]
    pub(crate) output: PathBuf,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
    #[command(flatten)]
    pub(crate) pack: PackArgs,
    #[command(flatten)]
    pub(crate) page: PageArgs,
    #[command(flatten)]
    pub(crate) shape: ShapeArgs,
    #[command(flatten)]
    pub(crate) clips: ClipArgs,
}

#[derive(Args, Debug)]
pub(crate) struct Unpack {
    /// The atlas's manifest
    #[arg(value_name = "MANIFEST")]
    pub(crate) manifest: PathBuf,
    /// The folder to write: one PNG a frame, and frames.json
    #[arg(short, long, value_name = "SET")]
    pub(crate) output: PathBuf,
    /// Keep frames trimmed as they lie on the page, instead of restoring their canvas
    #[arg(long)]
    pub(crate) trimmed: bool,
    #[command(flatten)]
    pub(crate) only: OnlyArgs,
}

#[derive(Args, Debug)]
pub(crate) struct GuideSheet {
    /// Columns x rows, such as 8x4
    #[arg(long, value_name = "CxR")]
    pub(crate) grid: Counts,
    /// Width x height of one cell in pixels, such as 32x48
    #[arg(long, value_name = "WxH")]
    pub(crate) cell: Size,
    /// Empty pixels before the first cell and after the last: across, down
    #[arg(long, value_name = "X,Y", default_value = "0,0")]
    pub(crate) offset: Pair,
    /// Empty pixels between cells: across, down
    #[arg(long, value_name = "X,Y", default_value = "0,0")]
    pub(crate) gutter: Pair,
    /// Where each cell's pivot goes: center, bottom, top-left, ..., or fractions of the cell such as 0.5,0.9
    #[arg(long, value_name = "POINT", default_value = "bottom")]
    pub(crate) pivot: Anchor,
    /// Names of the rows from the top, such as idle,walk,leap
    #[arg(long, value_name = "A,B,C", value_delimiter = ',')]
    pub(crate) rows: Vec<String>,
    /// The sheet to write; ends in .png, .svg or .ora
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
}

#[derive(Args, Debug)]
pub(crate) struct Demo {
    /// The folder to write
    #[arg(value_name = "DIR", default_value = "shibori-demo")]
    pub(crate) folder: PathBuf,
}

#[derive(Args, Debug)]
pub(crate) struct Schema {
    /// Of what
    pub(crate) of: SchemaOf,
}

#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum SchemaOf {
    /// The manifest, format shibori/1
    Manifest,
}

#[cfg(test)]
mod tests;
