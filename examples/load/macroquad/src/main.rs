//! Plays the clips of an atlas: `cargo run -- pond.json`. `cargo run -- pond.json --verify` prints every frame and step.

mod atlas;

use atlas::Sprites;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use macroquad::prelude::*;

#[macroquad::main("A shibori atlas")]
async fn main() {
    let path = std::env::args().nth(1).unwrap_or_else(|| "pond.json".to_owned());
    let sprites = match Sprites::load(&path).await {
        Ok(sprites) => sprites,
        Err(error) => {
            eprintln!("{path}: {error}");
            std::process::exit(1);
        }
    };
    if std::env::args().any(|argument| argument == "--verify") {
        verify(&sprites);
        return;
    }
    let mut playing = 0;
    loop {
        clear_background(Color::from_rgba(26, 34, 48, 255));
        if is_key_pressed(KeyCode::Space) {
            playing = (playing + 1) % sprites.atlas.clips().len();
        }
        let clip = &sprites.atlas.clips()[playing];
        let shown = clip.at(get_time());
        sprites.draw(shown.frame, screen_width() / 2.0, screen_height() * 0.6, 4.0, shown.mirror);
        draw_text(&format!("{} {} (space: the next)", clip.sprite, clip.name), 12.0, 24.0, 20.0, WHITE);
        next_frame().await;
    }
}

/// Every frame and box, and every clip at the times of times.txt, as text.
fn verify(sprites: &Sprites) {
    let atlas = &sprites.atlas;
    for (kind, mirror) in [("frame", false), ("mirrored", true)] {
        for (index, frame) in atlas.frames().iter().enumerate() {
            println!("{kind} {} {} {}", frame.sprite, frame.name, picture(sprites, index, mirror));
        }
    }
    for frame in atlas.frames() {
        for (name, [x, y, width, height]) in frame.boxes.iter() {
            println!("box {} {} {name} {x} {y} {width} {height}", frame.sprite, frame.name);
        }
    }
    let times = std::fs::read_to_string("times.txt").expect("times.txt is here");
    for line in times.lines() {
        let [sprite, name, seconds] = line.split(' ').collect::<Vec<_>>()[..] else { panic!("{line}") };
        let clip = atlas.clip(sprite, name).expect("a clip");
        let shown = clip.at(seconds.parse().expect("seconds"));
        let step = &clip.steps[shown.moment.step];
        let side = if shown.mirror { "mirrored" } else { "upright" };
        let event = step.event.as_deref().unwrap_or("-");
        println!("step {line} {} {side} {event} {}", shown.frame, picture(sprites, shown.frame, shown.mirror));
    }
    println!("end");
}

/// A frame drawn on a picture of its canvas's size: its size and pixels.
fn picture(sprites: &Sprites, index: usize, mirror: bool) -> String {
    let frame = &sprites.atlas.frames()[index];
    let [width, height] = frame.canvas;
    let target = render_target(width, height);
    target.texture.set_filter(FilterMode::Nearest);
    let mut camera = Camera2D::from_display_rect(Rect::new(0.0, 0.0, width as f32, height as f32));
    // Rows of a texture begin at the bottom.
    camera.zoom.y = -camera.zoom.y;
    camera.render_target = Some(target.clone());
    set_camera(&camera);
    clear_background(BLANK);
    sprites.draw(index, frame.pivot[0], frame.pivot[1], 1.0, mirror);
    set_default_camera();
    format!("{width} {height} {}", STANDARD.encode(&target.texture.get_texture_data().bytes))
}
