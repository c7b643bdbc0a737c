//! Notices in plain English. They name no options; a program adds its own.

use std::fmt;
use std::path::Path;

use shibori_core::Name;
use shibori_core::clip::EmptyRow;
use shibori_core::cut::{Crossing, Side};
use shibori_core::pack::ReuseOutcome;
use shibori_core::shape::Coregistration;
use shibori_core::wording::{abbreviate_list, count_noun, group_digits, rest_of};
use shibori_formats::DisplaySlashed;

use crate::Notice;

/// Where a drawing goes on: `r0c2 continues into r0c3, 4 px`.
fn describe_crossing(place: &Crossing) -> String {
    let Crossing { cell, side, into, pixels } = place;
    let beyond = match (into, side) {
        (Some(into), _) => format!("into {into}"),
        (None, Side::Left) => "beyond its left side".to_owned(),
        (None, Side::Right) => "beyond its right side".to_owned(),
        (None, Side::Top) => "beyond its top".to_owned(),
        (None, Side::Bottom) => "beyond its bottom".to_owned(),
    };
    format!("{cell} continues {beyond}, {pixels} px")
}

/// The first places, and how many more there are.
fn list_crossings(places: &[Crossing]) -> String {
    const MOST: usize = 6;
    let texts: Vec<String> = places.iter().take(MOST).map(describe_crossing).collect();
    let more = places.len().saturating_sub(MOST);
    let more = if more > 0 { format!("; and {} more", group_digits(more as u64)) } else { String::new() };
    format!("{}{more}", texts.join("; "))
}

fn describe_reuse(outcome: &ReuseOutcome) -> String {
    let percent = |share: f64| format!("{:.0}%", (share * 100.0).floor());
    match outcome {
        ReuseOutcome::Kept { moved, stayed, .. } if *moved > 0 => format!(
            "{} had to move, since margin, gutter, bleed, or step changed; {} stayed",
            count_noun(*moved, "frame"),
            group_digits(*stayed as u64)
        ),
        ReuseOutcome::Kept { wasted, .. } => {
            format!("packed from scratch, the pages would be {} smaller", percent(*wasted))
        }
        ReuseOutcome::Repacked(wasted) => {
            format!("packed from scratch, since that makes the pages {} smaller", percent(*wasted))
        }
        ReuseOutcome::Anew(why) => format!("packed from scratch: {why}"),
    }
}

fn describe_coregistration(Coregistration { by_figure, by_feet, on_ground }: &Coregistration) -> String {
    let across = match (by_figure, by_feet) {
        (0, _) => "frames are aligned by their bottom center on a common canvas".to_owned(),
        (_, 0) => "frames are put on a common canvas, aligned by the figure of each clip".to_owned(),
        _ => format!(
            "{} are aligned by the figure of their clip, {by_feet} by their bottom center",
            count_noun(*by_figure, "frame")
        ),
    };
    match on_ground {
        0 => across,
        count if *count == by_figure + by_feet => {
            format!("{across}; vertically, by the ground line of their row on the sheet")
        }
        count => format!("{across}; {count} of them vertically, by the ground line of their row"),
    }
}

impl fmt::Display for Notice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&match self {
            Self::Read(notice) => notice.to_string(),
            Self::PlacesKept { outcome, .. } => describe_reuse(outcome),
            Self::Coregistration(outcome) => describe_coregistration(outcome),
            other => match other.subject() {
                Some(path) => format!("{}: {}", path.display_slashed(), other.about_file()),
                None => other.about_frames(),
            },
        })
    }
}

impl Notice {
    /// The file it is about, if it begins with its name.
    fn subject(&self) -> Option<&Path> {
        match self {
            Self::KeptByHand { file, .. }
            | Self::NoCompanions { file }
            | Self::UncutSheet { file, .. }
            | Self::FlatBackground { file, .. }
            | Self::AlreadyClear { file }
            | Self::KeyLeft { file, .. }
            | Self::Rest { file, .. }
            | Self::CutThrough { file, .. }
            | Self::OnlySpecks { file, .. }
            | Self::MixedEdges { file, .. }
            | Self::MayTouch { file, .. }
            | Self::NoClips { source: file, .. }
            | Self::PagesMissing { manifest: file } => Some(file),
            _ => None,
        }
    }

