//! Plays the clips of an atlas: `cargo run -- pond.json`. `cargo run -- pond.json --verify` prints every frame.

mod atlas;

use atlas::Atlas;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use macroquad::prelude::*;

#[macroquad::main("A shibori atlas")]
async fn main() {
    let path = std::env::args().nth(1).unwrap_or_else(|| "pond.json".to_owned());
    let atlas = match Atlas::load(&path).await {
        Ok(atlas) => atlas,
        Err(error) => {
            eprintln!("{path}: {error}");
            std::process::exit(1);
        }
    };
    if std::env::args().any(|argument| argument == "--verify") {
        verify(&atlas);
        return;
    }
    let mut playing = 0;
    loop {
        clear_background(Color::from_rgba(26, 34, 48, 255));
        if is_key_pressed(KeyCode::Space) {
            playing = (playing + 1) % atlas.clips.len();
        }
        let clip = &atlas.clips[playing];
        let step = clip.step_at(get_time());
        atlas.draw(step.frame, screen_width() / 2.0, screen_height() * 0.6, 4.0, step.mirror);
        draw_text(&format!("{} {} (space: the next)", clip.sprite, clip.name), 12.0, 24.0, 20.0, WHITE);
        next_frame().await;
    }
}

/// Every frame, drawn on a picture of its canvas's size, as text.
fn verify(atlas: &Atlas) {
    let ways = [("frame", false), ("mirrored", true)];
    let frames = || atlas.frames.iter().enumerate();
    for ((told, mirror), (index, frame)) in
        ways.into_iter().flat_map(|way| frames().map(move |frame| (way, frame)))
    {
        let [width, height] = frame.canvas;
        let target = render_target(width, height);
        target.texture.set_filter(FilterMode::Nearest);
        let mut camera = Camera2D::from_display_rect(Rect::new(0.0, 0.0, width as f32, height as f32));
        // Rows of a texture begin at the bottom.
        camera.zoom.y = -camera.zoom.y;
        camera.render_target = Some(target.clone());
        set_camera(&camera);
        clear_background(BLANK);
        atlas.draw(index, frame.pivot[0], frame.pivot[1], 1.0, mirror);
        set_default_camera();
        let image = target.texture.get_texture_data();
        println!("{told} {} {} {width} {height} {}", frame.sprite, frame.name, STANDARD.encode(&image.bytes));
    }
    println!("end");
}
