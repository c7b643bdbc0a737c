//! `shibori preview grid`: the cut drawn over the sheet before cutting.

use std::path::PathBuf;

use serde::Serialize;
use shibori_core::cut::{cut_rects, islands};
use shibori_core::draw::{CutPlan, draw_cut};
use shibori_formats::read::{Loaded, Picture, image, rects};
use shibori_formats::write;

use super::cutting::{found_grid, island_options, prepared, rect_failure};
use super::{policy, wrote};
use crate::args::{Everywhere, GridPreview};
use crate::console::{Console, counted};
use crate::failure::Failure;
use crate::terminal;

#[derive(Serialize)]
struct Report {
    #[serde(skip_serializing_if = "Option::is_none")]
    file: Option<PathBuf>,
    size: [u32; 2],
    /// Pixels of drawings that a line crosses, or that lie in no cell.
    crossed: usize,
    /// Cells without a drawing.
    blank: usize,
}

pub(super) fn run(args: &GridPreview, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let Loaded { picture, .. } = image(&args.image, &everywhere.limits())?;
    let Picture::Still(pixels) = picture else {
        let text = format!("{}: is an animation, so its frames are there already", args.image.display());
        return Err(Failure::usage(text).with_hint("look at them with preview contact"));
    };
    let sheet = prepared(&args.image, &pixels, &args.clean, console)?;
    let size = sheet.pixels.size();
    let plan = if let Some(list) = &args.cut.rects {
        let places = cut_rects(&sheet.pixels, &rects(list)?).map_err(|error| rect_failure(list, &error))?;
        CutPlan::Places(places.into_iter().map(|(named, _)| (named.rect, named.name.to_string())).collect())
    } else if args.cut.islands {
        let found = islands(&sheet.pixels, sheet.ground, island_options(&args.cut));
        let named = |(number, (rect, _)): (usize, (shibori_core::Rect, _))| (rect, number.to_string());
        CutPlan::Places(found.drawings.into_iter().enumerate().map(named).collect())
    } else {
        match args.cut.grid_for(size).map_err(|error| Failure::cut(&args.image, &error))? {
            Some(grid) => CutPlan::Grid(grid),
            None => CutPlan::Grid(found_grid(&args.image, &sheet.pixels)?),
        }
    };
    let drawn = draw_cut(&sheet.pixels, sheet.ground, &plan, args.zoom.zoom.unwrap_or(0));
    if args.out.here {
        terminal::show(&drawn.image)?;
    }
    if let Some(output) = &args.out.output {
        write::picture(output, &drawn.image, &policy(everywhere, vec![args.image.clone()]))?;
    }
    let what = match &plan {
        CutPlan::Grid(grid) => format!("{} cells of {} px", grid.counts(), grid.cell_size()),
        CutPlan::Places(places) => counted(places.len(), "place"),
    };
    let blank = if drawn.blank > 0 { format!(", {} blank", drawn.blank) } else { String::new() };
    match &args.out.output {
        Some(output) => console.say(&format!("{} {}: {what}{blank}", wrote(everywhere), output.display())),
        None => console.say(&format!("{what}{blank}")),
    }
    if drawn.marked > 0 {
        let text =
            format!("{} of drawings are crossed by a line or lie in no cell", counted(drawn.marked, "pixel"));
        console.warn(&text, Some("they are marked in pink; try other numbers, or shibori inspect"));
    }
    let size = [drawn.image.width(), drawn.image.height()];
    console.result(&Report {
        file: args.out.output.clone(),
        size,
        crossed: drawn.marked,
        blank: drawn.blank,
    });
    Ok(())
}
