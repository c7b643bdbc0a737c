//! One picture or animation from a file's bytes.

use std::io::Read;
use std::path::Path;

use crate::decode::codec::{DecodedFile, Format, ReadOptions};
use crate::decode::{gif, open_raster, png, still, webp, y4m};
use crate::{FileError, ReadProblem};

/// The path that stands for standard input.
const STDIN: &str = "-";

/// Reads one picture or animation from a file.
///
/// # Errors
/// If it can't be read, isn't an image, is damaged, or exceeds the limits.
pub fn image(path: &Path, limits: &ReadOptions) -> Result<DecodedFile, FileError> {
    let length = limits.staged.length(path).unwrap_or(0);
    let _file = limits.memory.lease(length).map_err(|over| FileError::read(path, over))?;
    let is_tga = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("tga"));
    let otherwise = is_tga.then_some(Format::Tga);
    image_from_bytes(&read_bytes(path, limits)?, otherwise, limits)
        .map_err(|problem| FileError::read(path, problem))
}

/// Decodes one image or animation, detected by content. `otherwise` is the format to assume if the content doesn't tell: TGA has no
/// signature.
///
/// # Errors
/// If the bytes aren't an image, are damaged, or exceed the limits.
pub fn image_from_bytes(
    bytes: &[u8],
    otherwise: Option<Format>,
    limits: &ReadOptions,
) -> Result<DecodedFile, ReadProblem> {
    match Format::of(bytes).or(otherwise) {
        _ if bytes.is_empty() => Err(ReadProblem::Empty),
        Some(Format::Png) => png::decode(bytes, limits),
        Some(Format::Gif) => gif::decode(bytes, limits),
        Some(Format::WebP) => webp::decode(bytes, limits),
        Some(Format::Y4m) => y4m::decode(bytes, limits),
        Some(Format::OpenRaster) => open_raster::decode(bytes, limits),
        Some(format) => still::decode(bytes, format, limits),
        None => Err(ReadProblem::NotAnImage { looks: looks_like(bytes) }),
    }
}

/// All of standard input, as far as memory allows.
fn read_stdin(limits: &ReadOptions) -> Result<Vec<u8>, FileError> {
    let mut bytes = Vec::new();
    let room = limits.memory.available();
    let read = std::io::stdin().lock().take(room.saturating_add(1)).read_to_end(&mut bytes);
    read.map_err(|error| FileError::read(Path::new(STDIN), error))?;
    limits.memory.check(bytes.len() as u64).map_err(|over| FileError::read(Path::new(STDIN), over))?;
    Ok(bytes)
}

/// All bytes of a file, including one that the same run has staged but not committed; or of standard input, if the limits allow it.
///
/// # Errors
/// If it can't be read, or is a folder.
pub fn read_bytes(path: &Path, limits: &ReadOptions) -> Result<Vec<u8>, FileError> {
    if limits.standard_input && path == Path::new(STDIN) {
        return read_stdin(limits);
    }
    if path.is_dir() {
        return Err(FileError::read(path, ReadProblem::IsFolder));
    }
    limits.staged.read(path).map_err(|error| FileError::read(path, error))
}

/// What bytes that are no image look like: the beginning of a text, or its bytes.
fn looks_like(bytes: &[u8]) -> String {
    if bytes.starts_with(b"PK\x03\x04") {
        return "it is a ZIP archive, but not OpenRaster".to_owned();
    }
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
