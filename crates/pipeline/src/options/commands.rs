//! The whole set of options of each command, made of the groups. Sources and targets are not options: steps take them
//! beside these.

use std::fmt;
use std::path::PathBuf;
use std::str::FromStr;

use serde::{Deserialize, Serialize};
use shibori_core::check::{Rule, Thresholds};
use shibori_core::clip::ClipSpec;
use shibori_core::cut::{BlankCells, Counts};
use shibori_core::shape::Anchor;
use shibori_core::{FilterError, FrameFilter, FrameSet, Ratio, Size, UVec2};
use shibori_draw::Backdrop;

use crate::options::contradiction::needs;
use crate::options::value::{
    BoundedInt, Flag, NonNegative, comma_texts, keyword, path, required, text, texts,
};
use crate::options::{
    ArrangeOptions, CleanOptions, ClipEdits, ClipOptions, CutOptions, HeightOption, LayoutName,
    OptionConflict, PageOptions, PickOptions, ShapeOptions, ShowOption, WidthOption, ZoomOption,
};

/// Narrows any command.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, transparent)]
pub struct FilterOption {
    /// Use only this sprite, clip or selection of frames, such as koi, koi:swim or 0-3,7
    #[cfg_attr(feature = "clap", arg(long, value_name = "SPRITE|CLIP|SELECTION"))]
    #[serde(with = "text")]
    pub only: Option<FrameFilter>,
}

impl FilterOption {
    /// The part of a set that is meant; all of it where nothing is said.
    pub fn of(&self, set: FrameSet) -> Result<FrameSet, FilterError> {
        match &self.only {
            Some(only) => only.of(&set),
            None => Ok(set),
        }
    }
}

/// The options of `slice`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct SliceOptions {
    /// Where the frames are.
    #[cfg_attr(feature = "clap", command(flatten))]
    #[serde(rename = "slice")]
    pub cut: CutOptions,
    /// Mending pixels.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub clean: CleanOptions,
    /// Lining up.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub shape: ShapeOptions,
    /// Named sequences.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub clips: ClipOptions,
}

impl SliceOptions {
    /// What can't be meant together.
    pub fn validate(&self) -> Result<(), OptionConflict> {
        self.cut.validate()?;
        self.clean.validate()?;
        self.shape.validate(false, false)?;
        let changes = self.clean.changes_pixels() || self.cut.islands.is_on() || self.shape.changes_pixels();
        match self.cut.manifest_only.is_on() && changes {
            true => Err(OptionConflict::ManifestOnly),
            false => Ok(()),
        }
    }
}

/// The options of `adjust`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct AdjustOptions {
    /// What is changed; the rest stays as it is.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
    /// Copy frames that the clips in --only share with other clips
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub apart: Flag,
    /// What to do with blank frames, which clips then don't show either [default: keep]
    #[cfg_attr(feature = "clap", arg(long, value_name = "WHAT", help_heading = "Clean"))]
    #[serde(with = "keyword")]
    pub blank: Option<BlankCells>,
    /// Mending pixels.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub clean: CleanOptions,
    /// Lining up.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub shape: ShapeOptions,
}

impl AdjustOptions {
    /// What can't be meant together.
    pub fn validate(&self) -> Result<(), OptionConflict> {
        needs(self.apart.is_on(), "apart", self.only.only.is_some(), "only", None)?;
        self.clean.validate()?;
        self.shape.validate(false, false)
    }
}

/// The options of `clip`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct ClipCommand {
    /// The clips that --speed and --snap change, and that are listed.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
    /// New clips and marks.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub clips: ClipOptions,
    /// Changes of those that are there.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub edits: ClipEdits,
}

impl ClipCommand {
    /// What can't be meant together.
    pub fn validate(&self) -> Result<(), OptionConflict> {
        // Alone it chooses which clips are listed.
        let is_list = self.clips == ClipOptions::default() && self.edits == ClipEdits::default();
        let is_timed = self.edits.speed.is_some() || self.edits.snap.is_some();
        needs(self.only.only.is_some(), "only", is_list || is_timed, "speed", None)
    }
}

