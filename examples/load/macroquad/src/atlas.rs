//! A shibori atlas in macroquad: what the manifest says, and how a frame is drawn.

use std::collections::BTreeMap;

use macroquad::prelude::*;
use serde::Deserialize;

#[derive(Deserialize)]
struct Manifest {
    format: String,
    pages: Vec<Page>,
    frames: Vec<Frame>,
    #[serde(default)]
    clips: Vec<Clip>,
}

#[derive(Deserialize)]
struct Page {
    file: String,
}

#[derive(Deserialize)]
pub struct Frame {
    pub sprite: String,
    pub name: String,
    page: usize,
    rect: [f32; 4],
    #[serde(default)]
    rotated: bool,
    pub canvas: [u32; 2],
    #[serde(default)]
    inset: [f32; 2],
    pub pivot: [f32; 2],
    #[serde(default)]
    pub boxes: BTreeMap<String, [i32; 4]>,
}

#[derive(Deserialize)]
pub struct Clip {
    pub sprite: String,
    pub name: String,
    #[serde(default)]
    play: Option<String>,
    #[serde(default)]
    plays: u32,
    timescale: u32,
    steps: Vec<Step>,
}

#[derive(Clone, Deserialize)]
pub struct Step {
    pub frame: usize,
    ticks: u32,
    #[serde(default)]
    pub mirror: bool,
    pub event: Option<String>,
}

pub struct Atlas {
    pub frames: Vec<Frame>,
    pub clips: Vec<Clip>,
    pages: Vec<Texture2D>,
}

impl Atlas {
    /// Reads a manifest and its pages, which lie in the same folder.
    pub async fn load(path: &str) -> Result<Self, Box<dyn std::error::Error>> {
        let manifest: Manifest = serde_json::from_str(&load_string(path).await?)?;
        if manifest.format != "shibori/1" {
            return Err(format!("{path}: not a shibori/1 manifest").into());
        }
        let folder = path.rsplit_once('/').map_or(String::new(), |(folder, _)| format!("{folder}/"));
        let mut pages = Vec::new();
        for page in &manifest.pages {
            let texture = load_texture(&format!("{folder}{}", page.file)).await?;
            texture.set_filter(FilterMode::Nearest);
            pages.push(texture);
        }
        Ok(Self { frames: manifest.frames, clips: manifest.clips, pages })
    }

    /// Draws a frame with its pivot at `x`, `y`.
    pub fn draw(&self, index: usize, x: f32, y: f32, scale: f32, mirror: bool) {
        let frame = &self.frames[index];
        let [left, top, width, height] = frame.rect;
        if width == 0.0 {
            return; // nothing of it shows
        }
        // Upright again, a rotated frame has its sides exchanged.
        let (wide, high) = if frame.rotated { (height, width) } else { (width, height) };
        let from_pivot = vec2(frame.inset[0] - frame.pivot[0], frame.inset[1] - frame.pivot[1]);
        let across = if mirror { -from_pivot.x - wide } else { from_pivot.x };
        let middle = vec2(x + (across + wide / 2.0) * scale, y + (from_pivot.y + high / 2.0) * scale);
        let size = vec2(width, height) * scale;
        draw_texture_ex(
            &self.pages[frame.page],
            middle.x - size.x / 2.0,
            middle.y - size.y / 2.0,
            WHITE,
            DrawTextureParams {
                source: Some(Rect::new(left, top, width, height)),
                dest_size: Some(size),
                // About its middle: a quarter back. Mirrored before it is rotated, across is down.
                rotation: if frame.rotated { -std::f32::consts::FRAC_PI_2 } else { 0.0 },
                flip_x: mirror && !frame.rotated,
                flip_y: mirror && frame.rotated,
                ..Default::default()
            },
        );
    }
}

impl Clip {
    /// The step that is shown after this many seconds.
    pub fn step_at(&self, seconds: f64) -> &Step {
        let count = self.steps.len();
        let back = if self.play.as_deref() == Some("bounce") { 1..count.max(1) - 1 } else { 0..0 };
        let way: Vec<usize> = (0..count).chain(back.rev()).collect();
        let total: u32 = way.iter().map(|&at| self.steps[at].ticks).sum();
        let mut at = seconds * f64::from(self.timescale);
        if self.plays > 0 && at >= f64::from(total) * f64::from(self.plays) {
            return &self.steps[*way.last().expect("a clip has a step")];
        }
        at %= f64::from(total);
        for step in way.iter().map(|&at| &self.steps[at]) {
            if at < f64::from(step.ticks) {
                return step;
            }
            at -= f64::from(step.ticks);
        }
        &self.steps[0]
    }
}
