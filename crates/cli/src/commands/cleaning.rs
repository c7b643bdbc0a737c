//! Mending frames: the steps of *Clean* after a sheet is cut, and the key where there is no sheet.

use serde::Serialize;
use shibori_core::clean::{Ground, Mended, clear_edge, defringe, ground, harden, key, mend, specks};
use shibori_core::{Color, FrameSet, Pixels};

use crate::args::{CleanArgs, KeyArg};
use crate::console::{counted, grouped};
use crate::failure::Failure;

#[derive(Serialize)]
pub(super) struct CleanReport {
    pub(super) step: String,
    pub(super) pixels: u64,
    /// Frames with at least one of them; not said of a step on the whole sheet, before there are frames.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) frames: Option<usize>,
}

impl CleanReport {
    /// What to say about it.
    pub(super) fn line(&self) -> String {
        let Self { step, pixels, frames } = self;
        let pixels = format!("{} pixel{}", grouped(*pixels), if *pixels == 1 { "" } else { "s" });
        let place =
            frames.map_or("of the sheet".to_owned(), |frames| format!("in {}", counted(frames, "frame")));
        format!("  {step}: {pixels} {place}")
    }
}

/// All of *Clean* on frames that are cut already: the key is taken out of each canvas by itself.
pub(super) fn cleaned(set: FrameSet, clean: &CleanArgs) -> Result<(FrameSet, Vec<CleanReport>), Failure> {
    let Some((color, tolerance)) = key_of(&set, clean)? else { return mended(set, clean, None) };
    let tolerance = clean.tolerance.unwrap_or(tolerance);
    let take = |canvas: &Pixels| {
        let keyed = key(canvas, color.0, tolerance, clean.scope());
        (keyed.pixels > 0).then_some((keyed.image, keyed.pixels))
    };
    let (set, changed) = mend(set, take)?;
    if changed.pixels == 0 {
        let text = format!("the color {color} is nowhere to take out");
        return Err(Failure::usage(text)
            .with_hint("raise --tolerance, or use --key-scope everywhere if it does not touch the border"));
    }
    let step = format!("{color} made transparent");
    let mut reports = vec![CleanReport { step, pixels: changed.pixels, frames: Some(changed.frames) }];
    let (set, more) = mended(set, clean, Some(color))?;
    reports.extend(more);
    Ok((set, reports))
}

/// The color to take out; by itself, the flat background that most frames stand on.
fn key_of(set: &FrameSet, clean: &CleanArgs) -> Result<Option<(Color, u8)>, Failure> {
    match clean.key {
        None | Some(KeyArg::None) => Ok(None),
        Some(KeyArg::Color(color)) => Ok(Some((color, 0))),
        Some(KeyArg::Auto) => {
            let mut found: Vec<(Color, u8, usize)> = Vec::new();
            for frame in set.frames().iter().filter(|frame| frame.is_whole()) {
                let Ground::Flat { color, tolerance } = ground(frame.pixels()) else { continue };
                match found.iter_mut().find(|(other, ..)| other.0 == color) {
                    Some(one) => (one.1, one.2) = (one.1.max(tolerance), one.2 + 1),
                    None => found.push((Color(color), tolerance, 1)),
                }
            }
            let most = found.into_iter().rev().max_by_key(|(.., count)| *count);
            match most {
                Some((color, tolerance, _)) => Ok(Some((color, tolerance))),
                None => Err(Failure::usage("no frame stands on a flat background")
                    .with_hint("name the color, such as --key ff00ff, or leave --key out")),
            }
        }
    }
}

/// The steps of mending frames, in their fixed order.
pub(super) fn mended(
    set: FrameSet,
    clean: &CleanArgs,
    key: Option<Color>,
) -> Result<(FrameSet, Vec<CleanReport>), Failure> {
    let mut reports = Vec::new();
    let mut run = |set: FrameSet,
                   step: String,
                   change: &(dyn Fn(&Pixels) -> Mended + Sync)|
     -> Result<FrameSet, Failure> {
        let (set, changed) = mend(set, change)?;
        reports.push(CleanReport { step, pixels: changed.pixels, frames: Some(changed.frames) });
        Ok(set)
    };
    let mut set = set;
    if let Some(width) = clean.clear_edge {
        set = run(set, format!("edge of {width} px emptied"), &|canvas| clear_edge(canvas, width))?;
    }
    if let Some(most) = clean.specks {
        set = run(set, format!("specks of up to {most} px removed"), &|canvas| specks(canvas, most))?;
    }
    if clean.defringe {
        let color = match (key, clean.key) {
            (Some(color), _) | (None, Some(KeyArg::Color(color))) => color,
            _ => {
                return Err(Failure::usage("--defringe takes a background's share out of the edges, and there is no --key to say which")
                    .with_hint("add --key auto or --key COLOR"));
            }
        };
        set = run(set, format!("{color} taken out of edge pixels"), &|canvas| defringe(canvas, color.0))?;
    }
    if let Some(from) = clean.harden_alpha {
        set = run(set, format!("alpha hardened at {from}"), &|canvas| harden(canvas, from))?;
    }
    Ok((set, reports))
}
