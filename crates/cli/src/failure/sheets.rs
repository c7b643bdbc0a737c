//! Sheets that can't be cut, in words.

use std::path::Path;

use shibori_core::cut::{Across, CutError, Grid, even_counts};
use shibori_core::{Area, Size};
use shibori_formats::ShownPath;
use shibori_pipeline::Error;

use super::Failure;
use crate::words::{counted, grid_command, grid_options, pasteable_path};

/// What is wrong with a sheet. `plain` is the error in its own words.
pub(super) fn failure(error: Error, plain: Failure) -> Failure {
    match error {
        Error::Cut { error, .. } => plain.with_any_hint(cut_hint(&error)),
        Error::Rects { .. } => {
            plain.with_hint("a place is x,y,w,h in pixels of the sheet, from its top left")
        }
        Error::AllBlank { .. } => plain.with_hint("add --blank keep if blank frames are wanted"),
        Error::BlankSheet { .. } => {
            plain.with_hint("add --grid COLUMNSxROWS and --blank keep if blank frames are wanted")
        }
        Error::UnsureGrid { sheet, grids, size, has_background, within } => {
            plain.with_hint(choices(&sheet, &grids, size, has_background, within))
        }
        Error::Within { size, .. } => plain.with_hint(format!(
            "--within is x,y,width,height in pixels of the sheet; all of it is 0,0,{},{}",
            size.width, size.height
        )),
        Error::CutAlready { source_path } => plain.with_hint(format!(
            "change them with shibori adjust {}; or name a sheet",
            pasteable_path(&source_path)
        )),
        Error::NotOneFileEach { .. } => {
            plain.with_hint("animations, sets and --take need images of their own: leave out --manifest-only")
        }
        Error::OneSprite { .. } => plain.with_hint("slice them one by one, or leave --sprite out"),
        Error::NothingBetween { .. } => {
            plain.with_hint("take the background out with --key COLOR, or cut with --grid or --rects")
        }
        Error::NoDrawing { .. } => plain.with_hint("lower --min-area, or take the background out with --key"),
        Error::Moves { file, frames } => {
            let count = counted(frames, "frame");
            let text = format!("{}: is an animation of {count}, not a sheet", file.shown());
            let options = "--grid, --cell, --islands, --rects and --manifest-only";
            Failure::usage(text)
                .with_hint(format!("slice it without {options}: its frames are there already"))
        }
        Error::NoBackground { .. } => {
            plain.with_hint("name the color, such as --key ff00ff, with --tolerance if it varies")
        }
        Error::NoFlatFrame => plain.with_hint("name the color, such as --key ff00ff, or leave --key out"),
        Error::KeyNowhere { background: Some(color), .. } => {
            plain.with_hint(format!("its background is {color}; --key auto takes that"))
        }
        Error::KeyNowhere { background: None, .. } => plain
            .with_hint("raise --tolerance, or use --key-scope everywhere if it does not touch the border"),
        Error::NoKey => Failure::usage(
            "--defringe takes a background's share out of the edges, and there is no --key to say which",
        )
        .with_hint("add --key auto or --key COLOR"),
        _ => plain,
    }
}

/// The readings to choose from, as commands.
fn choices(sheet: &Path, grids: &[Grid], size: Size, has_background: bool, within: Option<Area>) -> String {
    let part = within.map(|area| format!(" --within {area}")).unwrap_or_default();
    let file = format!("{}{part}", pasteable_path(sheet));
    let mut commands: Vec<String> =
        grids.iter().map(|grid| grid_command(sheet, grid, size, within)).collect();
    if has_background {
        commands.push(format!("shibori slice {file} --islands"));
    }
    let listed: String = commands.iter().map(|command| format!("\n    {command}")).collect();
    match grids {
        [] => format!("say what it is:\n    shibori slice {file} --grid COLUMNSxROWS{listed}"),
        [first, ..] => {
            let picture = format!("shibori preview grid {file} {} -o cut.png", grid_options(first, size));
            let islands = if has_background { "; --islands takes each separate drawing" } else { "" };
            format!("choose one{islands}:{listed}\n  to see the first of them over the sheet:\n    {picture}")
        }
    }
}

fn cut_hint(error: &CutError) -> Option<String> {
    match *error {
        CutError::Uneven { across, length, count, gutter } => {
            let divides = dividing(across, length, count, gutter);
            let over = length % count;
            Some(format!("{divides}or add --uneven to share out the {over} px left"))
        }
        CutError::LeftOver { across, length, gutter, fits, whole, .. } => {
            // Counted for as many cells as fit, so that the gutters between them are known.
            let room = length - gutter * (fits - 1);
            let divides = dividing(across, room, fits, gutter);
            Some(format!("{divides}or add --grid {whole} to leave the rest; or check --offset and --gutter"))
        }
        CutError::Beyond { length, cell, offset, gutter, .. } => {
            let room = u64::from(length.saturating_sub(offset)) + u64::from(gutter);
            let fits = room / (u64::from(cell) + u64::from(gutter)).max(1);
            Some(format!("{fits} fit; or check --cell, --offset and --gutter"))
        }
        CutError::TooMany { length, .. } => {
            Some(format!("ask for at most {length}, or check --offset and --gutter"))
        }
        CutError::CellTooLarge { .. } => {
            Some("--cell is the size of one cell in pixels; --grid counts columns x rows".to_owned())
        }
        CutError::Count { cells, .. } => Some(format!("use --count {cells} or less, or leave --count out")),
        CutError::NoCell { .. } | CutError::Size(_) => None,
    }
}

/// "250 px divides into 5 columns of 50 or 10 of 25; ", or nothing where it divides into nothing.
fn dividing(across: Across, length: u32, asked: u32, gutter: u32) -> String {
    let whole = length + gutter * (asked - 1);
    let cell = |count: u32| (whole - gutter * (count - 1)) / count;
    match even_counts(length, asked, gutter)[..] {
        [] => String::new(),
        [one] => format!("{whole} px divides into {one} {across} of {}; ", cell(one)),
        [a, b, ..] => {
            let (first, second) = (a.min(b), a.max(b));
            format!(
                "{whole} px divides into {first} {across} of {} or {second} of {}; ",
                cell(first),
                cell(second)
            )
        }
    }
}
