//! `shibori export`: an atlas told in other forms.

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_formats::export::{
    self, Container, ExportError, File, Gltf, STARTERS, Starter, Subject, TemplateError,
};
use shibori_formats::read::manifest_of;
use shibori_formats::{Error, ReadProblem};

use super::{policy, wrote};
use crate::args::{Everywhere, Export, ExportTo};
use crate::console::{Console, bytes, counted};
use crate::failure::{Exit, Failure};

/// Standard output, where one file is meant.
const STDOUT: &str = "-";

#[derive(Serialize)]
struct Report {
    files: Vec<FileReport>,
    frames: usize,
    clips: usize,
}

#[derive(Serialize)]
struct FileReport {
    file: PathBuf,
    bytes: usize,
}

pub(super) fn run(args: &Export, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    if args.list {
        list(console);
        return Ok(());
    }
    if let Some(name) = &args.print_template {
        print!("{}", starter(name).ok_or_else(|| unknown(name))?.source);
        return Ok(());
    }
    let wanted = Wanted::of(args)?;
    let named = args.manifest.as_deref().unwrap_or(Path::new(""));
    let manifest = manifest_of(named).filter(|path| path.exists()).ok_or_else(|| no_manifest(named))?;
    let subject = Subject::open(&manifest, &everywhere.limits())?;
    let target = args.output.clone().unwrap_or_else(|| beside(&subject, &wanted));
    let files = wanted.files(&subject, args, &target)?;
    if target == Path::new(STDOUT) {
        return match files.as_slice() {
            [one] if matches!(wanted, Wanted::Template { .. }) => {
                print!("{}", String::from_utf8_lossy(&one.bytes));
                Ok(())
            }
            _ => Err(Failure::usage("only a template's text goes to standard output")
                .with_hint("name a file with -o, or leave -o out to write beside the manifest")),
        };
    }
    let mut sources: Vec<PathBuf> = subject.pages.iter().map(|page| page.path.clone()).collect();
    sources.push(manifest);
    if let Some(template) = &args.template {
        sources.push(template.clone());
    }
    let written = export::write_files(&files, &policy(everywhere, sources))?;
    let report = Report {
        files: written
            .files
            .iter()
            .zip(&files)
            .map(|(path, file)| FileReport { file: path.clone(), bytes: file.bytes.len() })
            .collect(),
        frames: subject.frames.len(),
        clips: subject.clips.len(),
    };
    for file in &report.files {
        console.say(&format!("{} {}: {}", wrote(everywhere), file.file.display(), bytes(file.bytes as u64)));
    }
    console.say(&format!("{} and {}", counted(report.frames, "frame"), counted(report.clips, "clip")));
    console.result(&report);
    Ok(())
}

/// What is to be made.
enum Wanted {
    Format(ExportTo),
    Template { name: String, source: String, ending: String },
}

impl Wanted {
    fn of(args: &Export) -> Result<Self, Failure> {
        let is_gltf = matches!(args.to, Some(ExportTo::Gltf | ExportTo::Glb));
        if args.unit.is_some() && !is_gltf {
            return Err(Failure::usage("--unit has no use here; it goes with --to gltf or glb"));
        }
        match (args.to, &args.template) {
            (Some(format), _) => Ok(Self::Format(format)),
            (None, Some(template)) => Self::template(template),
            (None, None) => Err(Failure::usage("nothing says what to export to")
                .with_hint("add --to csv, css, svg, gltf or glb, or --template FILE; --list shows them")),
        }
    }

    /// A file; or, where there is none of that name, a template that comes with shibori.
    fn template(path: &Path) -> Result<Self, Failure> {
        let name = path.display().to_string();
        if let Some(starter) = starter(&name).filter(|_| !path.exists()) {
            let (source, ending) = (starter.source.to_owned(), starter.ending().to_owned());
            return Ok(Self::Template { name, source, ending });
        }
        let text = std::fs::read(path).map_err(|error| Failure::from(no_template(path, &error)))?;
        let Ok(source) = String::from_utf8(text) else {
            return Err(Failure {
                exit: Exit::Input,
                ..Failure::usage(format!("{name}: a template is UTF-8 text"))
            });
        };
        let bare = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let bare = [".j2", ".jinja"].iter().find_map(|end| bare.strip_suffix(end)).unwrap_or(&bare);
        let ending = Path::new(bare).extension().map_or("txt".into(), |ending| ending.to_string_lossy());
        Ok(Self::Template { name, ending: ending.into_owned(), source })
    }

