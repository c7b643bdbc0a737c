//! One picture or animation from a file's bytes.

use std::io::Read;
use std::path::Path;

use crate::decode::codec::{DecodedFile, Format, ReadOptions};
use crate::decode::{gif, open_raster, png, still, webp, y4m};
use crate::{Error, ReadProblem};

/// The path that stands for standard input.
const STDIN: &str = "-";

/// Reads one picture or animation from a file, or from standard input where the path is `-`.
pub fn image(path: &Path, limits: &ReadOptions) -> Result<DecodedFile, Error> {
    let length = limits.staged.length(path).unwrap_or(0);
    let _file = limits.memory.lease(length).map_err(|over| Error::read(path, over))?;
    let bytes = if path == Path::new(STDIN) { read_stdin(limits)? } else { read_staged(path, limits)? };
    let is_tga = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("tga"));
    decode(&bytes, is_tga, limits).map_err(|problem| Error::read(path, problem))
}

/// All of standard input, as far as memory allows.
fn read_stdin(limits: &ReadOptions) -> Result<Vec<u8>, Error> {
    let mut bytes = Vec::new();
    let room = limits.memory.available();
    let read = std::io::stdin().lock().take(room.saturating_add(1)).read_to_end(&mut bytes);
    read.map_err(|error| Error::read(Path::new(STDIN), error))?;
    limits.memory.check(bytes.len() as u64).map_err(|over| Error::read(Path::new(STDIN), over))?;
    Ok(bytes)
}

/// The whole of a file, with a plain word where it is a folder.
pub fn read_bytes(path: &Path) -> Result<Vec<u8>, Error> {
    if path == Path::new(STDIN) {
        let mut bytes = Vec::new();
        return match std::io::stdin().lock().read_to_end(&mut bytes) {
            Ok(_) => Ok(bytes),
            Err(error) => Err(Error::read(path, error)),
        };
    }
    read_staged(path, &ReadOptions::default())
}

/// The same of a file that may have been made by the same run and not be in place yet.
pub(crate) fn read_staged(path: &Path, limits: &ReadOptions) -> Result<Vec<u8>, Error> {
    if path.is_dir() {
        return Err(Error::read(path, ReadProblem::IsFolder));
    }
    limits.staged.read(path).map_err(|error| Error::read(path, error))
}

fn decode(bytes: &[u8], is_tga: bool, limits: &ReadOptions) -> Result<DecodedFile, ReadProblem> {
    match Format::of(bytes) {
        _ if bytes.is_empty() => Err(ReadProblem::Empty),
        Some(Format::Png) => png::decode(bytes, limits),
        Some(Format::Gif) => gif::decode(bytes, limits),
        Some(Format::WebP) => webp::decode(bytes, limits),
        Some(Format::Y4m) => y4m::decode(bytes, limits),
        Some(Format::OpenRaster) => open_raster::decode(bytes, limits),
        Some(format) => still::decode(bytes, format, limits),
        None if is_tga => still::decode(bytes, Format::Tga, limits),
        None => Err(ReadProblem::NotAnImage { looks: looks_like(bytes) }),
    }
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
