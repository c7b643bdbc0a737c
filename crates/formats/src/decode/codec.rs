//! What decoders make of a file, and how much a file may ask for. Every codec stands on this; nothing here reads a byte.

use image::RgbaImage;
use shibori_core::clip::FrameDuration;
use shibori_core::{Budget, FrameSet, LONGEST, Lease, Pixels, Rect, Size, UVec2};

use crate::ReadProblem;
use crate::store::StagedFiles;

/// What a file held.
#[derive(Clone, Debug)]
pub struct DecodedFile {
    /// What it is.
    pub info: ImageInfo,
    /// What it shows, in 8-bit straight-alpha RGBA.
    pub picture: DecodedImage,
    /// Whether the file ends early and only the frames before that are here.
    pub is_truncated: bool,
}

/// A still picture or a moving one.
#[derive(Clone, Debug)]
pub enum DecodedImage {
    /// One picture.
    Still(Pixels),
    /// Several, with times.
    Moving(Animation),
    /// Layers of a painting.
    Layers(Box<LayeredImage>),
}

/// Whole pictures, as a viewer composites them.
#[derive(Clone, Debug)]
pub struct Animation {
    /// In order; at least one, all of one size.
    pub moments: Vec<AnimationFrame>,
    /// How often it plays; 0 is forever.
    pub plays: u32,
}

/// One picture of an animation.
#[derive(Clone, Debug)]
pub struct AnimationFrame {
    /// The whole canvas.
    pub picture: Pixels,
    /// How long it is shown.
    pub span: FrameDuration,
    /// What the file says, in its own ticks, where that is too short for viewers: up to 10 ms.
    pub raw_delay: Option<u32>,
}

/// Layers of a painting.
#[derive(Clone, Debug)]
pub struct LayeredImage {
    /// The whole painting.
    pub size: Size,
    /// Those that show, from the bottom up; at least one.
    pub layers: Vec<Layer>,
    /// What was left out, or isn't as it looks in the painting.
    pub losses: Vec<(LayerLoss, Vec<String>)>,
    /// What the manifest says that was kept with them: its frames are blank, and this much of each is kept.
    pub(super) known: Option<(FrameSet, Vec<Rect>)>,
}

/// One layer.
#[derive(Clone, Debug)]
pub struct Layer {
    /// Its name.
    pub name: String,
    /// The names of the groups it is in, from the outermost; empty outside of all groups.
    pub groups: Vec<String>,
    /// What shows of it inside the painting.
    pub pixels: Pixels,
    /// Where that begins.
    pub at: UVec2,
}

/// Why layers aren't as they look in the painting.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum LayerLoss {
    /// They are hidden, so they were left out.
    Hidden,
    /// They are guides, so they were left out.
    Guide,
    /// They extend beyond the painting, and were cut off there.
    Cropped,
    /// They are blended in another way than by laying one over the other.
    Blended,
}

/// What a file is, for people.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ImageInfo {
    /// The file format.
    pub format: Format,
    /// Width and height.
    pub size: Size,
    /// How colors are stored, such as "RGBA, 8 bit".
    pub color: String,
    /// Data that reading dropped, if any.
    pub loss: Option<ReadLoss>,
}

/// Data in a file that is lost when it is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum ReadLoss {
    /// The lower 8 of 16 bits per channel.
    SixteenBits,
    /// The fourth channel of a BMP whose header declares only three.
    BmpAlpha,
    /// Color precision of semitransparent pixels, rounded away when the page was premultiplied.
    Premultiplied,
}

/// Image formats that can be read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Format {
    /// Portable Network Graphics, animated ones included.
    Png,
    /// Graphics Interchange Format.
    Gif,
    /// WebP, still and animated.
    WebP,
    /// JPEG; the EXIF orientation is applied.
    Jpeg,
    /// Windows bitmap.
    Bmp,
    /// TIFF, the first picture of it.
    Tiff,
    /// Truevision TGA; it has no signature, so the file's ending says it.
    Tga,
    /// Quite OK Image.
    Qoi,
    /// Uncompressed video, YUV4MPEG2.
    Y4m,
    /// OpenRaster: a painting in layers.
    OpenRaster,
}

