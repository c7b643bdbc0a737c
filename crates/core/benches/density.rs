//! How densely pages are packed, on pieces of which a perfect packing is known.
//!
//! `cargo bench -p shibori-core --bench density` cuts squares into 16 to 1,000 pieces, by straight cuts and by pinwheels of
//! five, packs them without turning on a page of free size, and prints the share covered and the time of each effort; then
//! the same for sets as games have them: sprites whose trimmed frames are all a little different. Last, how the time grows
//! from 100 to 10,000 frames. `-- --seeds 9` makes more instances of each size, `-- --time` prints the times only.

use std::collections::HashMap;
use std::time::Instant;

use image::{Rgba, RgbaImage};
use shibori_core::pack::{DenseOptions, Effort, Layout, PackOptions, PageRules, pack};
use shibori_core::{Frame, FrameSet, Name, Pixels, Rect, Size};

/// Numbers that look random and are always the same (G. Marsaglia, "Xorshift RNGs", 2003).
struct Draw(u64);

impl Draw {
    fn within(&mut self, low: u32, high: u32) -> u32 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        low + (self.0 % u64::from(high - low + 1)) as u32
    }
}

fn main() {
    let mut arguments = std::env::args().skip_while(|argument| argument != "--seeds");
    let seeds: u64 = arguments.nth(1).and_then(|value| value.parse().ok()).unwrap_or(3);
    let only_time = std::env::args().any(|argument| argument == "--time");
    let head = |what: &str| println!("{what:>9} {:>17} {:>17} {:>17}", "low", "medium", "high");
    if !only_time {
        println!("pieces of a square, perfect is 100 %");
        head("pieces");
        table(&[16, 25, 50, 100, 200, 500, 1000], seeds, |count, seed| sizes_of(&cut(count, seed)));
        println!("trimmed frames of sprites");
        head("frames");
        table(&[100, 200, 400, 800], seeds, sprites);
    }
    println!("time to arrange, in seconds");
    head("frames");
    for count in [100, 600, 1_000, 2_000, 10_000] {
        let times = [Effort::Low, Effort::Medium].map(|effort| arranged(&sprites(count, 1), effort).1);
        println!("{count:>9} {:>15.2} s {:>15.2} s", times[0], times[1]);
    }
    println!("{:>9} {:>15.2} s", 100_000, arranged(&sprites(100_000, 1), Effort::Low).1);
}

/// A row for each count: the share covered and the time, for each effort.
fn table(counts: &[usize], seeds: u64, make: impl Fn(usize, u64) -> Vec<Size>) {
    let mut means = [0.0; 3];
    for &count in counts {
        let mut row = String::new();
        for (number, effort) in [Effort::Low, Effort::Medium, Effort::High].into_iter().enumerate() {
            let runs: Vec<(f64, f64)> =
                (1..=seeds).map(|seed| arranged(&make(count, seed), effort)).collect();
            let mean = |of: fn(&(f64, f64)) -> f64| runs.iter().map(of).sum::<f64>() / runs.len() as f64;
            means[number] += mean(|run| run.0) / counts.len() as f64;
            row += &format!("  {:>6.2} % {:>5.2} s", mean(|run| run.0) * 100.0, mean(|run| run.1));
        }
        println!("{count:>9} {row}");
    }
    let told: Vec<String> = means.iter().map(|mean| format!("{:>6.2} %        ", mean * 100.0)).collect();
    println!("{:>9}   {}", "mean", told.join("  "));
}

/// The share covered of one page without any space, and the time it took.
fn arranged(sizes: &[Size], effort: Effort) -> (f64, f64) {
    let max = Size::new(65_536, 65_536);
    let pages = PageRules { max, ..PackOptions::dense().pages };
    let options = PackOptions {
        layout: Layout::Dense(DenseOptions { share: false, effort, ..DenseOptions::default() }),
        pages,
        margin: 0,
        gutter: 0,
        ..PackOptions::dense()
    };
    let set = frames(sizes);
    let start = Instant::now();
    let atlas = pack(set, Vec::new(), &options).expect("the pieces fit a page");
    (atlas.fill(0), start.elapsed().as_secs_f64())
}

fn sizes_of(rects: &[Rect]) -> Vec<Size> {
    rects.iter().map(|rect| rect.size()).collect()
}

/// Sprites of 8 to 40 frames, each frame up to a fifth larger or smaller than its sprite.
fn sprites(count: usize, seed: u64) -> Vec<Size> {
    let mut draw = Draw(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    let mut sizes = Vec::new();
    while sizes.len() < count {
        let (width, height) = (draw.within(10, 90), draw.within(12, 100));
        for _ in 0..draw.within(8, 40) {
            let near = |draw: &mut Draw, length: u32| draw.within(length * 4 / 5, length * 6 / 5);
            sizes.push(Size::new(near(&mut draw, width), near(&mut draw, height)));
        }
    }
    sizes.truncate(count);
    sizes
}

/// A square cut into so many pieces, none thinner than four pixels.
fn cut(count: usize, seed: u64) -> Vec<Rect> {
    let mut draw = Draw(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    let side = (40.0 * (count as f64).sqrt()) as u32;
    let mut pieces = vec![Rect::new(0, 0, side, side)];
    while pieces.len() < count {
        pieces.sort_by_key(|rect| rect.size().area());
        // Mostly the largest, sometimes another: sizes vary as in real sets.
        let skip = draw.within(0, (pieces.len() as u32 - 1).min(3)) as usize;
        let rect = pieces.remove(pieces.len() - 1 - skip);
        let Rect { x, y, width, height } = rect;
        if pieces.len() + 5 <= count && width >= 30 && height >= 30 && draw.within(0, 3) == 0 {
            let (a, b) = (draw.within(width / 3, width / 2), draw.within(height / 3, height / 2));
            let (c, d) = (draw.within(width / 5, a - 4), draw.within(height / 5, b - 4));
            // Four round a fifth.
            pieces.extend([
                Rect::new(x, y, a, d),
                Rect::new(x + a, y, width - a, b),
                Rect::new(x + c, y + b, width - c, height - b),
                Rect::new(x, y + d, c, height - d),
                Rect::new(x + c, y + d, a - c, b - d),
            ]);
        } else if width >= height && width >= 8 {
            let at = draw.within(width / 4, width * 3 / 4);
            pieces.extend([Rect { width: at, ..rect }, Rect::new(x + at, y, width - at, height)]);
        } else if height >= 8 {
            let at = draw.within(height / 4, height * 3 / 4);
            pieces.extend([Rect { height: at, ..rect }, Rect::new(x, y + at, width, height - at)]);
        } else {
            pieces.push(rect);
        }
    }
    let area: u64 = pieces.iter().map(|rect| rect.size().area()).sum();
    assert_eq!(area, u64::from(side) * u64::from(side), "the pieces are the square");
    pieces
}

fn frames(sizes: &[Size]) -> FrameSet {
    // All look at one clear picture with a dot: what is measured is arranging.
    let dot = |size: Size| {
        let mut image = RgbaImage::new(size.width, size.height);
        image.put_pixel(0, 0, Rgba([9, 9, 9, 255]));
        Pixels::whole(image)
    };
    let mut known = HashMap::new();
    let frame = |(at, size): (usize, &Size)| {
        let pixels = known.entry(*size).or_insert_with(|| dot(*size)).clone();
        let (sprite, name) =
            (Name::new("piece").expect("a name"), Name::new(at.to_string()).expect("a name"));
        Frame::new(sprite, name, pixels).expect("a frame")
    };
    FrameSet::new(sizes.iter().enumerate().map(frame).collect(), Vec::new()).expect("names differ")
}
