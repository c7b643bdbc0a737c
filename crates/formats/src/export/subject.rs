//! What is exported: a manifest with its pages, checked to belong together.

use std::path::{Path, PathBuf};

use crate::Error;
use crate::decode::{LoadedPage, ReadOptions, open_manifest, read_staged};
use crate::encode::png;
use crate::export::metrics::{ClipTimeline, FrameGeometry};
use crate::export::{ExportError, File};
use crate::manifest::{Alpha, Manifest, page_files};
use shibori_core::{Lease, Pixels, parallel};

/// A manifest, its pages, and what follows from both.
#[derive(Debug)]
pub struct ExportSource {
    /// The manifest as it stands.
    pub manifest: Manifest,
    /// Where it lies.
    pub path: PathBuf,
    /// Its name without extension: `pond`.
    pub stem: String,
    /// The pages in the manifest's order.
    pub pages: Vec<PageImage>,
    /// What follows for each frame.
    pub frames: Vec<FrameGeometry>,
    /// What follows for each clip.
    pub clips: Vec<ClipTimeline>,
}

/// One page.
#[derive(Debug)]
pub struct PageImage {
    /// Where it lies.
    pub path: PathBuf,
    /// The file's bytes.
    pub bytes: Vec<u8>,
    /// Its pixels, with straight alpha however the file keeps them.
    pub pixels: Pixels,
    /// Memory that the bytes take.
    _lease: Lease,
}

impl PageImage {
    /// Whether the file is a PNG.
    pub fn is_png(&self) -> bool {
        self.bytes.starts_with(b"\x89PNG\r\n\x1a\n")
    }

    /// Whether browsers show it: PNG, WebP, GIF, JPEG and BMP.
    pub fn is_for_browsers(&self) -> bool {
        let is_webp = self.bytes.starts_with(b"RIFF") && self.bytes.get(8..12) == Some(b"WEBP");
        let starts: [&[u8]; 3] = [b"GIF8", b"\xff\xd8\xff", b"BM"];
        self.is_png() || is_webp || starts.iter().any(|start| self.bytes.starts_with(start))
    }

    /// Whether every pixel is either clear or solid.
    pub fn is_hard(&self) -> bool {
        self.pixels.rows().all(|row| row.chunks_exact(4).all(|pixel| pixel[3] == 0 || pixel[3] == 255))
    }
}

impl ExportSource {
    /// Reads a manifest and its pages.
    ///
    /// # Errors
    /// As reading frames of it: what is missing, damaged or of another size than the manifest says.
    pub fn open(path: &Path, limits: &ReadOptions) -> Result<Self, Error> {
        // Reading it as frames checks everything that can be wrong with it, and fits it to images that were edited.
        let LoadedPage { manifest, pages: pictures, .. } =
            open_manifest(path, &ReadOptions { tighten: false, ..limits.clone() })?;
        let files = page_files(path, &manifest)?;
        let pages = parallel::try_map(files.len(), |at| {
            let path = files[at].clone();
            let bytes = read_staged(&path, limits)?;
            let lease = limits.memory.lease(bytes.len() as u64).map_err(|over| Error::read(&path, over))?;
            Ok::<_, Error>(PageImage { pixels: pictures[at].clone(), bytes, _lease: lease, path })
        })?;
        let stem = stem_of(path);
        let frames = FrameGeometry::of_all(&manifest);
        let clips = manifest.clips.iter().map(|clip| ClipTimeline::of(clip, &frames)).collect();
        Ok(Self { manifest, path: path.to_owned(), stem, pages, frames, clips })
    }

    /// A page's path from another folder, with `/`; whole where they have nothing in common.
    pub fn page_from(&self, folder: &Path, page: usize) -> String {
        relative(&self.pages[page].path, folder)
    }

    /// Where a page lies as seen from a folder, or the file that must be copied there: strict loaders take nothing from outside
    /// the folder of what they load.
    pub(super) fn page_inside(&self, folder: &Path, page: usize) -> (String, Option<File>) {
        let from = self.page_from(folder, page);
        let is_outside = from.starts_with("../") || from.starts_with('/') || from.contains(':');
        if !is_outside {
            return (from, None);
        }
        let file = self.manifest.pages[page].file.clone();
        let copy = File::new(folder.join(&file), self.pages[page].bytes.clone());
        (file, Some(copy))
    }

    /// Whether a page's colors are multiplied by alpha.
    pub fn is_premultiplied(&self, page: usize) -> bool {
        self.manifest.pages[page].alpha == Alpha::Premultiplied
    }

    /// A page as a PNG with straight alpha: the file itself where it is one.
    pub(super) fn unpremultiplied_png(&self, page: usize) -> Result<Vec<u8>, ExportError> {
        let image = &self.pages[page];
        if image.is_png() && !self.is_premultiplied(page) {
            return Ok(image.bytes.clone());
        }
        png(&image.pixels.to_image()).map_err(|error| ExportError::Encode(error.to_string()))
    }

    /// `frame 'koi:koi-00'`, for people.
    pub(super) fn describe_frame(&self, frame: usize) -> String {
        let entry = &self.manifest.frames[frame];
        format!("frame '{}:{}'", entry.sprite, entry.name)
    }

    /// `clip 'koi:swim'`, for people.
    pub(super) fn describe_clip(&self, clip: usize) -> String {
        let entry = &self.manifest.clips[clip];
        format!("clip '{}:{}'", entry.sprite, entry.name)
    }
}

/// What an atlas is called: a set after its folder.
fn stem_of(path: &Path) -> String {
    let stem = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let folder = path.parent().and_then(Path::file_name);
    match folder {
        Some(folder) if path.file_name().is_some_and(|name| name == crate::manifest::SET_FILE) => {
            folder.to_string_lossy().into_owned()
        }
        _ => stem,
    }
}

/// The way from a folder to a file, as a URL has it.
fn relative(file: &Path, folder: &Path) -> String {
    let (file, folder) = (real(file), real(folder));
    let shared = file.components().zip(folder.components()).take_while(|(a, b)| a == b).count();
    let up = folder.components().skip(shared).map(|_| "..".to_owned());
    let down = file.components().skip(shared).map(|part| part.as_os_str().to_string_lossy().into_owned());
    up.chain(down).collect::<Vec<_>>().join("/")
}

/// A path without links and detours, also where its last folders are yet to be made.
fn real(path: &Path) -> PathBuf {
    let path = if path.as_os_str().is_empty() { Path::new(".") } else { path };
    let whole = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    let known = whole.ancestors().find_map(|part| Some((part, part.canonicalize().ok()?)));
    match known {
        Some((part, real)) => match whole.strip_prefix(part) {
            Ok(rest) if !rest.as_os_str().is_empty() => real.join(rest),
            _ => real,
        },
        None => whole,
    }
}
