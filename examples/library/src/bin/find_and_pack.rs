//! From a sheet to an atlas in memory: find the grid, align, name, trim and pack the frames.
//!
//! ```text
//! 4x1 cells of 32x32 px, sure: true
//! shifts: [0, -2, -4, -6] px
//! 4 frames, 2 different pictures, 1 page of 34x25 px
//! 368 bytes of PNG
//! ```

use std::error::Error;

use shibori_core::Name;
use shibori_core::clip::{ClipSpec, add_clips};
use shibori_core::cut::{CellChoice, SheetAnalysis, cut_cells, detect_grid};
use shibori_core::pack::{ColorFinish, PackSettings, pack, paint};
use shibori_core::shape::{AlignOptions, AlignTo, Trim, TrimScope, align, trim};
use shibori_core::{FrameSet, NameTemplate};
use shibori_formats::encode::PageEncoding;

fn main() -> Result<(), Box<dyn Error>> {
    let sheet = shibori_examples::lantern();
    let found = detect_grid(&SheetAnalysis::of(&sheet));
    let best = &found.candidates[0];
    println!("{} cells of {} px, sure: {}", best.grid.counts(), best.grid.cell_size(), found.is_sure());

    let cut = cut_cells(&sheet, &best.grid, &CellChoice::default())?;
    let frames = cut.into_frames(&Name::new("lantern")?, "lantern.png")?;
    let set = NameTemplate::for_count(frames.len()).rename(FrameSet::new(frames, Vec::new())?, 0)?;

    let (set, shifts) = align(set, &AlignOptions::to(AlignTo::Match))?;
    println!("shifts: {:?} px", shifts.iter().map(|shift| shift.x).collect::<Vec<_>>());

    let glow: ClipSpec = "glow = 0-3 @8fps".parse()?;
    let set = trim(add_clips(set, &[glow])?, Trim { scope: TrimScope::Frame, ..Trim::default() })?;
    let atlas = pack(set, &PackSettings::dense())?;
    let (frames, page) = (atlas.set().frames().len(), atlas.pages()[0].size);
    println!("{frames} frames, {} different pictures, 1 page of {page} px", atlas.rects_on(0).len());

    let png = PageEncoding::default().encode(&paint(&atlas, 0, None, ColorFinish::default()))?;
    println!("{} bytes of PNG", png.len());
    Ok(())
}
