//! What a game does with a manifest: which frame when, where it goes, and each event once.
//!
//! ```text
//! at 0.00 s: frame 0, 0.30 s: frame 3, 0.45 s: frame 2
//! game frame 1: frame 0 []
//! game frame 2: frame 2 ["flare"]
//! game frame 3: frame 2 ["flare"]
//! 10 days later: tick 8640000
//! ```

use std::error::Error;
use std::time::Duration;

use shibori_play::{Atlas, Player};

const MANIFEST: &str = r#"{ "format": "shibori/1",
  "pages": [{ "file": "lantern.png", "size": [128, 32] }],
  "frames": [
    { "name": "0", "sprite": "lantern", "page": 0, "rect": [0, 0, 32, 32], "canvas": [32, 32], "pivot": [16, 0] },
    { "name": "1", "sprite": "lantern", "page": 0, "rect": [32, 0, 32, 32], "canvas": [32, 32], "pivot": [16, 0] },
    { "name": "2", "sprite": "lantern", "page": 0, "rect": [64, 0, 32, 32], "canvas": [32, 32], "pivot": [16, 0] },
    { "name": "3", "sprite": "lantern", "page": 0, "rect": [96, 0, 32, 32], "canvas": [32, 32], "pivot": [16, 0] }],
  "clips": [{ "name": "glow", "sprite": "lantern", "play": "bounce", "timescale": 10, "steps": [
    { "frame": 0, "ticks": 1 }, { "frame": 1, "ticks": 1 }, { "frame": 2, "ticks": 1, "event": "flare" },
    { "frame": 3, "ticks": 1 }] }] }"#;

fn main() -> Result<(), Box<dyn Error>> {
    let atlas = Atlas::from_json(MANIFEST.as_bytes())?;
    let glow = atlas.clip("lantern", "glow").ok_or("no such clip")?;
    let [a, b, c] = [0.0, 0.3, 0.45].map(|seconds| glow.at(seconds).frame);
    println!("at 0.00 s: frame {a}, 0.30 s: frame {b}, 0.45 s: frame {c}");

    let mut player = Player::new();
    for (number, millis) in [40, 200, 200].into_iter().enumerate() {
        let events: Vec<&str> =
            player.advance(glow, Duration::from_millis(millis)).map(|event| event.name).collect();
        println!("game frame {}: frame {} {events:?}", number + 1, player.shown(glow).frame);
    }

    let mut player = Player::new();
    let _ = player.advance(glow, Duration::from_secs(10 * 24 * 3600));
    println!("10 days later: tick {}", player.tick());
    Ok(())
}
