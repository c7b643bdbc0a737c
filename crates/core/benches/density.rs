//! How densely pages are packed, on pieces of which a perfect packing is known.
//!
//! `cargo bench -p shibori-core --bench density` cuts squares into 16 to 1,000 pieces, by straight cuts and by pinwheels of
//! five, packs them without turning on a page of free size, and prints the share covered and the time of each effort.
//! `-- --seeds 9` makes more instances of each size.

use std::time::Instant;

use image::{Rgba, RgbaImage};
use shibori_core::pack::{Effort, Options, pack};
use shibori_core::{Frame, FrameSet, Name, Pixels, Rect};

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
    println!("{:>6} {:>14} {:>14} {:>14}", "pieces", "low", "medium", "high");
    let efforts = [Effort::Low, Effort::Medium, Effort::High];
    let mut means = [0.0; 3];
    let counts = [16, 25, 50, 100, 200, 500, 1000];
    for count in counts {
        let mut row = String::new();
        for (number, effort) in efforts.into_iter().enumerate() {
            let (mut density, mut time) = (0.0, 0.0);
            for seed in 1..=seeds {
                let set = frames(&cut(count, seed));
                let options = Options { margin: 0, gutter: 0, share: false, effort, ..Options::dense() };
                let start = Instant::now();
                let atlas = pack(set, &options).expect("the pieces fit a page");
                time += start.elapsed().as_secs_f64();
                density += atlas.fill(0);
            }
            let runs = seeds as f64;
            means[number] += density / runs / counts.len() as f64;
            row += &format!(" {:>6.2} % {:>4.2} s", density / runs * 100.0, time / runs);
        }
        println!("{count:>6}{row}");
    }
    let told: Vec<String> = means.iter().map(|mean| format!("{:>6.2} %       ", mean * 100.0)).collect();
    println!("{:>6} {}", "mean", told.join(" "));
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

fn frames(pieces: &[Rect]) -> FrameSet {
    let frame = |(at, rect): (usize, &Rect)| {
        let pixels = Pixels::whole(RgbaImage::from_pixel(rect.width, rect.height, Rgba([9, 9, 9, 255])));
        let (sprite, name) =
            (Name::new("piece").expect("a name"), Name::new(at.to_string()).expect("a name"));
        Frame::new(sprite, name, pixels).expect("a frame")
    };
    FrameSet::new(pieces.iter().enumerate().map(frame).collect(), Vec::new()).expect("names differ")
}
