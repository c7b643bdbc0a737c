//! Draws the demo art: a garden pond at night, all made up.
//!
//! `cargo run -p shibori --example draw-demo` writes every file again, next to this program; with `--check` it only
//! compares them with what is there. Each sprite has a file of its own; [`clay`] is what they are modeled in.

mod clay;
mod duckling;
mod firefly;
mod frog;
mod heron;
mod koi;
mod lantern;
mod reeds;
mod ripple;
mod signboard;

use std::borrow::Cow;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use image::{RgbaImage, imageops};
use shibori_core::RenderedAnimation;
use shibori_core::clip::FrameDuration;
use shibori_formats::encode;
use shibori_formats::store::{Policy, Transaction};

/// Where the art is.
const ART: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/demo/art");

/// What the drawing programs return.
pub(crate) enum Art {
    Image(RgbaImage),
    Animation(RenderedAnimation),
}

/// Cells of one size side by side, row by row; `None` leaves a cell blank.
pub(crate) fn sheet(rows: &[Vec<RgbaImage>]) -> RgbaImage {
    let (width, height) = rows[0][0].dimensions();
    let columns = rows.iter().map(Vec::len).max().unwrap_or(0) as u32;
    let mut sheet = RgbaImage::new(columns * width, rows.len() as u32 * height);
    for (row, cells) in rows.iter().enumerate() {
        for (column, cell) in cells.iter().enumerate() {
            imageops::replace(&mut sheet, cell, (column as u32 * width).into(), (row as u32 * height).into());
        }
    }
    sheet
}

/// An animation that plays forever; times in milliseconds.
pub(crate) fn animation(images: Vec<(RgbaImage, u32)>) -> RenderedAnimation {
    let timed = |(image, ms)| (image, FrameDuration::new(ms, 1000).expect("a time over 0"));
    RenderedAnimation { images: images.into_iter().map(timed).collect(), plays: 0 }
}

fn all() -> Vec<(String, Art)> {
    let mut all = vec![
        ("koi.png".to_owned(), Art::Image(koi::strip())),
        ("frog.png".to_owned(), Art::Image(frog::sheet())),
        ("firefly.gif".to_owned(), Art::Animation(firefly::animation())),
        ("duckling.png".to_owned(), Art::Image(duckling::sheet())),
        ("ripple.png".to_owned(), Art::Animation(ripple::animation())),
        ("reeds.png".to_owned(), Art::Image(reeds::loose_sheet())),
        ("signboard.png".to_owned(), Art::Image(signboard::panel())),
        ("heron.png".to_owned(), Art::Image(heron::strip())),
    ];
    let glows = lantern::glows().into_iter().enumerate();
    all.extend(glows.map(|(n, glow)| (format!("lantern/glow_{n:02}.png"), Art::Image(glow))));
    all
}

fn write_all(folder: &Path) -> Result<(), shibori_formats::FileError> {
    let run = Transaction::new(Policy { force: true, ..Policy::default() });
    for (name, art) in all() {
        let path = folder.join(name);
        match art {
            Art::Image(image) => drop(encode::pictures(&path, 1, |_| Cow::Borrowed(&image), &run)?),
            Art::Animation(animation) => drop(encode::animation(&path, &animation, &run, || {})?),
        }
    }
    run.commit()
}

/// The files in `folder` that differ from what would be drawn.
fn stale(folder: &Path) -> Result<Vec<String>, Box<dyn std::error::Error>> {
    let fresh = std::env::temp_dir().join(format!("draw-demo-{}", std::process::id()));
    write_all(&fresh)?;
    let differs = |name: &String| {
        let read = |folder: &Path| std::fs::read(folder.join(name)).ok();
        read(folder) != read(&fresh)
    };
    let stale = all().into_iter().map(|(name, _)| name).filter(differs).collect();
    std::fs::remove_dir_all(fresh)?;
    Ok(stale)
}

fn main() -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let is_check = arguments.iter().any(|argument| argument == "--check");
    let folder = arguments.iter().find(|argument| !argument.starts_with("--"));
    let folder = PathBuf::from(folder.map_or(ART, String::as_str));
    let result = match is_check {
        true => stale(&folder),
        false => write_all(&folder).map(|()| Vec::new()).map_err(Into::into),
    };
    match result {
        Ok(stale) if stale.is_empty() => ExitCode::SUCCESS,
        Ok(stale) => {
            eprintln!("not as drawn: {}", stale.join(", "));
            ExitCode::FAILURE
        }
        Err(error) => {
            eprintln!("{error}");
            ExitCode::FAILURE
        }
    }
}
