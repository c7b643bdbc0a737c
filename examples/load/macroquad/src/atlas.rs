//! A shibori atlas in macroquad: its pages as textures, and how a frame is drawn. The rest is in shibori-play.

use std::error::Error;

use macroquad::prelude::*;
use shibori_play::{Atlas, Sampling};

pub struct Sprites {
    pub atlas: Atlas,
    textures: Vec<Texture2D>,
}

impl Sprites {
    /// Reads a manifest and its pages, which lie in the same folder.
    pub async fn load(path: &str) -> Result<Self, Box<dyn Error>> {
        let atlas = Atlas::from_json(&load_file(path).await?)?;
        let folder = path.rsplit_once('/').map_or(String::new(), |(folder, _)| format!("{folder}/"));
        let mut textures = Vec::new();
        for page in atlas.pages() {
            let texture = load_texture(&format!("{folder}{}", page.file)).await?;
            let is_smooth = page.sampling == Some(Sampling::Smooth);
            texture.set_filter(if is_smooth { FilterMode::Linear } else { FilterMode::Nearest });
            textures.push(texture);
        }
        Ok(Self { atlas, textures })
    }

    /// Draws a frame with its pivot at `x`, `y`.
    pub fn draw(&self, frame: usize, x: f32, y: f32, scale: f32, mirror: bool) {
        let Some(quad) = self.atlas.quad(frame, mirror) else { return };
        let vertex = |corner: shibori_play::Corner| {
            let [right, down] = corner.offset.map(|side| side * scale);
            Vertex::new(x + right, y + down, 0.0, corner.uv[0], corner.uv[1], WHITE)
        };
        draw_mesh(&Mesh {
            vertices: quad.corners().map(vertex).to_vec(),
            indices: vec![0, 1, 2, 0, 2, 3],
            texture: Some(self.textures[quad.page].clone()),
        });
    }
}
