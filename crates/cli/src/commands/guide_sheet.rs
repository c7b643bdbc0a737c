//! `shibori guide-sheet`: an empty sheet to draw on.

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_pipeline::steps::guide_sheet;

use super::CommandContext;
use crate::args::GuideSheet;
use crate::failure::Failure;
use crate::wording::ReportPath;
use crate::wording::spacing_options;

#[derive(Serialize)]
struct Report {
    file: ReportPath,
    size: [u32; 2],
    command: String,
}

pub(super) fn run(args: &GuideSheet, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let size = guide_sheet(&args.options, &args.output, &cx)?;
    cx.commit()?;
    let sum = |count: u32, cell: u32, offset: u32, gutter: u32, total: u32| {
        let mut text = format!("{count} x {cell}");
        if gutter > 0 && count > 1 {
            text += &format!(" + {} x {gutter}", count - 1);
        }
        if offset > 0 {
            text += &format!(" + 2 x {offset}");
        }
        format!("{text} = {total} px")
    };
    let (grid, cell) = (args.options.grid, args.options.cell);
    let (offset, gutter) = (args.options.offset.unwrap_or_default(), args.options.gutter.unwrap_or_default());
    program.say(&format!("wide: {}", sum(grid.columns, cell.width, offset.x, gutter.x, size.width)));
    program.say(&format!("high: {}", sum(grid.rows, cell.height, offset.y, gutter.y, size.height)));
    program.say(&format!("{} {}", program.write_verb(), args.output.display_slashed()));
    let command = format!("shibori slice SHEET.png --cell {cell}{}", spacing_options(offset, gutter));
    program.say(&format!("once drawn, slice it with: {command}"));
    let size = [size.width, size.height];
    program.console.result(&Report { file: args.output.clone().into(), size, command });
    Ok(())
}