/// The options of `pack`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct PackOptions {
    /// What is packed.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
    /// Which frames, and their names.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub pick: PickOptions,
    /// How frames are arranged.
    #[cfg_attr(feature = "clap", command(flatten))]
    #[serde(rename = "pack")]
    pub arrange: ArrangeOptions,
    /// Pages as files.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub page: PageOptions,
    /// Lining up.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub shape: ShapeOptions,
    /// Named sequences.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub clips: ClipOptions,
}

impl PackOptions {
    /// What can't be meant together.
    pub fn validate(&self) -> Result<(), OptionConflict> {
        self.arrange.validate()?;
        self.page.validate()?;
        let is_dense = self.arrange.layout() == LayoutName::Dense;
        self.shape.validate(is_dense, !self.page.page_scales.is_empty())
    }
}

/// The options of `unpack`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct UnpackOptions {
    /// Keep frames trimmed (cropped), as on the page, instead of restoring their canvas
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub trimmed: Flag,
    /// What is taken out.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
}

/// The options of `check`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct CheckOptions {
    /// What is checked.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
    /// Rules to ignore, everywhere or for one frame, clip or sprite, such as drift,touches-edge=koi:dive
    #[cfg_attr(feature = "clap", arg(long, value_name = "RULE[=WHERE]", value_delimiter = ','))]
    #[serde(with = "comma_texts")]
    pub allow: Vec<Allowance>,
    /// Treat 'look' findings as wrong, too
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub strict: Flag,
    /// How far a figure may stray from its path through a clip, in pixels [default: 3.5% of the canvas]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub drift_limit: Option<NonNegative>,
    /// How much a figure's size may differ from that in neighboring frames, in percent [default: 6]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PERCENT"))]
    #[serde(with = "text")]
    pub size_limit: Option<NonNegative>,
    /// Maximum speck size, in pixels [default: 4]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub speck_limit: Option<u32>,
}

/// A rule that is ignored.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Allowance {
    rule: AnyRule,
    /// A sprite, a clip or a frame, the latter two with or without their sprite; none is everywhere.
    place: Option<String>,
}

/// A rule about frames, or one about what a recipe expects.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum AnyRule {
    Frames(Rule),
    Recipe(RecipeRule),
}

/// What may be wrong with a recipe's outcome beyond single frames.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum RecipeRule {
    /// A clip that is expected is not there.
    MissingClip,
    /// Two clips that must have as many steps have not.
    UnequalClips,
    /// A frame that no clip shows, in a sprite that has clips.
    UnusedFrame,
    /// An atlas has more pages than it may.
    TooManyPages,
}

impl RecipeRule {
    /// All of them, in the order in which findings are listed.
    pub const ALL: &'static [Self] =
        &[Self::MissingClip, Self::UnequalClips, Self::UnusedFrame, Self::TooManyPages];

    /// Its id.
    pub fn id(self) -> &'static str {
        match self {
            Self::MissingClip => "missing-clip",
            Self::UnequalClips => "unequal-clips",
            Self::UnusedFrame => "unused-frame",
            Self::TooManyPages => "too-many-pages",
        }
    }
}

impl FromStr for Allowance {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (id, place) = match text.split_once('=') {
            Some((id, place)) => (id.trim(), Some(place.trim().to_owned())),
            None => (text.trim(), None),
        };
        let of_recipe = RecipeRule::ALL.iter().copied().find(|rule| rule.id() == id).map(AnyRule::Recipe);
        let rule = match of_recipe {
            Some(rule) => rule,
            None => AnyRule::Frames(id.parse::<Rule>().map_err(|error| {
                let more = RecipeRule::ALL.iter().map(|rule| rule.id()).collect::<Vec<_>>().join(", ");
                format!("{error}; and for recipes: {more}")
            })?),
        };
        match place.as_deref() {
            Some("") => Err(format!("'{text}': write a sprite, clip or frame after the =")),
            _ => Ok(Self { rule, place }),
        }
    }
}

