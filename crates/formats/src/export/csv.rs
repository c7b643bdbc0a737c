//! Tables (RFC 4180): one row per frame, and one row per clip step.

use std::path::{Path, PathBuf};

use ::csv::{Terminator, WriterBuilder};

use crate::export::{ExportError, ExportSource, File, sibling_path};
use crate::manifest::{Alpha, Sampling};
use crate::tables::{FRAME_COLUMNS, STEP_COLUMNS};

/// Two tables: `pond.csv` has the frames, `pond-clips.csv` the steps of the clips.
pub fn csv(subject: &ExportSource, path: &Path) -> Result<Vec<File>, ExportError> {
    let folder = path.parent().unwrap_or(Path::new(""));
    let frames = table(&FRAME_COLUMNS, (0..subject.frames.len()).map(|at| frame(subject, at, folder)))?;
    let mut files = vec![File::new(path, frames)];
    if !subject.clips.is_empty() {
        files.push(File::new(steps_beside(path), table(&STEP_COLUMNS, steps(subject))?));
    }
    Ok(files)
}

/// Where the steps of the clips go beside a table of frames.
pub fn steps_beside(path: &Path) -> PathBuf {
    sibling_path(path, "-clips.csv")
}

fn table(head: &[&str], rows: impl Iterator<Item = Vec<String>>) -> Result<Vec<u8>, ExportError> {
    let failed = |error: &dyn std::fmt::Display| ExportError::Encode(error.to_string());
    let mut writer = WriterBuilder::new().terminator(Terminator::CRLF).from_writer(Vec::new());
    writer.write_record(head).map_err(|error| failed(&error))?;
    for row in rows {
        writer.write_record(&row).map_err(|error| failed(&error))?;
    }
    writer.into_inner().map_err(|error| failed(&error))
}

fn frame(subject: &ExportSource, at: usize, folder: &Path) -> Vec<String> {
    let (entry, facts) = (&subject.manifest.frames[at], &subject.frames[at]);
    let mut row = vec![entry.sprite.clone(), entry.name.clone(), at.to_string(), facts.number.to_string()];
    row.push(entry.page.to_string());
    row.push(subject.page_from(folder, entry.page));
    row.extend(entry.rect.map(|number| number.to_string()));
    row.push(entry.rotated.to_string());
    row.extend([entry.canvas, entry.inset].concat().iter().map(ToString::to_string));
    row.extend(entry.pivot.map(|at| at.0.to_string()));
    row.extend(facts.uv.map(|share| share.to_string()));
    let spaced = |numbers: &[String]| numbers.join(" ");
    let one_box = |(name, sides): (&String, &[i32; 4])| {
        format!("{name}={}", spaced(&sides.map(|side| side.to_string())))
    };
    row.push(entry.boxes.iter().map(one_box).collect::<Vec<_>>().join(";"));
    row.push(entry.nine.map(|sides| spaced(&sides.map(|side| side.to_string()))).unwrap_or_default());
    let corner = |[x, y]: &[crate::manifest::Coordinate; 2]| format!("{} {}", x.0, y.0);
    row.push(entry.polygon.iter().map(corner).collect::<Vec<_>>().join(";"));
    let text = |number: Option<u32>| number.map(|number| number.to_string()).unwrap_or_default();
    row.extend([facts.row, facts.column, facts.grid_index].map(text));
    let page = subject.manifest.pages.get(entry.page);
    let is_premultiplied = page.is_some_and(|page| page.alpha == Alpha::Premultiplied);
    row.push(if is_premultiplied { "premultiplied" } else { "straight" }.to_owned());
    row.push(match page.and_then(|page| page.sampling) {
        None => String::new(),
        Some(Sampling::Nearest) => "nearest".to_owned(),
        Some(Sampling::Smooth) => "smooth".to_owned(),
    });
    let companions = page.into_iter().flat_map(|page| &page.companions);
    row.push(companions.map(|(suffix, file)| format!("{suffix}={file}")).collect::<Vec<_>>().join(";"));
    // Columns u0 to v1 always count from the top.
    row.push("top".to_owned());
    row
}

fn steps(subject: &ExportSource) -> impl Iterator<Item = Vec<String>> + '_ {
    let clips = subject.manifest.clips.iter().zip(subject.clips.iter());
    clips.flat_map(move |(clip, facts)| {
        // The way back of a bounce repeats steps: a row is a step as it is listed.
        facts.playback.iter().take(clip.steps.len()).map(move |step| {
            let frame = &subject.manifest.frames[step.frame].name;
            let play = if clip.play == shibori_core::clip::PlayMode::Bounce { "bounce" } else { "forward" };
            let mut row =
                vec![clip.sprite.clone(), clip.name.clone(), play.to_owned(), clip.plays.to_string()];
            row.extend([step.step.to_string(), frame.clone(), step.frame.to_string()]);
            row.extend([step.mirror.to_string(), step.event.clone().unwrap_or_default()]);
            row.extend([step.ticks.to_string(), clip.timescale.to_string()]);
            row.extend([step.ms.to_string(), step.start_ms.to_string()]);
            row.push(step.grid_index.map(|cell| cell.to_string()).unwrap_or_default());
            row
        })
    })
}