    fn about_file(&self) -> String {
        match self {
            Self::KeptByHand { work, .. } => format!("kept by hand: {work}"),
            Self::NoCompanions { .. } => {
                "companions are left out; a painting has one picture per frame".to_owned()
            }
            Self::UncutSheet { size, grid, .. } => format!(
                "read as one frame of {size} px, but it looks like a sheet of {} cells of {} px",
                grid.counts(),
                grid.cell_size()
            ),
            Self::FlatBackground { color, .. } => format!("the background is flat {color}"),
            Self::AlreadyClear { .. } => "already transparent, so no background is removed".to_owned(),
            Self::KeyLeft { colors, pixels, .. } => {
                format!("{} of {colors} remain inside drawings", count_noun(*pixels as usize, "pixel"))
            }
            Self::Rest { rest, .. } => format!("the grid leaves out {}, all blank", rest_of(*rest)),
            Self::CutThrough { places, .. } => format!(
                "the grid cuts through drawings in {}: {}",
                count_noun(places.len(), "place"),
                list_crossings(places)
            ),
            Self::OnlySpecks { cells, .. } => {
                let texts: Vec<String> =
                    cells.iter().map(|(cell, pixels)| format!("{cell} ({pixels} px)")).collect();
                let hold = if cells.len() == 1 { "holds" } else { "hold" };
                format!("{} {hold} only specks", abbreviate_list(&texts))
            }
            Self::MixedEdges { share, .. } => {
                format!("{:.0}% of edge pixels are blended with the background", share * 100.0)
            }
            Self::MayTouch { drawings, .. } => {
                let texts: Vec<String> =
                    drawings.iter().map(|(cell, rect)| format!("{cell} ({} px)", rect.size())).collect();
                let (is, may) =
                    if drawings.len() == 1 { ("is", "it may be") } else { ("are", "they may be") };
                format!(
                    "{} {is} much larger than the drawings in the same row; {may} several that touch",
                    abbreviate_list(&texts)
                )
            }
            Self::NoClips { rate, .. } => format!("no clips; plays all frames, {rate} a second"),
            Self::PagesMissing { .. } => {
                "some page images are missing; only the manifest was read".to_owned()
            }
            _ => String::new(),
        }
    }

