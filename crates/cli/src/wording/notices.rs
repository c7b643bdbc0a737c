//! What the pipeline noticed, in words, with the options that have to do with it.

use shibori_core::Name;
use shibori_core::clip::EmptyRow;
use shibori_core::cut::{Crossing, Side};
use shibori_core::pack::ReuseOutcome;
use shibori_core::shape::Coregistration;
use shibori_formats::DisplaySlashed;
use shibori_formats::decode::{LayerLoss, ReadLoss, ReadNotice};
use shibori_pipeline::{Notice, Task};

use crate::message::{Message, MessageLevel};
use crate::wording::{abbreviate_list, command_line, count_noun, group_digits, rest_of};

/// What is counted.
pub(crate) fn task_label(task: Task) -> &'static str {
    match task {
        Task::Frames => "writing frames",
        Task::Pages => "writing pages",
        Task::Pictures => "encoding images",
    }
}

fn note(text: String) -> (MessageLevel, Message) {
    (MessageLevel::Note, Message { text, pointer: None, hint: None })
}

fn warning(text: String, hint: Option<&str>) -> (MessageLevel, Message) {
    (MessageLevel::Warning, Message { text, pointer: None, hint: hint.map(str::to_owned) })
}

/// Where a drawing goes on: `r0c2 into r0c3, 4 px`.
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

fn places_kept(outcome: &ReuseOutcome, most_waste: Option<f64>) -> (MessageLevel, Message) {
    let percent = |share: f64| format!("{:.0}%", (share * 100.0).floor());
    match *outcome {
        ReuseOutcome::Kept { moved, stayed, .. } if moved > 0 => warning(
            format!(
                "--keep-places: {} had to move, since margin, gutter, bleed, or step changed; {} stayed",
                count_noun(moved, "frame"),
                group_digits(stayed as u64)
            ),
            None,
        ),
        ReuseOutcome::Kept { wasted, .. } => {
            let text =
                format!("--keep-places: packed from scratch, the pages would be {} smaller", percent(wasted));
            let hint = match most_waste {
                None => {
                    "to do that once, leave out --keep-places; to do it whenever it saves more than 20%, add \
                    --repack-over 20"
                }
                Some(_) => "to do that once, leave out --keep-places",
            };
            let hint = Some(hint.to_owned());
            (MessageLevel::Note, Message { text, pointer: None, hint })
        }
        ReuseOutcome::Repacked(wasted) => note(format!(
            "--keep-places: packed from scratch, since that makes the pages {} smaller",
            percent(wasted)
        )),
        ReuseOutcome::Anew(why) => warning(format!("--keep-places: packed from scratch: {why}"), None),
    }
}

/// A notice in words.
pub(crate) fn notice(notice: &Notice) -> (MessageLevel, Message) {
    match notice {
        Notice::KeptByHand { file, work } => {
            note(format!("{}: kept by hand: {work}", file.display_slashed()))
        }
        Notice::Read(remark) => self::remark(remark),
        Notice::UncutSheet { file, size, grid, command } => {
            let (counts, cell) = (grid.counts(), grid.cell_size());
            let text = format!(
                "{}: read as one frame of {size} px, but it looks like a sheet of {counts} cells of {cell} px",
                file.display_slashed()
            );
            let hint = Some(format!("cut it first: {}", command_line(command)));
            (MessageLevel::Note, Message { text, pointer: None, hint })
        }
        Notice::NoClips { source, rate, command } => {
            let text = format!("{}: no clips; plays all frames, {rate} a second", source.display_slashed());
            let hint = match command {
                Some(command) => format!("name one: {}", command_line(command)),
                None => "name one when slicing: --clip \"walk = 0-7 @12fps\"".to_owned(),
            };
            (MessageLevel::Note, Message { text, pointer: None, hint: Some(hint) })
        }
        Notice::NumberedFrames { file, count } => note(format!(
            "{} and {} more are numbered, so each is one frame; to cut them, give --grid or --islands",
            file.display_slashed(),
            count - 1
        )),
        Notice::RowsLeftOut { clips } => note(format!(
            "--row-order leaves out {}; the frames follow in rows of their own",
            abbreviate_list(clips)
        )),
        Notice::Unclipped { frames, first } => note(match frames {
            1 => format!("'{first}' is in no clip; it follows in a row of its own"),
            frames => format!(
                "{} are in no clip, such as '{first}'; they follow in rows of their own",
                count_noun(*frames, "frame")
            ),
        }),
        Notice::StaleScales { manifests } => {
            let names: Vec<String> =
                manifests.iter().map(|path| path.display_slashed().to_string()).collect();
            note(format!(
                "{}: from an earlier run with other --page-scales, and not up to date; delete what you don't use",
                abbreviate_list(&names)
            ))
        }
        Notice::Namesakes { file, sprites } => {
            let sprites: Vec<String> = sprites.iter().map(ToString::to_string).collect();
            note(format!(
                "{} files are called {file}; their sprites are {}",
                sprites.len(),
                abbreviate_list(&sprites)
            ))
        }
        other => sheet_notice(other),
    }
}

