//! An atlas or a set in other formats.

use std::path::{Path, PathBuf};

use shibori_formats::ReadProblem;
use shibori_formats::decode::{ReadOptions, read_bytes};
use shibori_formats::export::{
    self, BUILTIN_TEMPLATES, BuiltinTemplate, Container, ExportSource, File, Gltf,
};
use tracing::info_span;

use crate::options::{ExportFormat, ExportOptions};
use crate::{Context, Error, ExportInputError, Notice};

/// Metadata in another form. Nothing is written.
#[derive(Clone, Debug)]
#[must_use = "a step returns what it made and changes nothing else"]
pub struct Exported {
    /// The files, and where they go.
    pub files: Vec<File>,
    /// Whether it is the one text of a template, which could as well go to standard output.
    pub is_text: bool,
    /// How many frames it describes.
    pub frames: usize,
    /// How many clips.
    pub clips: usize,
}

/// A template that comes with shibori.
pub fn starter(name: &str) -> Option<&'static BuiltinTemplate> {
    BUILTIN_TEMPLATES.iter().find(|starter| starter.name == name)
}

/// A manifest in another format; beside the manifest unless a target is given.
///
/// # Errors
/// If the manifest, a page or the template can't be read, or the format can't hold what is in them.
pub fn export(
    path: &Path,
    options: &ExportOptions,
    target: Option<&Path>,
    cx: &Context<'_>,
) -> Result<Exported, Error> {
    options.validate()?;
    let wanted = Wanted::of(options, cx)?;
    if let Some(template) = &options.template {
        cx.transaction().add_sources(&[cx.resolve(template)]);
    }
    export_as(path, &wanted, options, target, cx)
}

/// An export by a template in memory.
///
/// # Errors
/// As [`export()`].
pub fn export_by_text(
    path: &Path,
    template: &str,
    target: &Path,
    cx: &Context<'_>,
) -> Result<Exported, Error> {
    let (name, source) = (PathBuf::from("template"), template.to_owned());
    let wanted = Wanted::Template { name, source, ending: String::new() };
    export_as(path, &wanted, &ExportOptions::default(), Some(target), cx)
}

fn export_as(
    path: &Path,
    wanted: &Wanted,
    options: &ExportOptions,
    target: Option<&Path>,
    cx: &Context<'_>,
) -> Result<Exported, Error> {
    let _span = info_span!("export").entered();
    cx.finish_interrupted(path)?;
    let manifest =
        cx.limits().manifest_of(&cx.resolve(path)).filter(|manifest| cx.limits().staged.exists(manifest));
    let Some(manifest) = manifest else {
        cx.require_exists(path)?;
        return Err(Error::ExportInput(ExportInputError::NoManifest { path: path.to_owned() }));
    };
    let subject = match ExportSource::open(&manifest, &wanted.read_options(cx)) {
        Err(error) if error.is_page_missing() && wanted.is_table() => {
            let subject = ExportSource::open_without_pages(&manifest, cx.limits())?;
            cx.notify(Notice::PagesMissing { manifest: path.to_owned() });
            subject
        }
        read => read?,
    };
    let companions = subject.companions.iter().flatten().map(|(_, image)| image);
    let images = subject.pages.iter().chain(companions).map(|image| image.path.clone());
    cx.transaction().add_sources(&images.collect::<Vec<_>>());
    cx.transaction().add_sources(&[manifest]);
    let target = target.map_or_else(|| sibling_path(&subject, wanted.ending()), |target| cx.resolve(target));
    if let Wanted::Format(format) = wanted {
        export::check_extension(&target, format.ending())?;
    }
    let files = wanted.files(&subject, options, &target)?;
    let is_text = matches!(wanted, Wanted::Template { .. });
    Ok(Exported { files, is_text, frames: subject.frames.len(), clips: subject.clips.len() })
}

/// Stages the files of an export; they are in place after [`Context::commit`].
///
/// # Errors
/// If one can't be written.
pub fn stage_export(exported: &Exported, cx: &Context<'_>) -> Result<(), Error> {
    export::stage_files(&exported.files, cx.transaction())?;
    Ok(())
}

/// What is to be made.
enum Wanted {
    Format(ExportFormat),
    Template { name: PathBuf, source: String, ending: String },
}