impl fmt::Display for Allowance {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.rule {
            AnyRule::Frames(rule) => f.write_str(rule.id())?,
            AnyRule::Recipe(rule) => f.write_str(rule.id())?,
        }
        self.place.as_ref().map_or(Ok(()), |place| write!(f, "={place}"))
    }
}

impl Allowance {
    fn applies_to(&self, rule: AnyRule, sprite: &str, names: &[Option<&str>]) -> bool {
        let Some(place) = &self.place else { return self.rule == rule };
        let is_it = |name: &str| *place == name || *place == format!("{sprite}:{name}");
        self.rule == rule && (place == sprite || names.iter().flatten().any(|name| is_it(name)))
    }
}

impl CheckOptions {
    /// Whether a frame may break a rule.
    pub fn allows(&self, rule: Rule, sprite: &str, frame: &str, clip: Option<&str>) -> bool {
        self.allow.iter().any(|allow| allow.applies_to(AnyRule::Frames(rule), sprite, &[Some(frame), clip]))
    }

    /// Whether a sprite or an atlas may break a rule about the whole.
    pub fn allows_in_recipe(&self, rule: RecipeRule, of: &str, name: Option<&str>) -> bool {
        self.allow.iter().any(|allow| allow.applies_to(AnyRule::Recipe(rule), of, &[name]))
    }

    /// From where on something is wrong, defaults filled in.
    pub fn limits(&self) -> Thresholds {
        let plain = Thresholds::default();
        Thresholds {
            drift: self.drift_limit.map(NonNegative::get),
            size: self.size_limit.map_or(plain.size, |percent| percent.get() / 100.0),
            specks: self.speck_limit.unwrap_or(plain.specks),
        }
    }
}

/// The options of `export`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct ExportOptions {
    /// Output format
    #[cfg_attr(feature = "clap", arg(long, value_name = "FORMAT"))]
    #[serde(with = "keyword")]
    pub to: Option<ExportFormat>,
    /// Your own text template, or one listed by --list
    #[cfg_attr(feature = "clap", arg(long, value_name = "FILE|NAME"))]
    #[serde(with = "path")]
    pub template: Option<PathBuf>,
    /// glTF: pixels per unit, such as 16px
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub unit: Option<Unit>,
}

impl ExportOptions {
    /// What can't be meant together.
    pub fn validate(&self) -> Result<(), OptionConflict> {
        if self.to.is_some() && self.template.is_some() {
            return Err(OptionConflict::Both { first: "to", second: "template", what: "the output format" });
        }
        let is_gltf = matches!(self.to, Some(ExportFormat::Gltf | ExportFormat::Glb));
        needs(self.unit.is_some(), "unit", is_gltf, "to", Some("gltf or glb"))
    }
}

/// Formats that metadata is exported to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum ExportFormat {
    /// CSV tables: one row per frame, and one row per clip step
    Csv,
    /// One class per frame, one class per clip
    Css,
    /// One image with one view per frame: pond.svg#koi-00
    Svg,
    /// glTF 2.0 next to its pages: quads and animations
    Gltf,
    /// glTF 2.0 in one file
    Glb,
}

impl ExportFormat {
    /// How files of the format end.
    pub fn ending(self) -> &'static str {
        match self {
            Self::Csv => "csv",
            Self::Css => "css",
            Self::Svg => "svg",
            Self::Gltf => "gltf",
            Self::Glb => "glb",
        }
    }
}

/// Pixels that are one unit: `16px` or `16`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Unit(pub f64);

impl fmt::Display for Unit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}px", self.0)
    }
}

impl FromStr for Unit {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let number = text.strip_suffix("px").unwrap_or(text).trim().parse::<f64>();
        match number {
            Ok(pixels) if pixels > 0.0 && pixels <= 65_536.0 => Ok(Self(pixels)),
            _ => Err(format!("'{text}' is not a number of pixels such as 16px")),
        }
    }
}

