//! Pictures in the terminal itself: by its own picture protocol where it has one, else in half blocks of true colour.

use std::io::{self, IsTerminal, Write};
use std::time::{Duration, Instant};

use crossterm::{cursor, event, execute, terminal};
use image::{DynamicImage, RgbaImage};
use shibori_core::draw::Film;
use viuer::{Config, print};

use crate::failure::Failure;

/// Where stdout is no terminal there is nowhere to show anything.
fn check_terminal() -> Result<(), Failure> {
    if io::stdout().is_terminal() {
        return Ok(());
    }
    Err(Failure::usage("--here shows the picture in a terminal, and stdout is none")
        .with_hint("leave --here out and write a file: -o FILE"))
}

/// As large as the terminal, but no pixel larger than one half block: a picture is never blurred up.
fn config(picture: &RgbaImage) -> Config {
    let (columns, rows) = terminal::size().unwrap_or((80, 24));
    let rows = rows.saturating_sub(2).max(1);
    let (width, height) = (f64::from(picture.width()), f64::from(picture.height()));
    let scale = (f64::from(columns) / width).min(f64::from(rows) * 2.0 / height).min(1.0);
    let width = Some(((width * scale) as u32).max(1));
    // Asking a terminal what it can do waits for an answer that many never give, and eats the keys pressed meanwhile: only
    // those are asked that say by name that they will answer.
    let says = |variable: &str, names: &[&str]| {
        std::env::var(variable)
            .is_ok_and(|value| names.iter().any(|name| value.to_lowercase().contains(name)))
    };
    let use_kitty = says("TERM", &["kitty", "ghostty"]) || says("TERM_PROGRAM", &["ghostty", "wezterm"]);
    Config { width, absolute_offset: false, transparent: true, use_kitty, ..Config::default() }
}

fn shown(picture: &RgbaImage) -> Result<(u32, u32), Failure> {
    print(&DynamicImage::ImageRgba8(picture.clone()), &config(picture))
        .map_err(|error| Failure::usage(format!("this terminal can't show it: {error}")))
}

/// Shows one picture.
pub(super) fn show(picture: &RgbaImage) -> Result<(), Failure> {
    check_terminal()?;
    shown(picture).map(drop)
}

/// Plays a film until a key is pressed, or as often as it plays.
pub(super) fn play(film: &Film) -> Result<(), Failure> {
    check_terminal()?;
    let wrong = |error: io::Error| Failure::usage(format!("this terminal can't play it: {error}"));
    terminal::enable_raw_mode().map_err(wrong)?;
    let played = frames(film);
    let _ = terminal::disable_raw_mode();
    let _ = execute!(io::stdout(), cursor::Show);
    println!();
    played
}

fn frames(film: &Film) -> Result<(), Failure> {
    let wrong = |error: io::Error| Failure::usage(format!("this terminal can't play it: {error}"));
    let mut out = io::stdout();
    execute!(out, cursor::Hide, terminal::Clear(terminal::ClearType::All)).map_err(wrong)?;
    // The end of each picture is counted from the start, so that slow drawing does not add up.
    let start = Instant::now();
    let (mut end, mut plays) = (Duration::ZERO, 0);
    loop {
        for (picture, span) in &film.pictures {
            end += Duration::from_secs_f64(span.millis() / 1000.0);
            // A picture whose time is over already is not shown late.
            if start.elapsed() < end {
                execute!(out, cursor::MoveTo(0, 0)).map_err(wrong)?;
                shown(picture)?;
                out.flush().map_err(wrong)?;
            }
            while start.elapsed() < end {
                let left = end.saturating_sub(start.elapsed());
                if event::poll(left).map_err(wrong)?
                    && matches!(event::read().map_err(wrong)?, event::Event::Key(_))
                {
                    return Ok(());
                }
            }
        }
        plays += 1;
        if film.plays > 0 && plays == film.plays {
            return Ok(());
        }
    }
}
