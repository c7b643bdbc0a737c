//! A game whose atlas is compiled in: the page as bytes, frames and clips as constants.

use std::error::Error;
use std::time::Duration;

use shibori_play::Player;

mod pond {
    include!(concat!(env!("OUT_DIR"), "/pond.rs"));
}

const PAGE: &[u8] = include_bytes!(concat!(env!("OUT_DIR"), "/pond.png"));

fn main() -> Result<(), Box<dyn Error>> {
    let atlas = pond::atlas()?;
    println!("{}: {} bytes, {} frames", atlas.pages()[0].file, PAGE.len(), atlas.frames().len());
    let swim = &atlas.clips()[pond::clip::KOI_SWIM];
    let mut player = Player::new();
    // Four frames of a game that runs at 8 frames a second.
    for _ in 0..4 {
        let events: Vec<&str> = player.advance(swim, Duration::from_millis(125)).map(|event| event.name).collect();
        let shown = player.shown(swim);
        let quad = atlas.quad(shown.frame, shown.mirror).ok_or("a blank frame")?;
        println!("{} at {:?}, {:?} px {events:?}", atlas.frames()[shown.frame].name, quad.offset, quad.size);
    }
    Ok(())
}
