//! Sheets that can't be cut, in words.

use std::path::Path;

use shibori_core::cut::{Axis, CutError, nearest_divisors};
use shibori_core::{Background, Color};
use shibori_formats::DisplaySlashed;
use shibori_pipeline::CommandLine;
use shibori_pipeline::SheetError;
use shibori_pipeline::options::{CleanOptions, CutOptions, GridPreviewOptions, SliceOptions};

use super::Failure;
use crate::wording::{command_line, count_noun, pasteable_path};

/// What is wrong with a sheet. `plain` is the error in its own words.
pub(super) fn sheet_failure(error: SheetError, plain: Failure) -> Failure {
    match error {
        SheetError::Cut { error, .. } => plain.with_any_hint(cut_hint(&error)),
        SheetError::Rects { .. } => {
            plain.with_hint("a rectangle is x,y,w,h in sheet pixels, from the top left")
        }
        SheetError::AllBlank { .. } => plain.with_hint("add --blank keep if you want blank frames"),
        SheetError::BlankSheet { .. } => {
            plain.with_hint("add --grid COLUMNSxROWS and --blank keep if you want blank frames")
        }
        SheetError::UnsureGrid { .. } => {
            let hint = unsure_grid(&error, &SliceOptions::default(), None);
            plain.with_any_hint(hint)
        }
        SheetError::Within { size, .. } => plain.with_hint(format!(
            "--within is x,y,width,height in sheet pixels; the whole sheet is 0,0,{},{}",
            size.width, size.height
        )),
        SheetError::CutAlready { source_path } => plain.with_hint(format!(
            "edit them with shibori adjust {}, or give a sheet",
            pasteable_path(&source_path)
        )),
        SheetError::NotOneFileEach { .. } => {
            plain.with_hint("animations, sets and --take need separate images: remove --manifest-only")
        }
        SheetError::OneSprite { .. } => plain.with_hint("slice them one at a time, or remove --sprite"),
        SheetError::SpritesThere { .. } => plain.with_hint("remove --sprite; --name names the frames"),
        SheetError::NothingBetween { .. } => {
            plain.with_hint("remove the background with --key COLOR, or slice with --grid or --rects")
        }
        SheetError::NoDrawing { .. } => {
            plain.with_hint("lower --min-area, or remove the background with --key")
        }
        SheetError::FewerFrames { frames, .. } => {
            plain.with_hint(format!("use --count {frames} or less, or remove --count"))
        }
        SheetError::NoCells { .. } => plain.with_hint("remove --read; --take 7-0 reverses frames"),
        SheetError::IsAnimation { file, frames } => {
            let count = count_noun(frames, "frame");
            let text = format!("{}: this is an animation of {count}, not a sheet", file.display_slashed());
            let options = "--grid, --cell, --islands, --rects and --manifest-only";
            Failure::usage(text).with_hint(format!("slice it without {options}: it already has frames"))
        }
        SheetError::NoBackground { .. } => {
            plain.with_hint("give the color, such as --key ff00ff, plus --tolerance if it varies")
        }
        SheetError::NoFlatFrame => plain.with_hint("give the color, such as --key ff00ff, or remove --key"),
        SheetError::KeyNowhere { enclosed: enclosed @ 1.., .. } => plain.with_hint(format!(
            "{} of it are enclosed by other colors; add --key-scope everywhere to remove them",
            count_noun(enclosed as usize, "pixel")
        )),
        SheetError::KeyNowhere { background: Some(color), .. } => {
            plain.with_hint(format!("its background is {color}; use --key auto"))
        }
        SheetError::KeyNowhere { background: None, .. } => plain.with_hint(
            "raise --tolerance, or use --key-scope everywhere if the color does not touch the border",
        ),
        SheetError::NoKey => {
            Failure::usage("--defringe removes a background color from the edges, but no --key says which")
                .with_hint("add --key auto or --key COLOR")
        }
        _ => plain,
    }
}

