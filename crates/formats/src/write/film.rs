//! A clip as an animation file.

use std::path::{Path, PathBuf};

use shibori_core::draw::Film;

use crate::write::{Transaction, Written, apng, gif};
use crate::{Error, WriteProblem};

/// Animation formats that can be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FilmFormat {
    /// 256 colors, hundredths of a second.
    Gif,
    /// Exact colors and times.
    Apng,
}

impl FilmFormat {
    /// The format that a file's ending asks for.
    pub fn of(path: &Path) -> Result<Self, Error> {
        let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
        match ending.as_str() {
            "gif" => Ok(Self::Gif),
            "png" | "apng" => Ok(Self::Apng),
            _ => {
                let text = format!("an animation ends in .gif, .apng or .png, not '.{ending}'");
                Err(Error::write(path, WriteProblem::Format(text)))
            }
        }
    }
}

/// What was written, and what the format could not keep.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FilmReport {
    /// The file.
    pub written: Written,
    /// Its length in bytes.
    pub bytes: usize,
    /// Pixels of half transparency that a GIF made clear or solid.
    pub hardened: u64,
    /// Colors there were, where a GIF kept only 255 of them.
    pub reduced_from: Option<usize>,
}

/// Writes a film in the format its ending asks for. `tick` is called once a picture, from any thread.
pub fn film(
    path: &Path,
    film: &Film,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<FilmReport, Error> {
    let format = FilmFormat::of(path)?;
    let batch = run.plan(&[PathBuf::from(path)], &[])?;
    let wrong = |problem: WriteProblem| Error::write(path, problem);
    let (bytes, hardened, reduced_from) = match format {
        FilmFormat::Apng => (apng::apng(film, tick).map_err(wrong)?, 0, None),
        FilmFormat::Gif => {
            let encoded = gif::gif(film, tick).map_err(wrong)?;
            (encoded.bytes, encoded.hardened, encoded.reduced_from)
        }
    };
    batch.stage(0, &bytes)?;
    Ok(FilmReport { written: batch.written(), bytes: bytes.len(), hardened, reduced_from })
}
