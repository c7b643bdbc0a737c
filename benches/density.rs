//! How densely pages are packed, at each effort.
//!
//! `cargo bench --bench density` packs, without turning, on free pages, on square ones and on powers of two: squares cut into pieces by
//! straight cuts and by pinwheels of five, of which a perfect packing is known; sprites whose trimmed frames are all a
//! little different, as games have them; a few small ones, as of one pixel-art figure; and thin pieces, lying and standing. It prints the share covered and the time of
//! each effort, and how near `medium` comes to `high`. Last, how the time grows from 100 to 100,000 frames.
//! `-- --seeds 9` makes more instances of each kind, `-- --time` prints the times only, `-- --quick` leaves out `high`, which
//! takes most of the time. Shares are the same on every machine: if one gets worse, the run fails.

use std::collections::HashMap;
use std::process::ExitCode;
use std::time::Instant;

use image::{Rgba, RgbaImage};
use shibori_benches::{Figures, argument, has_argument};
use shibori_core::pack::{DenseOptions, Effort, Layout, PackSettings, PageRules, Rounding, pack};
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

/// A kind of pieces: its name, how many there are in its instances, and how they are made.
type Kind = (&'static str, &'static [usize], fn(usize, u64) -> Vec<Size>);

const KINDS: [Kind; 4] = [
    ("cut squares", &[16, 50, 200], |count, seed| sizes_of(&cut(count, seed))),
    ("sprites", &[100, 400], |count, seed| sprites(count, seed, (10, 90))),
    ("small sprites", &[20, 40, 80], |count, seed| sprites(count, seed, (8, 32))),
    ("thin pieces", &[60, 200], thin),
];

/// A name, whether pages are square, and what their sides are rounded to.
type Shape = (&'static str, bool, Rounding);

const SHAPES: [Shape; 3] = [
    ("", false, Rounding::None),
    (", square page", true, Rounding::None),
    (", power of two", false, Rounding::Pow2),
];

fn main() -> ExitCode {
    let seeds: u64 = argument("--seeds").and_then(|value| value.parse().ok()).unwrap_or(1);
    let figures = Figures::of("density");
    if !has_argument("--time") {
        println!("share of the page covered, of {seeds} instances each");
        println!("{:>22} {:>17} {:>17} {:>17}", "", "low", "medium", "high");
        for shape in SHAPES {
            for kind in KINDS {
                table(kind, shape, seeds, &figures);
            }
        }
    }
    if has_argument("--quick") {
        return figures.finish();
    }
    println!("time to arrange, in seconds");
    println!("{:>22} {:>17} {:>17}", "frames", "low", "medium");
    for count in [100, 600, 1_000, 2_000, 10_000] {
        let times = [Effort::Low, Effort::Medium]
            .map(|effort| arranged(&sprites(count, 1, (10, 90)), effort, SHAPES[0]).1);
        println!("{count:>22} {:>15.3} s {:>15.3} s", times[0], times[1]);
    }
    println!(
        "{:>22} {:>15.3} s",
        100_000,
        arranged(&sprites(100_000, 1, (10, 90)), Effort::Low, SHAPES[0]).1
    );
    figures.finish()
}

/// A row for each count: the share covered and the time, for each effort; then the means with their verdicts.
fn table((name, counts, make): Kind, shape: Shape, seeds: u64, figures: &Figures) {
    let name = format!("{name}{}", shape.0);
    let mut means = [0.0; 3];
    let efforts = [Effort::Low, Effort::Medium, Effort::High];
    let efforts = &efforts[..if has_argument("--quick") { 2 } else { 3 }];
    for &count in counts {
        let mut row = String::new();
        for (number, &effort) in efforts.iter().enumerate() {
            let runs: Vec<(f64, f64)> =
                (1..=seeds).map(|seed| arranged(&make(count, seed), effort, shape)).collect();
            let mean = |of: fn(&(f64, f64)) -> f64| runs.iter().map(of).sum::<f64>() / runs.len() as f64;
            means[number] += mean(|run| run.0) / counts.len() as f64;
            row += &format!("  {:>6.2} % {:>5.2} s", mean(|run| run.0) * 100.0, mean(|run| run.1));
        }
        println!("{count:>22} {row}");
    }
    let texts: Vec<String> = means.iter().map(|mean| format!("{:>6.2} %        ", mean * 100.0)).collect();
    println!("{name:>22}   {}", texts.join("  "));
    println!("{:>22}   medium: {}", "", figures.verdict(&format!("{name}, medium"), means[1] * 100.0));
    if efforts.len() < 3 {
        return;
    }
    let share = means[1] / means[2];
    println!("{:>22}   high: {}", "", figures.verdict(&name, means[2] * 100.0));
    let what = format!("{name}, medium to high");
    println!("{:>22}   medium is {share:.4} of high: {}", "", figures.verdict(&what, share));
}

/// The share covered of one page without any space, and the time it took.
fn arranged(sizes: &[Size], effort: Effort, (_, square, round): Shape) -> (f64, f64) {
    let max = Size::new(65_536, 65_536);
    let pages = PageRules { max, square, round, ..PackSettings::dense().pages };
    let options = PackSettings {
        layout: Layout::Dense(DenseOptions { share: false, effort, ..DenseOptions::default() }),
        pages,
        margin: 0,
        gutter: 0,
        ..PackSettings::dense()
    };
    let set = frames(sizes);
    let start = Instant::now();
    let atlas = pack(set, &options).expect("the pieces fit a page");
    (atlas.fill(0), start.elapsed().as_secs_f64())
}

/// Bars of many lengths, as banners, swords and beams are, half of them standing.
fn thin(count: usize, seed: u64) -> Vec<Size> {
    let mut draw = Draw(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    let piece = |at: usize| {
        let (long, short) = (draw.within(60, 240), draw.within(6, 24));
        if at.is_multiple_of(2) { Size::new(long, short) } else { Size::new(short, long) }
    };
    (0..count).map(piece).collect()
}

fn sizes_of(rects: &[Rect]) -> Vec<Size> {
    rects.iter().map(|rect| rect.size()).collect()
}

/// Sprites of 8 to 40 frames, each frame up to a fifth larger or smaller than its sprite, whose sides are of this range.
fn sprites(count: usize, seed: u64, (least, most): (u32, u32)) -> Vec<Size> {
    let mut draw = Draw(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    let mut sizes = Vec::new();
    while sizes.len() < count {
        let (width, height) = (draw.within(least, most), draw.within(least + 2, most + 10));
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
        Pixels::from_image(image)
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