/// The options of `preview contact`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct ContactOptions {
    /// What is shown.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
    /// How large a pixel is.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub zoom: ZoomOption,
    /// How wide the picture may be.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub width: WidthOption,
    /// How tall one picture may be.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub height: HeightOption,
    /// What is drawn over frames.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub show: ShowOption,
}

/// The options of `preview onion`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct OnionOptions {
    /// What is shown.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
    /// How large a pixel is.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub zoom: ZoomOption,
    /// How wide the picture may be.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub width: WidthOption,
}

/// The options of `preview drift`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct DriftOptions {
    /// What is shown.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
}

/// The options of `preview changes`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct ChangesOptions {
    /// What is compared.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
    /// How large a pixel is.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub zoom: ZoomOption,
    /// How wide the picture may be.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub width: WidthOption,
    /// How tall one picture may be.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub height: HeightOption,
}

/// The options of `preview html`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct HtmlOptions {
    /// What is shown.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
}

/// The options of `preview pages`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct PagesOptions {
    /// What is shown.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
    /// How large a pixel is.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub zoom: ZoomOption,
}

/// The options of `preview motion`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct MotionOptions {
    /// What is shown.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub only: FilterOption,
    /// Clips to show instead of the source's own: "NAME = FRAMES [@TIME] [PLAY]", such as "walk = 0-5 @12fps"; repeatable
    #[cfg_attr(feature = "clap", arg(long, value_name = "SPEC"))]
    #[serde(with = "texts")]
    pub clip: Vec<ClipSpec>,
    /// Play this many times as fast: 2, 0.5, 3/2
    #[cfg_attr(feature = "clap", arg(long, value_name = "F"))]
    #[serde(with = "text")]
    pub speed: Option<Ratio>,
    /// Zoom: draw each pixel N times as large, with sharp edges [default: 1]
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub zoom: Option<BoundedInt<1, 64>>,
    /// Background: none, checker, or a color such as 203040 [default: none]
    #[cfg_attr(feature = "clap", arg(long, value_name = "BACKDROP"))]
    #[serde(with = "text")]
    pub background: Option<Backdrop>,
    /// What is drawn over frames.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub show: ShowOption,
}

/// The options of `preview grid`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct GridPreviewOptions {
    /// How large a pixel is.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub zoom: ZoomOption,
    /// Where the frames are.
    #[cfg_attr(feature = "clap", command(flatten))]
    #[serde(rename = "slice")]
    pub cut: CutOptions,
    /// Mending pixels.
    #[cfg_attr(feature = "clap", command(flatten))]
    pub clean: CleanOptions,
}

/// The options of `guide-sheet`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct GuideOptions {
    /// Columns x rows, such as 8x4
    #[cfg_attr(feature = "clap", arg(long, value_name = "CxR"))]
    #[serde(with = "required")]
    pub grid: Counts,
    /// Width x height of one cell in pixels, such as 32x48
    #[cfg_attr(feature = "clap", arg(long, value_name = "WxH"))]
    #[serde(with = "required")]
    pub cell: Size,
    /// Margin in pixels before the first cell and after the last: across,down [default: 0,0]
    #[cfg_attr(feature = "clap", arg(long, value_name = "X,Y"))]
    #[serde(default, with = "text")]
    pub offset: Option<UVec2>,
    /// Gutter in pixels between cells (spacing): across,down [default: 0,0]
    #[cfg_attr(feature = "clap", arg(long, value_name = "X,Y"))]
    #[serde(default, with = "text")]
    pub gutter: Option<UVec2>,
    /// Position of each cell's pivot (anchor, origin): center, bottom, top-left, ..., or fractions of the cell such as 0.5,0.9
    /// [default: bottom]
    #[cfg_attr(feature = "clap", arg(long, value_name = "POINT"))]
    #[serde(default, with = "text")]
    pub pivot: Option<Anchor>,
    /// Row names from top to bottom, such as idle,walk,leap
    #[cfg_attr(feature = "clap", arg(long, value_name = "A,B,C", value_delimiter = ','))]
    #[serde(default, with = "comma_texts")]
    pub rows: Vec<String>,
}
