//! `shibori adjust`: frames that are cut already, cleaned and lined up.

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_core::shape::{Shift, TrimScope};
use shibori_core::{Frame, FrameSet};
use shibori_formats::manifest::SET_FILE;
use shibori_formats::write::{self, Policy};

use super::cleaning::{CleanReport, cleaned};
use super::shaping::{Shaped, shaped};
use super::{gather, policy, slice, wrote};
use crate::args::{Adjust, Everywhere};
use crate::console::{Console, counted};
use crate::failure::Failure;

#[derive(Serialize)]
struct Report {
    manifest: PathBuf,
    cleaned: Vec<CleanReport>,
    frames: Vec<FrameReport>,
    removed: Vec<PathBuf>,
}

#[derive(Serialize)]
struct FrameReport {
    sprite: String,
    name: String,
    /// What is not as it was.
    changes: Vec<&'static str>,
    /// Pixels to the right and down.
    #[serde(skip_serializing_if = "Option::is_none")]
    shift: Option<[i64; 2]>,
    /// How well a region matched, up to 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    likeness: Option<f64>,
}

pub(super) fn run(args: &Adjust, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let (set, sources) = gather::whole(&args.source, everywhere, console)?;
    let (folder, policy) = match &args.output {
        Some(folder) => (folder.clone(), policy(everywhere, sources)),
        None => {
            let folder = folder_of_set(&args.source)?;
            (folder, Policy { force: true, sources: Vec::new(), dry_run: everywhere.dry_run })
        }
    };
    let part = match &args.only.only {
        Some(only) => only.of(&set)?,
        None => set.clone(),
    };
    let before = part.clone();
    let (part, cleaned) = cleaned(part, &args.clean)?;
    cleaned.iter().for_each(|report| console.say(&report.line()));
    let Shaped { set: part, shifts } = shaped(part, &args.shape, TrimScope::None, None, console)?;
    let frames = reports(&before, &part, &shifts);
    let changed = frames.iter().filter(|frame| !frame.changes.is_empty()).count();
    let all = set.frames().len();
    let set = set.replacing(part)?;
    let files = write::set_files(set, &folder, &policy)?;
    let written = slice::write_set(files, all, console)?;
    let manifest = folder.join(SET_FILE);
    let text = format!("{} of {} changed", changed, counted(all, "frame"));
    console.say(&format!("{text}; {} {}", wrote(everywhere), manifest.display()));
    slice::say_removed(&written.removed, console);
    console.result(&Report { manifest, cleaned, frames, removed: written.removed });
    Ok(())
}

fn folder_of_set(source: &Path) -> Result<PathBuf, Failure> {
    if source.is_dir() && source.join(SET_FILE).is_file() {
        return Ok(source.to_owned());
    }
    if source.file_name().is_some_and(|name| name == SET_FILE) {
        return Ok(source.parent().unwrap_or(Path::new("")).to_owned());
    }
    Err(Failure::usage(format!("{}: only a set can be changed in place", source.display()))
        .with_hint("say where to write instead: -o SET"))
}

fn reports(before: &FrameSet, after: &FrameSet, shifts: &[Shift]) -> Vec<FrameReport> {
    let pairs = before.frames().iter().zip(after.frames()).enumerate();
    let report = |(at, (old, new)): (usize, (&Frame, &Frame))| {
        let shift = shifts.get(at);
        FrameReport {
            sprite: new.sprite().to_string(),
            name: new.name().to_string(),
            changes: changes(old, new),
            shift: shift.map(|shift| [shift.x, shift.y]),
            likeness: shift.and_then(|shift| shift.likeness),
        }
    };
    pairs.map(report).collect()
}

fn changes(old: &Frame, new: &Frame) -> Vec<&'static str> {
    let (a, b) = (old.marks(), new.marks());
    let all = [
        ("pixels", !old.pixels().looks_like(new.pixels())),
        ("canvas", old.canvas() != new.canvas()),
        ("inset", old.inset() != new.inset()),
        ("pivot", old.pivot() != new.pivot()),
        ("boxes", a.boxes != b.boxes),
        ("nine", a.nine != b.nine),
        ("polygon", a.polygon != b.polygon),
    ];
    all.into_iter().filter(|(_, is_new)| *is_new).map(|(what, _)| what).collect()
}
