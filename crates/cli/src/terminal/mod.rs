//! Pictures in the terminal itself: by an image protocol where the terminal says by name that it has one, else in half blocks
//! of color. Nothing is asked of a terminal: an answer that never comes would hang, and one that does eats keys.

mod blocks;
mod protocol;

use std::io::{self, IsTerminal, Write};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use crossterm::{cursor, event, execute, terminal};
use image::RgbaImage;
use shibori_core::RenderedAnimation;
use shibori_draw::ContactSheets;

use crate::failure::Failure;
use blocks::Depth;
use protocol::Protocol;

/// Where stdout isn't a terminal there is nowhere to show anything.
fn check_terminal() -> Result<(), Failure> {
    if io::stdout().is_terminal() {
        return Ok(());
    }
    Err(Failure::usage("--here shows the picture in a terminal, and stdout is not one")
        .with_hint("leave --here out and write a file: -o FILE"))
}

/// How many characters wide a picture is shown: as large as the terminal, but no pixel larger than one half block, so that
/// it is never blurred up.
fn columns_for(picture: &RgbaImage) -> u32 {
    let (columns, rows) = terminal::size().unwrap_or((80, 24));
    let rows = rows.saturating_sub(2).max(1);
    let (width, height) = (f64::from(picture.width()), f64::from(picture.height()));
    let scale = (f64::from(columns) / width).min(f64::from(rows) * 2.0 / height).min(1.0);
    ((width * scale) as u32).max(1)
}

fn encode_for_terminal(picture: &RgbaImage) -> Result<(), Failure> {
    let columns = columns_for(picture);
    let text = match Protocol::of_terminal(|name| std::env::var(name).ok()) {
        Some(protocol) => protocol.text(&encoded(picture)?, columns),
        None => blocks::text(picture, columns, Depth::of_terminal(|name| std::env::var(name).ok())),
    };
    print(&text)
}

fn print(text: &str) -> Result<(), Failure> {
    let mut out = io::stdout().lock();
    out.write_all(text.as_bytes())
        .and_then(|()| out.flush())
        .map_err(|error| Failure::usage(format!("this terminal can't show it: {error}")))
}

fn encoded(picture: &RgbaImage) -> Result<Vec<u8>, Failure> {
    shibori_formats::encode::png(picture)
        .map_err(|error| Failure::usage(format!("this terminal can't show it: {error}")))
}

/// Shows a contact sheet: as pictures, or, if pixels are blocks, with its labels as text.
pub(crate) fn show_contact(sheets: &ContactSheets) -> Result<(), Failure> {
    check_terminal()?;
    let variable = |name: &str| std::env::var(name).ok();
    if Protocol::of_terminal(variable).is_some() {
        return (0..sheets.sizes().len()).try_for_each(|at| encode_for_terminal(&sheets.draw(at)));
    }
    let (columns, _) = terminal::size().unwrap_or((80, 24));
    print(&blocks::contact(sheets, u32::from(columns), Depth::of_terminal(variable)))
}

/// Shows one picture.
pub(crate) fn show(picture: &RgbaImage) -> Result<(), Failure> {
    check_terminal()?;
    encode_for_terminal(picture)
}

/// Plays a film until a key is pressed, or as often as it plays.
pub(crate) fn play(animation: &RenderedAnimation) -> Result<(), Failure> {
    check_terminal()?;
    let wrong = |error: io::Error| Failure::usage(format!("this terminal can't play it: {error}"));
    let _raw = Raw::enter().map_err(wrong)?;
    frames(animation)
}

/// Whether keys come one by one and the cursor is hidden.
static IS_RAW: AtomicBool = AtomicBool::new(false);

/// A terminal in raw mode, restored however the run ends.
struct Raw;

impl Raw {
    fn enter() -> io::Result<Self> {
        terminal::enable_raw_mode()?;
        IS_RAW.store(true, Ordering::SeqCst);
        Ok(Self)
    }
}

impl Drop for Raw {
    fn drop(&mut self) {
        restore();
    }
}

/// Restores the terminal, also when a run is interrupted.
pub(crate) fn restore() {
    if IS_RAW.swap(false, Ordering::SeqCst) {
        let _ = terminal::disable_raw_mode();
        let _ = execute!(io::stdout(), cursor::Show);
        let _ = writeln!(io::stdout());
    }
}

fn frames(animation: &RenderedAnimation) -> Result<(), Failure> {
    let wrong = |error: io::Error| Failure::usage(format!("this terminal can't play it: {error}"));
    let mut out = io::stdout();
    execute!(out, cursor::Hide, terminal::Clear(terminal::ClearType::All)).map_err(wrong)?;
    // The end of each picture is counted from the start, so that slow drawing does not add up.
    let start = Instant::now();
    let (mut end, mut plays) = (Duration::ZERO, 0);
    loop {
        for (picture, span) in &animation.images {
            end += Duration::from_secs_f64(span.millis() / 1000.0);
            // A picture whose time is over already is not shown late.
            if start.elapsed() < end {
                execute!(out, cursor::MoveTo(0, 0)).map_err(wrong)?;
                encode_for_terminal(picture)?;
                out.flush().map_err(wrong)?;
            }
            while start.elapsed() < end {
                let left = end.saturating_sub(start.elapsed());
                if event::poll(left).map_err(wrong)? && is_press(&event::read().map_err(wrong)?) {
                    return Ok(());
                }
            }
        }
        plays += 1;
        if animation.plays > 0 && plays == animation.plays {
            return Ok(());
        }
    }
}

/// Whether a key went down. On Windows the key that began the command is let go only when this runs already.
fn is_press(event: &event::Event) -> bool {
    matches!(event, event::Event::Key(key) if key.kind != event::KeyEventKind::Release)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_key_that_is_let_go_ends_nothing() {
        use event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
        let key = |kind| Event::Key(KeyEvent::new_with_kind(KeyCode::Enter, KeyModifiers::NONE, kind));
        assert!(is_press(&key(KeyEventKind::Press)) && is_press(&key(KeyEventKind::Repeat)));
        assert!(!is_press(&key(KeyEventKind::Release)) && !is_press(&Event::FocusLost));
    }
}
