//! What the pipeline noticed, in words, with the options that have to do with it.

use shibori_core::clip::EmptyRow;
use shibori_core::cut::{Side, Through};
use shibori_core::shape::Together;
use shibori_formats::ShownPath;
use shibori_formats::read::Remark;
use shibori_pipeline::{Notice, Task};

use crate::message::{Message, Weight};
use crate::words::{counted, grouped, rest_of, some};

/// What is counted.
pub(crate) fn task(task: Task) -> &'static str {
    match task {
        Task::Frames => "writing frames",
        Task::Pages => "writing pages",
        Task::Pictures => "encoding pictures",
    }
}

fn note(text: String) -> (Weight, Message) {
    (Weight::Note, Message { text, pointer: None, hint: None })
}

fn warning(text: String, hint: Option<&str>) -> (Weight, Message) {
    (Weight::Warning, Message { text, pointer: None, hint: hint.map(str::to_owned) })
}

/// Where a drawing goes on: `r0c2 into r0c3, 4 px`.
fn through(place: &Through) -> String {
    let Through { cell, side, into, pixels } = place;
    let beyond = match (into, side) {
        (Some(into), _) => format!("into {into}"),
        (None, Side::Left) => "beyond its left side".to_owned(),
        (None, Side::Right) => "beyond its right side".to_owned(),
        (None, Side::Top) => "beyond its top".to_owned(),
        (None, Side::Bottom) => "beyond its bottom".to_owned(),
    };
    format!("{cell} goes on {beyond}, {pixels} px")
}

/// The first places, and how many more there are.
fn first_places(places: &[Through]) -> String {
    const MOST: usize = 6;
    let told: Vec<String> = places.iter().take(MOST).map(through).collect();
    let more = places.len().saturating_sub(MOST);
    let more = if more > 0 { format!("; and {} more", grouped(more as u64)) } else { String::new() };
    format!("{}{more}", told.join("; "))
}