    fn ending(&self) -> &str {
        match self {
            Self::Format(format) => format.ending(),
            Self::Template { ending, .. } => ending,
        }
    }

    fn files(&self, subject: &Subject, args: &Export, target: &Path) -> Result<Vec<File>, Failure> {
        let unit = args.unit.map_or(1.0, |unit| unit.0);
        let scene = |container| export::gltf(subject, &Gltf { container, unit }, target);
        let files = match self {
            Self::Format(ExportTo::Csv) => export::csv(subject, target),
            Self::Format(ExportTo::Css) => export::css(subject, target),
            Self::Format(ExportTo::Svg) => export::svg(subject, target),
            Self::Format(ExportTo::Gltf) => scene(Container::Text),
            Self::Format(ExportTo::Glb) => scene(Container::Binary),
            Self::Template { name, source, .. } => {
                let text = export::render(subject, source).map_err(|error| in_template(name, error))?;
                return Ok(vec![File { path: target.to_owned(), bytes: text.into_bytes() }]);
            }
        };
        Ok(files?)
    }
}

/// `pond.css` beside `pond.json`; for a set, `koi/koi.css`.
fn beside(subject: &Subject, wanted: &Wanted) -> PathBuf {
    subject.path.with_file_name(format!("{}.{}", subject.stem, wanted.ending()))
}

fn starter(name: &str) -> Option<&'static Starter> {
    STARTERS.iter().find(|starter| starter.name == name)
}

fn unknown(name: &str) -> Failure {
    let names: Vec<&str> = STARTERS.iter().map(|starter| starter.name).collect();
    Failure::usage(format!("there is no template '{name}'"))
        .with_hint(format!("there are: {}", names.join(", ")))
}

fn no_manifest(path: &Path) -> Failure {
    let exists = path.exists();
    let what = if exists { "is no atlas and no set" } else { "no such file or folder" };
    let failure = Failure { exit: Exit::Input, ..Failure::usage(format!("{}: {what}", path.display())) };
    if exists {
        failure.with_hint("pack it first, or slice it: what is exported is a manifest with its pages")
    } else {
        failure.with_hint("name an atlas's .json, or the folder of a set")
    }
}

fn no_template(path: &Path, error: &std::io::Error) -> Error {
    let problem = match error.kind() {
        std::io::ErrorKind::NotFound => ReadProblem::NotFound,
        _ => ReadProblem::Io(std::io::Error::new(error.kind(), error.to_string())),
    };
    Error::Read { path: path.to_owned(), problem }
}

fn in_template(name: &str, error: TemplateError) -> Failure {
    let TemplateError { line, column, problem, hint } = error;
    let failure = Failure::usage(format!("{name}: line {line}, column {column}: {problem}"));
    Failure { hint, ..failure }
}

fn list(console: &Console) {
    console.head("--to");
    for (name, what) in [
        ("csv", "tables: a row a frame, and a row a clip step"),
        ("css", "a class a frame, a class a clip"),
        ("svg", "one image with a view a frame: pond.svg#koi-00"),
        ("gltf", "glTF 2.0 beside its pages: quads and animations"),
        ("glb", "glTF 2.0 in one file"),
    ] {
        console.say(&format!("  {name:<11} {what}"));
    }
    console.head("--template");
    for Starter { name, what, .. } in &STARTERS {
        console.say(&format!("  {name:<11} {what}"));
    }
    console.say("  FILE        your own: shibori export --print-template lua prints one to start from");
}

impl From<ExportError> for Failure {
    fn from(error: ExportError) -> Self {
        let failure = Self::usage(error.to_string());
        match error {
            ExportError::Clash { .. } => failure
                .with_hint("rename one: clips with clip MANIFEST --rename OLD=NEW, frames with slice --name"),
            ExportError::Turned { .. } => {
                failure.with_hint("pack without --allow-turn; svg, gltf and glb turn frames back")
            }
            ExportError::SameTime { .. } => {
                failure.with_hint("put the clip on a coarser clock: clip MANIFEST --fit 60fps")
            }
            ExportError::Page { format: "CSS", .. } => {
                failure.with_hint("export to svg, which converts pages, or pack them as straight PNG or WebP")
            }
            ExportError::Page { .. } => {
                failure.with_hint("export to glb, which converts pages, or pack them as straight PNG")
            }
            ExportError::Encode(_) => failure,
        }
    }
}
