//! What is exported: a manifest with its pages, checked to belong together.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::decode::{
    DecodedImage, Format, LoadedPage, ReadOptions, companion_specs, frames_from_pages, image as read_image,
    image_from_bytes, open_manifest, open_manifest_alone, read_bytes,
};
use crate::encode::png;
use crate::export::metrics::{ClipTimeline, FrameGeometry};
use crate::export::{ExportError, File};
use crate::manifest::{Alpha, Manifest, PageEntry, as_seen, page_files, page_path};
use crate::{FileError, ReadProblem};
use shibori_core::{CompanionSpec, Lease, Pixels, Size, parallel};

/// A manifest, its pages, and what follows from both.
#[derive(Debug)]
pub struct ExportSource {
    /// The manifest as it stands.
    pub manifest: Arc<Manifest>,
    /// Where it lies.
    pub path: PathBuf,
    /// Its name without extension: `pond`.
    pub stem: String,
    /// The pages in the manifest's order.
    pub pages: Vec<PageImage>,
    /// The companions of each page, where they were asked for.
    pub companions: Vec<Vec<(CompanionSpec, PageImage)>>,
    /// What follows for each frame.
    pub frames: Arc<Vec<FrameGeometry>>,
    /// What follows for each clip.
    pub clips: Arc<Vec<ClipTimeline>>,
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
    _lease: Option<Lease>,
}

impl PageImage {
    /// A page from a file's bytes.
    ///
    /// # Errors
    /// If they aren't a still image, or exceed the limits.
    pub fn from_bytes(file: &str, bytes: Vec<u8>, limits: &ReadOptions) -> Result<Self, ReadProblem> {
        let is_tga = file.to_lowercase().ends_with(".tga");
        let decoded = image_from_bytes(&bytes, is_tga.then_some(Format::Tga), limits)?;
        let DecodedImage::Still(pixels) = decoded.picture else {
            return Err(ReadProblem::PageMoves(file.to_owned()));
        };
        Ok(Self { path: file.into(), bytes, pixels, _lease: None })
    }

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

    /// As a PNG with straight alpha: the file itself where it is one.
    pub(super) fn straight_png(&self, is_premultiplied: bool) -> Result<Vec<u8>, ExportError> {
        match self.is_png() && !is_premultiplied {
            true => Ok(self.bytes.clone()),
            false => png(&self.pixels.to_image()).map_err(|error| ExportError::Encode(error.to_string())),
        }
    }

    /// Where this image, which a manifest calls `file`, lies as seen from a folder, or the copy that must go there: strict loaders
    /// take nothing from outside the folder of what they load.
    pub(super) fn inside(&self, file: &str, folder: &Path) -> (String, Option<File>) {
        let from = relative(&self.path, folder);
        let is_outside = from.starts_with("../") || from.starts_with('/') || from.contains(':');
        match is_outside {
            true => (file.to_owned(), Some(File::new(folder.join(file), self.bytes.clone()))),
            false => (from, None),
        }
    }

    /// Whether every pixel is either clear or solid.
    pub fn is_hard(&self) -> bool {
        self.pixels.rows().all(|row| row.chunks_exact(4).all(|pixel| pixel[3] == 0 || pixel[3] == 255))
    }
}

impl ExportSource {
    /// Reads a manifest and its pages, and its companions where the limits say so.
    ///
    /// # Errors
    /// As reading frames of it: what is missing, damaged or of another size than the manifest says.
    pub fn open(path: &Path, limits: &ReadOptions) -> Result<Self, FileError> {
        // Reading it as frames checks everything that can be wrong with it, and fits it to images that were edited.
        let LoadedPage { manifest, pages: pictures, .. } =
            open_manifest(path, &ReadOptions { tighten: false, companions: false, ..limits.clone() })?;
        let files = page_files(path, &manifest)?;
        let pages = parallel::try_map(files.len(), |at| {
            let bytes = read_bytes(&files[at], limits)?;
            let lease =
                limits.memory.lease(bytes.len() as u64).map_err(|over| FileError::read(&files[at], over))?;
            Ok::<_, FileError>(PageImage {
                pixels: pictures[at].clone(),
                bytes,
                _lease: Some(lease),
                path: files[at].clone(),
            })
        })?;
        let specs = if limits.companions { companion_specs(&manifest) } else { Vec::new() };
        let folder = path.parent().unwrap_or(Path::new(""));
        let companion = |page: &PageEntry, file: &str| {
            let place = page_path(folder, file).map_err(|problem| FileError::read(path, problem))?;
            let bytes = read_bytes(&place, limits)?;
            let DecodedImage::Still(pixels) = read_image(&place, limits)?.picture else {
                return Err(FileError::read(path, ReadProblem::PageMoves(file.to_owned())));
            };
            Ok(PageImage { path: place, bytes, pixels: as_seen(page, pixels), _lease: None })
        };
        let of_page = |page: &PageEntry| {
            let known = specs.iter().filter_map(|spec| Some((spec, page.companions.get(&spec.suffix)?)));
            known
                .map(|(spec, file)| Ok((spec.clone(), companion(page, file)?)))
                .collect::<Result<_, FileError>>()
        };
        let companions = manifest.pages.iter().map(of_page).collect::<Result<_, _>>()?;
        Ok(Self { companions, ..Self::of(path, manifest, pages) })
    }