/// What was noticed about a sheet and its cut.
fn sheet_notice(notice: &Notice) -> (MessageLevel, Message) {
    match notice {
        Notice::FlatBackground { file, color } => note(format!(
            "{}: the background is flat {color}; --key auto makes it transparent",
            file.display_slashed()
        )),
        Notice::AlreadyClear { file } => {
            note(format!("{}: already transparent, so no background is removed", file.display_slashed()))
        }
        Notice::Rest { file, rest } => {
            note(format!("{}: the grid leaves out {}, all blank", file.display_slashed(), rest_of(*rest)))
        }
        Notice::CutThrough { file, places } => warning(
            format!(
                "{}: the grid cuts through drawings in {}: {}",
                file.display_slashed(),
                count_noun(places.len(), "place"),
                list_crossings(places)
            ),
            Some("see it with shibori preview grid; move the lines with --cell, --offset and --gutter"),
        ),
        Notice::MayTouch { file, drawings, separate } => {
            let texts: Vec<String> =
                drawings.iter().map(|(cell, rect)| format!("{cell} ({} px)", rect.size())).collect();
            let (is, may) = if drawings.len() == 1 { ("is", "it may be") } else { ("are", "they may be") };
            warning(
                format!(
                    "{}: {} {is} much larger than the drawings in the same row; {may} several that touch",
                    file.display_slashed(),
                    abbreviate_list(&texts)
                ),
                Some(&match separate {
                    Some(join) => format!("--join {join} separates them"),
                    None => "to separate them, list their rectangles in a CSV file for --rects".to_owned(),
                }),
            )
        }
        Notice::OnlySpecks { file, cells } => {
            let most = cells.iter().map(|(_, pixels)| *pixels).max().unwrap_or(0);
            let texts: Vec<String> =
                cells.iter().map(|(cell, pixels)| format!("{cell} ({pixels} px)")).collect();
            let hold = if cells.len() == 1 { "holds" } else { "hold" };
            warning(
                format!("{}: {} {hold} only specks", file.display_slashed(), abbreviate_list(&texts)),
                Some(&format!("--specks {most} removes them; cells left blank are dropped")),
            )
        }
        Notice::MixedEdges { file, share } => note(format!(
            "{}: {:.0}% of edge pixels are blended with the background; --defringe removes its color",
            file.display_slashed(),
            share * 100.0
        )),
        Notice::KeyLeft { file, colors, pixels } => note(format!(
            "{}: {} of {colors} remain inside drawings; --key-scope everywhere removes them too",
            file.display_slashed(),
            count_noun(*pixels as usize, "pixel")
        )),
        other => frame_notice(other),
    }
}

