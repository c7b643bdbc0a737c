//! `shibori guide-sheet`: an empty sheet to draw on.

use std::path::PathBuf;

use serde::Serialize;
use shibori_core::Point;
use shibori_core::cut::Spacing;
use shibori_core::draw::Guide;
use shibori_core::shape::Anchor;
use shibori_formats::write;

use super::{policy, wrote};
use crate::args::{Everywhere, GuideSheet};
use crate::console::Console;
use crate::failure::Failure;

#[derive(Serialize)]
struct Report {
    file: PathBuf,
    size: [u32; 2],
    command: String,
}

pub(super) fn run(args: &GuideSheet, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    if args.rows.len() > args.grid.rows as usize {
        let text = format!("--rows names {} rows, but the sheet has {}", args.rows.len(), args.grid.rows);
        return Err(Failure::usage(text).with_hint("leave some names out, or raise the rows of --grid"));
    }
    let guide = Guide {
        counts: args.grid,
        cell: args.cell,
        spacing: Spacing { offset: args.offset, gutter: args.gutter },
        pivot: pivot(args)?,
        rows: args.rows.clone(),
    };
    write::guide(&args.output, &guide, &policy(everywhere, Vec::new()))?;
    let size = guide.size().map_or([0, 0], |size| [size.width, size.height]);
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
    console.say(&format!(
        "wide: {}",
        sum(args.grid.columns, args.cell.width, args.offset.x, args.gutter.x, size[0])
    ));
    console.say(&format!(
        "high: {}",
        sum(args.grid.rows, args.cell.height, args.offset.y, args.gutter.y, size[1])
    ));
    console.say(&format!("{} {}", wrote(everywhere), args.output.display()));
    let mut command = format!("shibori slice SHEET.png --cell {}", args.cell);
    for (option, pair) in [("--offset", args.offset), ("--gutter", args.gutter)] {
        if (pair.x, pair.y) != (0, 0) {
            command += &format!(" {option} {pair}");
        }
    }
    console.say(&format!("when it is drawn: {command}"));
    console.result(&Report { file: args.output.clone(), size, command });
    Ok(())
}

/// The pivot in fractions of a cell: nothing is drawn yet that could have feet.
fn pivot(args: &GuideSheet) -> Result<Point, Failure> {
    let (width, height) = (f64::from(args.cell.width), f64::from(args.cell.height));
    match args.pivot {
        Anchor::Fraction(point) => Ok(point),
        Anchor::Pixels(point) => Ok(Point::new(point.x / width, point.y / height)),
        Anchor::Feet | Anchor::Mark(_) => {
            let text = format!("--pivot {} is measured on a drawing, and this sheet is empty", args.pivot);
            Err(Failure::usage(text).with_hint("use --pivot bottom"))
        }
    }
}