    fn about_frames(&self) -> String {
        match self {
            Self::AlreadyApplied { file } => format!(
                "the changes in {} are already applied; the frames were left as they are",
                file.display_slashed()
            ),
            Self::NumberedFrames { file, count } => {
                format!(
                    "{} and {} more are numbered, so each is one frame",
                    file.display_slashed(),
                    count - 1
                )
            }
            Self::RowsLeftOut { clips } => format!(
                "the order of rows leaves out {}; the frames follow in rows of their own",
                abbreviate_list(clips)
            ),
            Self::Unclipped { frames: 1, first } => {
                format!("'{first}' is in no clip; it follows in a row of its own")
            }
            Self::Unclipped { frames, first } => format!(
                "{} are in no clip, such as '{first}'; they follow in rows of their own",
                count_noun(*frames, "frame")
            ),
            Self::StaleScales { manifests } => {
                let names: Vec<String> =
                    manifests.iter().map(|path| path.display_slashed().to_string()).collect();
                let names = abbreviate_list(&names);
                format!(
                    "{names}: from an earlier run with other scales, and not up to date; delete what you don't use"
                )
            }
            Self::Namesakes { file, sprites } => {
                let names: Vec<&str> = sprites.iter().map(Name::as_str).collect();
                format!(
                    "{} files are called {file}; their sprites are {}",
                    sprites.len(),
                    abbreviate_list(&names)
                )
            }
            Self::UnevenScale { factor } => {
                format!("scaling by {factor} draws some pixels larger than others")
            }
            Self::EmptyRow(EmptyRow { sprite, row, clip }) => {
                format!("r{row} of '{sprite}' has no frames, so clip '{clip}' was not created")
            }
            Self::FittedScale { sprite, factor } => {
                let whole = if factor.denominator() == 1 { "whole " } else { "" };
                format!("{sprite}: {factor} is the largest {whole}factor at which all frames fit")
            }
            Self::NoMatch { sprite, frame, likeness } => {
                format!("{sprite}:{frame}: no position matches well (best similarity {likeness:.2})")
            }
            Self::PoorMatch { sprite, frames, first, likeness } => {
                let frames = match frames {
                    1 => format!("{sprite}:{first} has little in common with the rest of its clip"),
                    _ => format!(
                        "{frames} frames of {sprite} have little in common with the rest of their clip, such as {first}"
                    ),
                };
                format!("{frames} ({:.0}% matches)", likeness * 100.0)
            }
            Self::PivotsOutside { frames, first, pivot, canvas } => format!(
                "pivot outside the canvas in {}, such as '{first}': pivot {pivot}, canvas {canvas} px",
                count_noun(*frames, "frame")
            ),
            Self::CanvasesGrow { frames, step } => format!(
                "the canvas of {} is extended right and down to a multiple of {step} px, so that pages of other scales land on whole pixels",
                count_noun(*frames, "frame")
            ),
            Self::MovedOver { frames, from, to } => format!(
                "drawings move past the edge, so the canvas of {} grows from {from} to {to} px",
                count_noun(*frames, "frame")
            ),
            Self::CompanionsMissing { spec, frames, first } => format!(
                "companion {}: missing for {}, such as '{first}'; filled with {}",
                spec.suffix,
                count_noun(*frames, "frame"),
                spec.neutral
            ),
            Self::VanishedAtScale { scale, frames, of, .. } => format!(
                "at scale {scale}, {} of {} lose most of their pixels, because thin lines fall between pixels: {}",
                group_digits(frames.len() as u64),
                count_noun(*of, "frame"),
                abbreviate_list(&frames.iter().map(Name::as_str).collect::<Vec<_>>())
            ),
            Self::TooFast { dropped, of } => format!(
                "{dropped} of {of} images are dropped evenly to keep the total time; browsers can't show any that briefly"
            ),
            Self::Hardened { pixels } => format!(
                "GIF has no semitransparency: {} pixels were made transparent or opaque",
                group_digits(*pixels)
            ),
            Self::Reduced { colors } => {
                format!("GIF allows only 256 colors: {} were reduced to 255", group_digits(*colors as u64))
            }
            Self::Crossed { places: 0, pixels } => {
                format!("{} of drawings are outside every frame", count_noun(*pixels, "pixel"))
            }
            Self::Crossed { places, .. } => {
                format!("the grid cuts through drawings in {}", count_noun(*places, "place"))
            }
            _ => String::new(),
        }
    }
}

#[cfg(test)]
mod tests {
    use std::path::PathBuf;

    use shibori_core::clip::EmptyRow;
    use shibori_core::{Color, Size};

    use super::*;

    #[test]
    fn notices_are_sentences_and_json() {
        let file = PathBuf::from("art/koi.png");
        let notice =
            Notice::FlatBackground { file: file.clone(), color: Color(image::Rgba([255, 0, 255, 255])) };
        assert_eq!(notice.to_string(), "art/koi.png: the background is flat ff00ff");
        let json = serde_json::to_string(&notice).unwrap();
        assert_eq!(json, r#"{"flat-background":{"file":"art/koi.png","color":"ff00ff"}}"#);
        let (sprite, clip) = (Name::new("frog").unwrap(), "leap".to_owned());
        let notice = Notice::EmptyRow(EmptyRow { sprite, row: 3, clip });
        assert_eq!(notice.to_string(), "r3 of 'frog' has no frames, so clip 'leap' was not created");
        let grown = Notice::MovedOver { frames: 2, from: Size::new(8, 8), to: Size::new(9, 8) };
        assert_eq!(
            serde_json::to_string(&grown).unwrap(),
            r#"{"moved-over":{"frames":2,"from":[8,8],"to":[9,8]}}"#
        );
    }
}