/// What was noticed while frames were shaped and named.
fn frame_notice(notice: &Notice) -> (MessageLevel, Message) {
    match notice {
        Notice::UnevenScale { factor } => {
            let whole = factor.value().round().max(1.0);
            let hint = format!("use a whole factor such as {whole}, or --resample smooth for painted art");
            warning(format!("--scale {factor} draws some pixels larger than others"), Some(&hint))
        }
        Notice::EmptyRow(EmptyRow { sprite, row, clip }) => {
            warning(format!("r{row} of '{sprite}' has no frames, so clip '{clip}' was not created"), None)
        }
        Notice::FittedScale { sprite, factor } => {
            let whole = if factor.denominator() == 1 { "whole " } else { "" };
            note(format!("{sprite}: --scale {factor} is the largest {whole}factor at which all frames fit"))
        }
        Notice::NoMatch { sprite, frame, likeness } => warning(
            format!("{sprite}:{frame}: no position matches well (best similarity {likeness:.2})"),
            Some("left in place; choose another --region, or raise --align-reach"),
        ),
        Notice::Coregistration(Coregistration { by_figure, by_feet, on_ground }) => {
            let across = match (by_figure, by_feet) {
                (0, _) => "frames are aligned by their bottom center on a common canvas".to_owned(),
                (_, 0) => "frames are put on a common canvas, aligned by the figure of each clip".to_owned(),
                _ => format!(
                    "{} are aligned by the figure of their clip, {by_feet} by their bottom center",
                    count_noun(*by_figure, "frame")
                ),
            };
            note(match on_ground {
                0 => across,
                count if *count == by_figure + by_feet => {
                    format!("{across}; vertically, by the ground line of their row on the sheet")
                }
                count => format!("{across}; {count} of them vertically, by the ground line of their row"),
            })
        }
        Notice::PoorMatch { sprite, frames, first, likeness } => {
            let frames = match frames {
                1 => format!("{sprite}:{first} has little in common with the rest of its clip"),
                _ => format!(
                    "{frames} frames of {sprite} have little in common with the rest of their clip, such as {first}"
                ),
            };
            let hint = "check with shibori preview onion; hold a different part still with --region, or try --align mass";
            warning(format!("{frames} ({:.0}% matches)", likeness * 100.0), Some(hint))
        }
        Notice::PivotsOutside { frames, first, pivot, canvas } => note(format!(
            "pivot outside the canvas in {}, such as '{first}': pivot {pivot}, canvas {canvas} px",
            count_noun(*frames, "frame")
        )),
        other => output_notice(other),
    }
}

/// What was noticed while pages and pictures were made.
fn output_notice(notice: &Notice) -> (MessageLevel, Message) {
    match notice {
        Notice::CanvasesGrow { frames, step } => note(format!(
            "the canvas of {} is extended right and down to a multiple of {step} px, so that --page-scales lands on whole pixels",
            count_noun(*frames, "frame")
        )),
        Notice::MovedOver { frames, from, to } => note(format!(
            "drawings move past the edge, so the canvas of {} grows from {from} to {to} px; --canvas WxH sets another",
            count_noun(*frames, "frame")
        )),
        Notice::CompanionsMissing { spec, frames, first } => warning(
            format!(
                "companion {}: missing for {}, such as '{first}'; filled with {}",
                spec.suffix,
                count_noun(*frames, "frame"),
                spec.neutral
            ),
            None,
        ),
        Notice::VanishedAtScale { scale, frames, of, smooth_helps } => warning(
            format!(
                "at scale {scale}, {} of {} lose most of their pixels, because thin lines fall between pixels: {}",
                group_digits(frames.len() as u64),
                count_noun(*of, "frame"),
                abbreviate_list(&frames.iter().map(Name::as_str).collect::<Vec<_>>())
            ),
            smooth_helps.then_some("add --resample smooth to keep them visible"),
        ),
        Notice::NoCompanions { file } => note(format!(
            "{}: companions are left out; a painting has one picture per frame",
            file.display_slashed()
        )),
        Notice::AlreadyApplied { file } => note(format!(
            "the changes in {} are already applied; the frames were left as they are",
            file.display_slashed()
        )),
        Notice::PagesMissing { manifest } => note(format!(
            "{}: some page images are missing; only the manifest was read",
            manifest.display_slashed()
        )),
        Notice::PlacesKept { outcome, most_waste } => places_kept(outcome, *most_waste),
        Notice::TooFast { dropped, of } => warning(
            format!(
                "{dropped} of {of} images are dropped evenly to keep the total time; browsers can't show any that briefly"
            ),
            None,
        ),
        Notice::Hardened { pixels } => warning(
            format!(
                "GIF has no semitransparency: {} pixels were made transparent or opaque",
                group_digits(*pixels)
            ),
            Some("write an .apng, or add --background with a color or checker"),
        ),
        Notice::Reduced { colors } => warning(
            format!("GIF allows only 256 colors: {} were reduced to 255", group_digits(*colors as u64)),
            Some("write an .apng to keep them"),
        ),
        Notice::Crossed { places, pixels } => warning(
            match places {
                0 => format!("{} of drawings are outside every frame", count_noun(*pixels, "pixel")),
                places => format!("the grid cuts through drawings in {}", count_noun(*places, "place")),
            },
            Some("they are marked pink; try other values, or run shibori inspect"),
        ),
        other => note(format!("{other:?}")),
    }
}

