//! Notices of the pipeline, with the options that matter for them.

use shibori_core::pack::ReuseOutcome;
use shibori_formats::decode::ReadNotice;
use shibori_pipeline::{Notice, Task};

use crate::message::{Message, MessageLevel};
use crate::wording::{abbreviate_list, command_line};

/// What is counted.
pub(crate) fn task_label(task: Task) -> &'static str {
    match task {
        Task::Frames => "writing frames",
        Task::Pages => "writing pages",
        Task::Pictures => "encoding images",
        _ => "working",
    }
}

/// A notice in words.
pub(crate) fn notice(notice: &Notice) -> (MessageLevel, Message) {
    let level = if is_warning(notice) { MessageLevel::Warning } else { MessageLevel::Note };
    let text = own_text(notice).unwrap_or_else(|| format!("{notice}{}", way_out(notice)));
    (level, Message { text, pointer: None, hint: hint(notice) })
}

/// Whether something may be wrong.
fn is_warning(notice: &Notice) -> bool {
    match notice {
        Notice::Read(read) => {
            matches!(read, ReadNotice::MissingNumbers { .. } | ReadNotice::Truncated { .. })
        }
        Notice::PlacesKept { outcome, .. } => match outcome {
            ReuseOutcome::Kept { moved, .. } => *moved > 0,
            ReuseOutcome::Anew(_) => true,
            ReuseOutcome::Repacked(_) => false,
        },
        Notice::CutThrough { .. }
        | Notice::MayTouch { .. }
        | Notice::OnlySpecks { .. }
        | Notice::UnevenScale { .. }
        | Notice::EmptyRow(_)
        | Notice::NoMatch { .. }
        | Notice::PoorMatch { .. }
        | Notice::CompanionsMissing { .. }
        | Notice::VanishedAtScale { .. }
        | Notice::TooFast { .. }
        | Notice::Hardened { .. }
        | Notice::Reduced { .. }
        | Notice::Crossed { .. } => true,
        _ => false,
    }
}

/// The whole text, if an option is its subject.
fn own_text(notice: &Notice) -> Option<String> {
    Some(match notice {
        Notice::RowsLeftOut { clips } => format!(
            "--row-order leaves out {}; the frames follow in rows of their own",
            abbreviate_list(clips)
        ),
        Notice::UnevenScale { factor } => format!("--scale {factor} draws some pixels larger than others"),
        Notice::FittedScale { sprite, factor } => {
            let whole = if factor.denominator() == 1 { "whole " } else { "" };
            format!("{sprite}: --scale {factor} is the largest {whole}factor at which all frames fit")
        }
        Notice::PlacesKept { .. } => format!("--keep-places: {notice}"),
        _ => return None,
    })
}

/// What to do, on the same line.
fn way_out(notice: &Notice) -> &'static str {
    match notice {
        Notice::NumberedFrames { .. } => "; to cut them, give --grid or --islands",
        Notice::FlatBackground { .. } => "; --key auto makes it transparent",
        Notice::MixedEdges { .. } => "; --defringe removes its color",
        Notice::KeyLeft { .. } => "; --key-scope everywhere removes them too",
        Notice::MovedOver { .. } => "; --canvas WxH sets another",
        _ => "",
    }
}

/// What to do, as a hint.
fn hint(notice: &Notice) -> Option<String> {
    Some(match notice {
        Notice::UncutSheet { command, .. } => format!("cut it first: {}", command_line(command)),
        Notice::NoClips { command: Some(command), .. } => format!("name one: {}", command_line(command)),
        Notice::NoClips { command: None, .. } => {
            "name one when slicing: --clip \"walk = 0-7 @12fps\"".to_owned()
        }
        Notice::Read(ReadNotice::MissingNumbers { .. }) => {
            "the clip plays without them; add the files if they should be there".to_owned()
        }
        Notice::PlacesKept { outcome: ReuseOutcome::Kept { moved: 0, .. }, most_waste: None } => {
            "to do that once, leave out --keep-places; to do it whenever it saves more than 20%, add --repack-over 20"
                .to_owned()
        }
        Notice::PlacesKept { outcome: ReuseOutcome::Kept { moved: 0, .. }, most_waste: Some(_) } => {
            "to do that once, leave out --keep-places".to_owned()
        }
        Notice::CutThrough { .. } => {
            "see it with shibori preview grid; move the lines with --cell, --offset and --gutter".to_owned()
        }
        Notice::MayTouch { separate: Some(join), .. } => format!("--join {join} separates them"),
        Notice::MayTouch { separate: None, .. } => {
            "to separate them, list their rectangles in a CSV file for --rects".to_owned()
        }
        Notice::OnlySpecks { cells, .. } => {
            let most = cells.iter().map(|(_, pixels)| *pixels).max().unwrap_or(0);
            format!("--specks {most} removes them; cells left blank are dropped")
        }
        Notice::UnevenScale { factor } => {
            let whole = factor.value().round().max(1.0);
            format!("use a whole factor such as {whole}, or --resample smooth for painted art")
        }
        Notice::NoMatch { .. } => {
            "left in place; choose another --region, or raise --align-reach".to_owned()
        }
        Notice::PoorMatch { .. } => {
            "check with shibori preview onion; hold a different part still with --region, or try --align mass"
                .to_owned()
        }
        Notice::VanishedAtScale { smooth_helps: true, .. } => {
            "add --resample smooth to keep them visible".to_owned()
        }
        Notice::Hardened { .. } => {
            "write an .apng, or add --background with a color or checker".to_owned()
        }
        Notice::Reduced { .. } => "write an .apng to keep them".to_owned(),
        Notice::Crossed { .. } => {
            "they are marked pink; try other values, or run shibori inspect".to_owned()
        }
        _ => return None,
    })
}