/// A notice in words.
pub(crate) fn notice(notice: &Notice) -> (Weight, Message) {
    match notice {
        Notice::Read(remark) => self::remark(remark),
        Notice::FlatBackground { file, color } => {
            note(format!("{}: the background is flat {color}; --key auto makes it transparent", file.shown()))
        }
        Notice::AlreadyClear { file } => {
            note(format!("{}: is transparent already, so no background is taken out", file.shown()))
        }
        Notice::Rest { file, rest } => {
            note(format!("{}: {} lie outside the grid; nothing is drawn there", file.shown(), rest_of(*rest)))
        }
        Notice::CutThrough { file, places } => warning(
            format!(
                "{}: the cut goes through drawings in {}: {}",
                file.shown(),
                counted(places.len(), "place"),
                first_places(places)
            ),
            Some("shibori preview grid draws it; --cell, --offset and --gutter move the lines"),
        ),
        Notice::OnlySpecks { file, cells } => {
            let most = cells.iter().map(|(_, pixels)| *pixels).max().unwrap_or(0);
            let told: Vec<String> =
                cells.iter().map(|(cell, pixels)| format!("{cell} ({pixels} px)")).collect();
            let hold = if cells.len() == 1 { "holds" } else { "hold" };
            warning(
                format!("{}: {} {hold} nothing but specks", file.shown(), some(&told)),
                Some(&format!("--specks {most} removes them; cells that are blank then are no frames")),
            )
        }
        Notice::MixedEdges { file, share } => note(format!(
            "{}: {:.0} % of edge pixels are mixed with the background; --defringe takes its color out",
            file.shown(),
            share * 100.0
        )),
        Notice::KeyLeft { file, colors, pixels } => note(format!(
            "{}: {} of {colors} are left inside drawings; --key-scope everywhere takes them too",
            file.shown(),
            counted(*pixels as usize, "pixel")
        )),
        Notice::UnevenScale { factor } => {
            let whole = factor.value().round().max(1.0);
            let hint = format!("use a whole factor such as {whole}, or --resample smooth for painted art");
            warning(format!("--scale {factor} draws some pixels larger than others"), Some(&hint))
        }
        Notice::EmptyRow(EmptyRow { sprite, row, clip }) => {
            warning(format!("r{row} of '{sprite}' has no frame, so there is no clip '{clip}'"), None)
        }
        Notice::FittedScale { sprite, factor } => {
            note(format!("{sprite}: --scale {factor} is the largest at which all frames fit"))
        }
        Notice::NoMatch { sprite, frame, likeness } => warning(
            format!("{sprite}:{frame}: no shift matches well (best likeness {likeness:.2})"),
            Some("it stays where it is; choose another --region, or raise --align-reach"),
        ),
        Notice::Together(Together { by_figure: 0, .. }) => {
            note("frames stand on the middle of their lower edge on a common canvas".to_owned())
        }
        Notice::Together(Together { by_feet: 0, .. }) => {
            note("frames are put on a common canvas so that the figure of each clip stands still".to_owned())
        }
        Notice::Together(Together { by_figure, by_feet }) => note(format!(
            "{} are put together by the figure of their clip, {by_feet} stand on the middle of their lower edge",
            counted(*by_figure, "frame")
        )),
        Notice::PoorMatch { sprite, frames, first, likeness } => {
            let frames = match frames {
                1 => format!("{sprite}:{first} has little in common with the rest of its clip"),
                _ => format!(
                    "{frames} frames of {sprite} have little in common with the rest of their clip, such as {first}"
                ),
            };
            let hint = "look at it with: shibori preview onion; hold another part still with --region, or try --align mass";
            warning(format!("{frames} ({:.0} % of it agrees)", likeness * 100.0), Some(hint))
        }
        Notice::PivotsOutside { frames, first, pivot, canvas } => note(format!(
            "{} have their pivot outside the canvas, such as '{first}': {pivot} of {canvas} px",
            counted(*frames, "frame")
        )),
        Notice::CanvasesGrow { frames, step } => note(format!(
            "the canvas of {} grows to a multiple of {step} px, to the right and downwards, so that --page-scales lands on whole pixels",
            counted(*frames, "frame")
        )),
        Notice::CompanionsMissing { spec, frames, first } => warning(
            format!(
                "companion {}: {} without one, such as '{first}'; filled with {}",
                spec.suffix,
                counted(*frames, "frame"),
                spec.neutral
            ),
            None,
        ),
        Notice::ArrangedAnew { why } => warning(format!("--keep-places: arranged anew: {why}"), None),
        Notice::TooFast { dropped, of } => warning(
            format!(
                "{dropped} of {of} pictures are left out, evenly, so that the total is right: browsers show none for so short a time"
            ),
            None,
        ),
        Notice::Hardened { pixels } => warning(
            format!("a GIF has no half transparency: {} pixels were made clear or solid", grouped(*pixels)),
            Some("write an .apng, or add --background with a color or checker"),
        ),
        Notice::Reduced { colors } => warning(
            format!("a GIF has 256 colors: {} were reduced to 255", grouped(*colors as u64)),
            Some("write an .apng to keep them"),
        ),
        Notice::Crossed { pixels } => warning(
            format!("{} of drawings are crossed by a line or lie in no cell", counted(*pixels, "pixel")),
            Some("they are marked in pink; try other numbers, or shibori inspect"),
        ),
        other => note(format!("{other:?}")),
    }
}

fn remark(remark: &Remark) -> (Weight, Message) {
    match remark {
        Remark::MissingNumbers { sequence, missing } => {
            let numbers: Vec<String> = missing.iter().map(ToString::to_string).collect();
            warning(
                format!("numbered images '{sequence}': missing {}", some(&numbers)),
                Some("the clip plays without them; add the files if they were forgotten"),
            )
        }
        Remark::Truncated { file, frames: 0 } => {
            warning(format!("{file}: ends early; what is there was taken; the rest is gray, or coarse"), None)
        }
        Remark::Truncated { file, frames } => warning(
            format!("{file}: ends early; the {} before that were taken", counted(*frames, "frame")),
            None,
        ),
        Remark::Edited { frame, file, was, now, canvas } => note(format!(
            "{file}: was {was} px, is {now} px; frame '{frame}' has a canvas of {canvas} px now"
        )),
        Remark::FastDelays { file, frames } => note(format!(
            "{file}: {} with a delay of up to 10 ms play as 100 ms, as in browsers",
            counted(*frames, "frame")
        )),
    }
}