impl Format {
    /// The format whose signature the bytes begin with.
    pub(super) fn of(bytes: &[u8]) -> Option<Self> {
        match bytes {
            [0x89, b'P', b'N', b'G', ..] => Some(Self::Png),
            [b'G', b'I', b'F', b'8', ..] => Some(Self::Gif),
            [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some(Self::WebP),
            [0xff, 0xd8, 0xff, ..] => Some(Self::Jpeg),
            [b'B', b'M', ..] => Some(Self::Bmp),
            [b'I', b'I', 42, 0, ..] | [b'M', b'M', 0, 42, ..] => Some(Self::Tiff),
            [b'q', b'o', b'i', b'f', ..] => Some(Self::Qoi),
            _ if bytes.starts_with(b"YUV4MPEG2 ") => Some(Self::Y4m),
            _ if bytes.starts_with(b"PK\x03\x04")
                && bytes.get(30..54) == Some(b"mimetypeimage/openraster") =>
            {
                Some(Self::OpenRaster)
            }
            _ => None,
        }
    }

    /// Its short name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Png => "PNG",
            Self::Gif => "GIF",
            Self::WebP => "WebP",
            Self::Jpeg => "JPEG",
            Self::Bmp => "BMP",
            Self::Tiff => "TIFF",
            Self::Tga => "TGA",
            Self::Qoi => "QOI",
            Self::Y4m => "YUV4MPEG2",
            Self::OpenRaster => "OpenRaster",
        }
    }
}

/// How much a file may ask for before it is refused, and what is taken of a broken one.
#[derive(Clone, Debug)]
pub struct ReadOptions {
    /// Pixels of one picture.
    pub pixels: u64,
    /// Memory of all pictures together.
    pub memory: Budget,
    /// Take the whole frames of an animation that ends early.
    pub accept_truncated: bool,
    /// Take images of a set whose size was changed since.
    pub accept_edits: bool,
    /// Keep only what shows of each frame, as soon as it is read: for what trims anyway, memory then grows with the drawings
    /// and not with their canvases.
    pub tighten: bool,
    /// Read companions of sets and atlases, too.
    pub companions: bool,
    /// Read standard input for the path `-`, as programs do. Otherwise it is a file of that name.
    pub standard_input: bool,
    /// Files of the same run that are not in place yet.
    pub staged: StagedFiles,
}

impl Default for ReadOptions {
    fn default() -> Self {
        Self {
            pixels: 1 << 28,
            memory: Budget::default(),
            accept_truncated: false,
            accept_edits: false,
            tighten: false,
            companions: false,
            standard_input: false,
            staged: StagedFiles::default(),
        }
    }
}

/// How long a picture is shown whose file says so many ticks of this many a second: as long as browsers show it, in every format. They take
/// up to 10 ms for a mistake and show 100 ms; then what the file says is given too, in its own ticks.
pub(super) fn effective_duration(ticks: u32, timescale: u32) -> (FrameDuration, Option<u32>) {
    let is_too_fast = u64::from(ticks) * 100 <= u64::from(timescale);
    match FrameDuration::new(ticks, timescale) {
        Ok(span) if !is_too_fast => (span, None),
        _ => (FrameDuration::DEFAULT, Some(ticks)),
    }
}

/// Bytes of a picture in memory.
pub(super) fn byte_size(size: Size) -> u64 {
    size.area().saturating_mul(4)
}

/// Refuses a picture of this size that is larger than any may be, before anything is computed from it.
pub(super) fn check_size(size: Size, limits: &ReadOptions) -> Result<(), ReadProblem> {
    if size.width.max(size.height) > LONGEST {
        return Err(ReadProblem::TooLong { size });
    }
    match size.area() > limits.pixels {
        true => Err(ReadProblem::TooLarge { size, limit: limits.pixels }),
        false => Ok(()),
    }
}

/// Bytes of a pixel that codecs hold besides the picture, if nothing else is known: the same picture once more.
pub(super) const WORK: u64 = 4;

/// Memory for a picture, and for what its codec makes of it on the way.
#[derive(Debug)]
pub(super) struct DecodeLease {
    picture: Lease,
    _work: Lease,
}

impl DecodeLease {
    /// Makes room for a picture whose codec holds so many bytes of each pixel besides it, before anything of its size is
    /// asked of the system.
    ///
    /// # Errors
    /// If it is larger than allowed, or more than is left of the memory.
    pub(super) fn of(size: Size, work: u64, limits: &ReadOptions) -> Result<Self, ReadProblem> {
        check_size(size, limits)?;
        let work = size.area().saturating_mul(work);
        limits.memory.check(byte_size(size).saturating_add(work))?;
        let (picture, work) = (limits.memory.lease(byte_size(size))?, limits.memory.lease(work)?);
        Ok(Self { picture, _work: work })
    }

    /// The picture that room was made for.
    pub(super) fn fill(self, image: RgbaImage) -> Pixels {
        Pixels::with_lease(image, self.picture)
    }
}