impl Wanted {
    fn of(options: &ExportOptions, cx: &Context<'_>) -> Result<Self, Error> {
        match (options.to, &options.template) {
            (Some(format), _) => Ok(Self::Format(format)),
            (None, Some(template)) => Self::template(template, cx),
            (None, None) => Err(Error::ExportInput(ExportInputError::NoFormat)),
        }
    }

    /// A file; or, where there is none of that name, a template that comes with shibori.
    fn template(path: &Path, cx: &Context<'_>) -> Result<Self, Error> {
        let file = cx.resolve(path);
        if let Some(starter) = starter(&path.to_string_lossy()).filter(|_| !file.exists()) {
            let (source, ending) = (starter.source.to_owned(), starter.extension().to_owned());
            return Ok(Self::Template { name: path.to_owned(), source, ending });
        }
        let text = read_bytes(&file, cx.limits()).map_err(|error| match error {
            shibori_formats::FileError::Read { problem: ReadProblem::NotFound, .. } => {
                Error::ExportInput(ExportInputError::NoTemplate { template: path.to_owned() })
            }
            shibori_formats::FileError::Read { problem, .. } => {
                Error::File(shibori_formats::FileError::Read { path: path.to_owned(), problem })
            }
            error => error.into(),
        })?;
        let Ok(source) = String::from_utf8(text) else {
            return Err(Error::ExportInput(ExportInputError::TemplateNotText { template: path.to_owned() }));
        };
        let source = source.trim_start_matches('\u{feff}').to_owned();
        Ok(Self::Template { name: path.to_owned(), ending: template_ending(path), source })
    }

    /// Whether no image is needed.
    fn is_table(&self) -> bool {
        matches!(self, Self::Format(ExportFormat::Csv) | Self::Template { .. })
    }

    /// Scenes have materials, and those have companions.
    fn read_options(&self, cx: &Context<'_>) -> ReadOptions {
        let is_scene = matches!(self, Self::Format(ExportFormat::Gltf | ExportFormat::Glb));
        ReadOptions { companions: is_scene, ..cx.limits().clone() }
    }

    fn ending(&self) -> &str {
        match self {
            Self::Format(format) => format.ending(),
            Self::Template { ending, .. } => ending,
        }
    }

    fn files(
        &self,
        subject: &ExportSource,
        options: &ExportOptions,
        target: &Path,
    ) -> Result<Vec<File>, Error> {
        let unit = options.unit.map_or(1.0, |unit| unit.0);
        let scene = |container| export::gltf(subject, &Gltf { container, unit }, target);
        Ok(match self {
            Self::Format(ExportFormat::Csv) => export::csv(subject, target)?,
            Self::Format(ExportFormat::Css) => export::css(subject, target)?,
            Self::Format(ExportFormat::Svg) => export::svg(subject, target)?,
            Self::Format(ExportFormat::Gltf) => scene(Container::Text)?,
            Self::Format(ExportFormat::Glb) => scene(Container::Binary)?,
            Self::Template { name, source, .. } => {
                let text = export::render(subject, source).map_err(|error| {
                    Error::ExportInput(ExportInputError::Template { template: name.clone(), error })
                })?;
                vec![File { path: target.to_owned(), bytes: text.into_bytes() }]
            }
        })
    }
}

/// How a file of a template ends: `lua` for `engine.lua.j2`, but `engine.json` for `engine.json.j2`, since the manifest
/// itself ends in `.json`.
pub(crate) fn template_ending(path: &Path) -> String {
    let bare = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let bare = [".j2", ".jinja"].iter().find_map(|end| bare.strip_suffix(end)).unwrap_or(&bare);
    let ending = Path::new(bare).extension().unwrap_or_default().to_string_lossy().into_owned();
    match ending.to_lowercase().as_str() {
        "" => "txt".to_owned(),
        "json" => bare.to_owned(),
        _ => ending,
    }
}

/// `pond.css` beside `pond.json`; for a set, `koi/koi.css`.
fn sibling_path(subject: &ExportSource, ending: &str) -> PathBuf {
    subject.path.with_file_name(format!("{}.{ending}", subject.stem))
}