    /// A manifest and its pages in memory: `pond` is `pond.json`, and its pages are in the same folder. Companions are added by
    /// [`with_companion`](Self::with_companion).
    ///
    /// # Errors
    /// If a page is missing, a page's size differs from the manifest's, or the manifest contradicts itself.
    pub fn new(stem: &str, manifest: Manifest, mut pages: Vec<PageImage>) -> Result<Self, ReadProblem> {
        let pixels: Vec<Pixels> = pages.iter().map(|page| page.pixels.clone()).collect();
        // Reading it as frames checks everything that can be wrong with it.
        frames_from_pages(manifest.clone(), pixels)?;
        for (entry, page) in manifest.pages.iter().zip(&mut pages) {
            page.pixels = as_seen(entry, page.pixels.clone());
        }
        let path = PathBuf::from(format!("{stem}.json"));
        Ok(Self { stem: stem.to_owned(), ..Self::of(&path, manifest, pages) })
    }

    /// Adds a companion of a page, such as its normal map, for exports that use it (glTF).
    ///
    /// # Errors
    /// If the manifest lists no such companion of that page, or its size differs from the page's.
    pub fn with_companion(
        mut self,
        page: usize,
        suffix: &str,
        image: PageImage,
    ) -> Result<Self, ReadProblem> {
        let missing = || ReadProblem::PageMissing(format!("{suffix} of page {page}"));
        let entry = self.manifest.pages.get(page).ok_or_else(missing)?;
        let file = entry.companions.get(suffix).ok_or_else(missing)?;
        let spec = companion_specs(&self.manifest).into_iter().find(|spec| spec.suffix == suffix);
        let spec = spec.ok_or_else(missing)?;
        let (found, size) = (image.pixels.size(), Size::from((entry.size[0], entry.size[1])));
        if found != size {
            return Err(ReadProblem::CompanionSize { companion: file.clone(), found, page: size });
        }
        let pixels = as_seen(entry, image.pixels.clone());
        self.companions.resize_with(self.manifest.pages.len(), Vec::new);
        self.companions[page].push((spec, PageImage { pixels, ..image }));
        Ok(self)
    }

    /// Reads a manifest alone, for formats that need no image of it.
    ///
    /// # Errors
    /// If the manifest can't be read, or its numbers don't belong together.
    pub fn open_without_pages(path: &Path, limits: &ReadOptions) -> Result<Self, FileError> {
        let LoadedPage { manifest, pages, .. } = open_manifest_alone(path, limits)?;
        let files = page_files(path, &manifest)?;
        let page =
            |(path, pixels): (PathBuf, Pixels)| PageImage { path, bytes: Vec::new(), pixels, _lease: None };
        let pages = files.into_iter().zip(pages).map(page).collect();
        Ok(Self::of(path, manifest, pages))
    }

    fn of(path: &Path, manifest: Manifest, pages: Vec<PageImage>) -> Self {
        let frames = FrameGeometry::of_all(&manifest);
        let clips = manifest.clips.iter().map(|clip| ClipTimeline::of(clip, &frames)).collect();
        let (stem, path) = (stem_of(path), path.to_owned());
        Self {
            manifest: Arc::new(manifest),
            path,
            stem,
            pages,
            companions: Vec::new(),
            frames: Arc::new(frames),
            clips: Arc::new(clips),
        }
    }

    /// A page's path from another folder, with `/`; whole where they have nothing in common.
    pub fn page_from(&self, folder: &Path, page: usize) -> String {
        relative(&self.pages[page].path, folder)
    }

    /// Whether a page's colors are multiplied by alpha.
    pub fn is_premultiplied(&self, page: usize) -> bool {
        self.manifest.pages[page].alpha == Alpha::Premultiplied
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