fn remark(remark: &ReadNotice) -> (MessageLevel, Message) {
    match remark {
        ReadNotice::MissingNumbers { sequence, missing } => {
            let numbers: Vec<String> = missing.iter().map(ToString::to_string).collect();
            warning(
                format!("numbered images '{sequence}': missing {}", abbreviate_list(&numbers)),
                Some("the clip plays without them; add the files if they should be there"),
            )
        }
        ReadNotice::Truncated { file, frames: 0 } => {
            warning(format!("{file}: ends early; what there is was used; the rest is gray or coarse"), None)
        }
        ReadNotice::Truncated { file, frames } => warning(
            format!("{file}: ends early; the {} before that were used", count_noun(*frames, "frame")),
            None,
        ),
        ReadNotice::Edited { frame, file, was, now, canvas } => note(format!(
            "{file}: resized from {was} to {now} px; the canvas of frame '{frame}' is now {canvas} px"
        )),
        ReadNotice::Loss { file, files, loss } => {
            let of = match files {
                1 => file.clone(),
                files => format!("{file} and {}", count_noun(files - 1, "other file")),
            };
            note(match loss {
                ReadLoss::SixteenBits => format!("{of}: 16 bits per channel, of which the upper 8 are kept"),
                ReadLoss::BmpAlpha => format!(
                    "{of}: alpha is ignored, since the header says 24-bit color; save as PNG to keep transparency"
                ),
                ReadLoss::Premultiplied => {
                    format!("{of}: premultiplied, so the colors of semitransparent pixels come back rounded")
                }
            })
        }
        ReadNotice::Layers { file, names, loss } => note(format!("{file}: {}", layer_loss(*loss, names))),
        ReadNotice::FastDelays { file, frames } => note(format!(
            "{file}: {} with a delay of up to 10 ms play as 100 ms, as in browsers",
            count_noun(*frames, "frame")
        )),
    }
}

/// Layers that aren't as they look in their painting, and why.
fn layer_loss(loss: LayerLoss, names: &[String]) -> String {
    let layers = if names.len() == 1 { "layer" } else { "layers" };
    let names: Vec<String> = names
        .iter()
        .map(|name| if name.is_empty() { "(no name)".to_owned() } else { name.clone() })
        .collect();
    let names = abbreviate_list(&names);
    match loss {
        LayerLoss::Hidden => format!("left out hidden {layers}: {names}"),
        LayerLoss::Guide => format!("left out guide {layers}: {names}"),
        LayerLoss::Cropped => format!("{layers} cut off at the edge of the canvas: {names}"),
        LayerLoss::Blended => format!("blend mode ignored in {layers}: {names}"),
    }
}
