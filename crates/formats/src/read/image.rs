//! One picture or animation from a file's bytes.

use std::fs;
use std::io::Read;
use std::path::Path;

use ::image::RgbaImage;
use shibori_core::clip::Span;
use shibori_core::{Pixels, Size};

use crate::read::{Limits, gif, png, still, webp, y4m};
use crate::{Error, ReadProblem};

/// What a file held.
#[derive(Clone, Debug)]
pub struct Loaded {
    /// What it is.
    pub info: ImageInfo,
    /// What it shows, in 8-bit straight-alpha RGBA.
    pub picture: Picture,
    /// Whether the file breaks off and only the frames before that are here.
    pub is_truncated: bool,
}

/// A still picture or a moving one.
#[derive(Clone, Debug)]
pub enum Picture {
    /// One picture.
    Still(Pixels),
    /// Several, with times.
    Moving(Animation),
}

/// Whole pictures, as a viewer composites them.
#[derive(Clone, Debug)]
pub struct Animation {
    /// In order; at least one, all of one size.
    pub moments: Vec<Moment>,
    /// How often it plays; 0 is for ever.
    pub plays: u32,
}

/// One picture of an animation.
#[derive(Clone, Debug)]
pub struct Moment {
    /// The whole canvas.
    pub picture: RgbaImage,
    /// How long it is shown.
    pub span: Span,
    /// What the file says where that is not what viewers do: a GIF's delay of 0 or 1 hundredths.
    pub raw_delay: Option<u32>,
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
}

/// Image formats that can be read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
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
}

impl Format {
    /// The format whose signature the bytes begin with.
    fn of(bytes: &[u8]) -> Option<Self> {
        match bytes {
            [0x89, b'P', b'N', b'G', ..] => Some(Self::Png),
            [b'G', b'I', b'F', b'8', ..] => Some(Self::Gif),
            [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some(Self::WebP),
            [0xff, 0xd8, 0xff, ..] => Some(Self::Jpeg),
            [b'B', b'M', ..] => Some(Self::Bmp),
            [b'I', b'I', 42, 0, ..] | [b'M', b'M', 0, 42, ..] => Some(Self::Tiff),
            [b'q', b'o', b'i', b'f', ..] => Some(Self::Qoi),
            _ if bytes.starts_with(b"YUV4MPEG2 ") => Some(Self::Y4m),
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
        }
    }
}

/// The path that stands for standard input.
const STDIN: &str = "-";

/// Reads one picture or animation from a file, or from standard input where the path is `-`.
pub fn image(path: &Path, limits: &Limits) -> Result<Loaded, Error> {
    let bytes = bytes_of(path)?;
    let is_tga = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("tga"));
    decode(&bytes, is_tga, limits).map_err(|problem| Error::read(path, problem))
}

/// The whole of a file, with a plain word where it is a folder.
pub(crate) fn bytes_of(path: &Path) -> Result<Vec<u8>, Error> {
    if path == Path::new(STDIN) {
        let mut bytes = Vec::new();
        return match std::io::stdin().lock().read_to_end(&mut bytes) {
            Ok(_) => Ok(bytes),
            Err(error) => Err(Error::read(path, error)),
        };
    }
    if path.is_dir() {
        return Err(Error::read(path, ReadProblem::IsFolder));
    }
    fs::read(path).map_err(|error| Error::read(path, error))
}

fn decode(bytes: &[u8], is_tga: bool, limits: &Limits) -> Result<Loaded, ReadProblem> {
    match Format::of(bytes) {
        _ if bytes.is_empty() => Err(ReadProblem::Empty),
        Some(Format::Png) => png::decode(bytes, limits),
        Some(Format::Gif) => gif::decode(bytes, limits),
        Some(Format::WebP) => webp::decode(bytes, limits),
        Some(Format::Y4m) => y4m::decode(bytes, limits),
        Some(format) => still::decode(bytes, format, limits),
        None if is_tga => still::decode(bytes, Format::Tga, limits),
        None => Err(ReadProblem::NotAnImage { looks: looks_like(bytes) }),
    }
}

/// What bytes that are no image look like: the beginning of a text, or its bytes.
fn looks_like(bytes: &[u8]) -> String {
    let start = &bytes[..bytes.len().min(24)];
    let is_text = |b: &u8| matches!(b, b' '..=b'~' | b'\n' | b'\r' | b'\t' | 0x80..);
    match std::str::from_utf8(start) {
        Ok(text) if start.iter().all(is_text) => format!("it begins with the text {text:?}"),
        _ => {
            let hex: Vec<String> = start.iter().take(8).map(|byte| format!("{byte:02x}")).collect();
            format!("it begins with the bytes {}", hex.join(" "))
        }
    }
}

pub(super) fn check_size(size: Size, limits: &Limits) -> Result<(), ReadProblem> {
    if size.area() > limits.pixels {
        return Err(ReadProblem::TooLarge { size, limit: limits.pixels });
    }
    Ok(())
}