/// A sheet whose grid isn't sure: the likely ones as commands, with everything else that was typed.
pub(crate) fn unsure_grid(error: &SheetError, typed: &SliceOptions, output: Option<&Path>) -> Option<String> {
    let SheetError::UnsureGrid { sheet, grids, size, background, within } = error else { return None };
    let command = |cut: CutOptions, clean: CleanOptions| {
        let cut = CutOptions { within: *within, ..cut };
        let options = Box::new(SliceOptions { cut, clean, ..typed.clone() });
        let output = output.map(Path::to_owned);
        command_line(&CommandLine::Slice { source: sheet.clone(), options, output })
    };
    let mut commands: Vec<String> =
        grids.iter().map(|grid| command(typed.cut.with_grid(grid, *size), typed.clean.clone())).collect();
    let islands = match background {
        Background::None => None,
        // Else each drawing would keep a box of the background.
        Background::Flat { color, .. } => {
            let key = Color(*color).to_string().parse().ok();
            Some(CleanOptions { key, ..typed.clean.clone() })
        }
        Background::Clear => Some(typed.clean.clone()),
    };
    let has_islands = islands.is_some();
    commands.extend(islands.map(|clean| command(typed.cut.with_islands(), clean)));
    let listed: String = commands.iter().map(|command| format!("\n    {command}")).collect();
    Some(match grids.as_slice() {
        [] => {
            let cut = CutOptions { within: *within, ..CutOptions::default() };
            let plain = Box::new(SliceOptions { cut, ..typed.clone() });
            let output = output.map(Path::to_owned);
            let plain = command_line(&CommandLine::Slice { source: sheet.clone(), options: plain, output });
            format!("give the grid:\n    {plain} --grid COLUMNSxROWS{listed}")
        }
        [first, ..] => {
            let cut = CutOptions { within: *within, ..CutOptions::default() }.with_grid(first, *size);
            let options = Box::new(GridPreviewOptions { cut, ..GridPreviewOptions::default() });
            let (sheet, output) = (sheet.clone(), "cut.png".into());
            let picture = command_line(&CommandLine::PreviewGrid { sheet, options, output });
            let islands = if has_islands { "; --islands makes each separate drawing a frame" } else { "" };
            format!("choose one{islands}:{listed}\n  to preview the first one over the sheet:\n    {picture}")
        }
    })
}

fn cut_hint(error: &CutError) -> Option<String> {
    match *error {
        CutError::Uneven { across, length, count, gutter } => {
            let divides = describe_divisors(across, length, count, gutter);
            let over = length % count;
            Some(format!("{divides}or add --uneven to distribute the {over} px left over"))
        }
        CutError::LeftOver { across, length, gutter, fits, whole, .. } => {
            // Counted for as many cells as fit, so that the gutters between them are known.
            let room = length - gutter * (fits - 1);
            let divides = describe_divisors(across, room, fits, gutter);
            Some(format!("{divides}or add --grid {whole} to ignore the rest, or check --offset and --gutter"))
        }
        CutError::Beyond { length, cell, offset, gutter, .. } => {
            let room = u64::from(length.saturating_sub(offset)) + u64::from(gutter);
            let fits = room / (u64::from(cell) + u64::from(gutter)).max(1);
            Some(format!("only {fits} fit; check --cell, --offset and --gutter"))
        }
        CutError::TooMany { length, .. } => {
            Some(format!("use at most {length}, or check --offset and --gutter"))
        }
        CutError::CellTooLarge { .. } => {
            Some("--cell is the size of one cell in pixels; --grid counts columns x rows".to_owned())
        }
        CutError::Count { cells, .. } => Some(format!("use --count {cells} or less, or remove --count")),
        _ => None,
    }
}

/// "250 px divides into 5 columns of 50 or 10 of 25; ", or nothing where it divides into nothing.
fn describe_divisors(across: Axis, length: u32, asked: u32, gutter: u32) -> String {
    let whole = length + gutter * (asked - 1);
    let cell = |count: u32| (whole - gutter * (count - 1)) / count;
    match nearest_divisors(length, asked, gutter)[..] {
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
