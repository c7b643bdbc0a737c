//! One set of colors for all pages of an atlas, with alpha.
//!
//! Where there are few enough colors nothing changes. Otherwise the box of all colors is halved again and again where
//! its colors differ most (P. Heckbert, "Color image quantization for frame buffer display", 1982; cutting at the mean by
//! variance as in X. Wu, "Color quantization by dynamic programming and principal analysis", 1992), and the means are then
//! moved to where their colors are (S. Lloyd, "Least squares quantization in PCM", 1982). Colors are compared multiplied
//! by alpha, as they are seen. What filtering takes from clear pixels is seen at edges: their colors get an eighth of the palette, or
//! more where there is room. Sums are whole numbers, so the same pages give the same palette everywhere. Written here
//! because the crates for it either know no alpha, or take no fewer than 64 colors, or count in an order of chance.

use shibori_core::parallel;
use std::collections::HashMap;

use image::{Rgba, RgbaImage};

/// Rounds in which colors look for their nearest mean and means for the middle of their colors.
const ROUNDS: usize = 12;

type Color = [u8; 4];

/// Colors, and for each color of the pages which of them stands for it.
#[derive(Clone, Debug)]
pub(in crate::encode) struct Palette {
    colors: Vec<Color>,
    index_of: HashMap<Color, u8>,
    loss: Option<QuantizationError>,
    edge_loss: Option<QuantizationError>,
    keeps_edges: bool,
}

/// At most this share of a palette is for clear pixels if other colors need it.
const EDGES: usize = 8;

/// What a palette gives up.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct QuantizationError {
    /// Colors there were.
    pub from: usize,
    /// The root of the mean squared error of a pixel's channel, in steps of 255.
    pub mean: f64,
    /// The largest error of a pixel's channel, in steps of 255.
    pub largest: u8,
}

/// A color of the pages.
#[derive(Clone, Copy, Debug)]
struct WeightedColor {
    color: Color,
    /// As it is seen: multiplied by alpha.
    shown: [i64; 4],
    count: u64,
    /// A small spot of its own color keeps it, however large the rest: counts weigh by their root.
    weight: i64,
}

impl Palette {
    /// At most `most` colors, 2 to 256, for these pages. With `keeps_edges`, clear pixels keep the color they have, as far as
    /// colors go.
    pub(in crate::encode) fn of(pages: &[RgbaImage], most: u16, keeps_edges: bool) -> Self {
        let most = usize::from(most).clamp(2, 256);
        // With fewer colors, none can be spared.
        let keeps_edges = keeps_edges && most >= 4;
        let (clear, shown): (Vec<WeightedColor>, Vec<WeightedColor>) =
            color_histogram(pages, keeps_edges).into_iter().partition(|seen| seen.color[3] == 0);
        // Clear black is an entry of its own and never mixed with others: a hole in the picture stays a hole.
        let (holes, edges): (Vec<WeightedColor>, Vec<WeightedColor>) =
            clear.into_iter().partition(|seen| seen.color == [0; 4]);
        let free = most - holes.len();
        let for_edges = free.saturating_sub(shown.len()).max(most / EDGES).max(1).min(edges.len());
        let all = holes.len() + shown.len();
        let edges = Quantized::of(&edges, for_edges);
        let shown = Quantized::of(&shown, free - for_edges);
        let mut colors: Vec<Color> = holes.iter().map(|hole| hole.color).collect();
        let mut index_of: HashMap<Color, u8> = colors.iter().map(|color| (*color, 0)).collect();
        let loss = shown.loss.map(|loss| QuantizationError { from: all, ..loss });
        let edge_loss = edges.loss;
        for Quantized { colors: new, color_of, .. } in [edges, shown] {
            let first = colors.len();
            index_of.extend(color_of.into_iter().map(|(color, at)| (color, (first + at) as u8)));
            colors.extend(new);
        }
        Self { colors, index_of, loss, edge_loss, keeps_edges }
    }

    /// Its colors with straight alpha, clear ones first.
    pub(in crate::encode) fn colors(&self) -> &[[u8; 4]] {
        &self.colors
    }

    /// What it gives up; `None` where every pixel keeps its color.
    pub(in crate::encode) fn loss(&self) -> Option<QuantizationError> {
        self.loss
    }

    /// What it gives up of the colors under clear pixels, which filtering mixes into edges.
    pub(in crate::encode) fn edge_loss(&self) -> Option<QuantizationError> {
        self.edge_loss
    }

    /// For each pixel the number of its color. The image must be one of the pages.
    pub(super) fn indices(&self, image: &RgbaImage) -> Vec<u8> {
        image.pixels().map(|pixel| self.index_of[&canonical(pixel, self.keeps_edges)]).collect()
    }

    /// The image in these colors.
    pub(in crate::encode) fn apply(&self, image: &RgbaImage) -> RgbaImage {
        let mut image = image.clone();
        for pixel in image.pixels_mut() {
            *pixel = Rgba(self.colors[usize::from(self.index_of[&canonical(pixel, self.keeps_edges)])]);
        }
        image
    }
}

/// Clear pixels are all one color, unless they keep theirs.
fn canonical(pixel: &Rgba<u8>, keeps_edges: bool) -> Color {
    if pixel[3] == 0 && !keeps_edges { [0; 4] } else { pixel.0 }
}

fn color_histogram(pages: &[RgbaImage], keeps_edges: bool) -> Vec<WeightedColor> {
    let mut counts: HashMap<Color, u64> = HashMap::new();
    for page in pages {
        for pixel in page.pixels() {
            *counts.entry(canonical(pixel, keeps_edges)).or_default() += 1;
        }
    }
    let mut counts: Vec<(Color, u64)> = counts.into_iter().collect();
    counts.sort_unstable_by_key(|(color, _)| (color[3] > 0, *color));
    let seen = |(color, count): (Color, u64)| {
        // Filtering gives clear pixels the alpha of their neighbors.
        let alpha = if color[3] == 0 { 255 } else { i64::from(color[3]) };
        let [r, g, b, _] = color.map(|channel| (i64::from(channel) * alpha + 127) / 255);
        WeightedColor {
            color,
            shown: [r, g, b, i64::from(color[3])],
            count,
            weight: (count as f64).sqrt().ceil() as i64,
        }
    };
    counts.into_iter().map(seen).collect()
}

/// Colors, and the few that stand for them.
struct Quantized {
    colors: Vec<Color>,
    color_of: Vec<(Color, usize)>,
    loss: Option<QuantizationError>,
}

impl Quantized {
    fn of(seen: &[WeightedColor], most: usize) -> Self {
        if seen.len() <= most {
            let colors: Vec<Color> = seen.iter().map(|seen| seen.color).collect();
            let color_of = colors.iter().copied().enumerate().map(|(at, color)| (color, at)).collect();
            return Self { colors, color_of, loss: None };
        }
        let means = refine_means(seen, split_boxes(seen, most));
        let nearest = nearest_of(seen, &means);
        let used: Vec<usize> = (0..means.len()).filter(|at| nearest.contains(at)).collect();
        let is_clear = seen[0].color[3] == 0;
        let color = |&at: &usize| match (is_clear, means[at]) {
            (true, [r, g, b, _]) => [r as u8, g as u8, b as u8, 0],
            (false, mean) => unmultiplied(mean),
        };
        let place = |at: &usize| used.binary_search(at).expect("a color uses it");
        Self {
            colors: used.iter().map(color).collect(),
            color_of: seen.iter().zip(&nearest).map(|(seen, at)| (seen.color, place(at))).collect(),
            loss: Some(QuantizationError { from: seen.len(), ..loss(seen, &nearest, &means) }),
        }
    }
}

/// The means of `most` boxes of colors.
fn split_boxes(seen: &[WeightedColor], most: usize) -> Vec<[i64; 4]> {
    let mut boxes = vec![ColorBox::of(seen.to_vec())];
    while boxes.len() < most {
        let Some(widest) = (0..boxes.len()).rev().max_by_key(|&at| boxes[at].spread) else { break };
        if boxes[widest].spread == 0 {
            break;
        }
        let part = boxes.swap_remove(widest);
        let (below, above): (Vec<WeightedColor>, Vec<WeightedColor>) =
            part.seen.iter().partition(|seen| seen.shown[part.axis] <= part.mean[part.axis]);
        boxes.push(ColorBox::of(below));
        boxes.push(ColorBox::of(above));
    }
    boxes.into_iter().map(|part| part.mean).collect()
}

/// Colors that have one mean so far.
struct ColorBox {
    seen: Vec<WeightedColor>,
    mean: [i64; 4],
    /// The channel in which they differ most.
    axis: usize,
    /// How much, by squares and weight.
    spread: i64,
}

impl ColorBox {
    fn of(seen: Vec<WeightedColor>) -> Self {
        let mean = mean(seen.iter()).unwrap_or_default();
        let spread = |axis: usize| -> i64 {
            seen.iter().map(|seen| (seen.shown[axis] - mean[axis]).pow(2) * seen.weight).sum()
        };
        let all = [0, 1, 2, 3].map(spread);
        let axis = (0..4).rev().max_by_key(|&axis| all[axis]).unwrap_or(0);
        // A mean is rounded down, so colors that are not all alike always fall on both sides of it.
        let is_parted = seen.iter().any(|one| one.shown[axis] > mean[axis]);
        Self { mean, axis, spread: if is_parted { all.iter().sum() } else { 0 }, seen }
    }
}

fn mean<'a>(seen: impl Iterator<Item = &'a WeightedColor>) -> Option<[i64; 4]> {
    let (mut sum, mut weight) = ([0i64; 4], 0i64);
    for seen in seen {
        (0..4).for_each(|channel| sum[channel] += seen.shown[channel] * seen.weight);
        weight += seen.weight;
    }
    (weight > 0).then(|| sum.map(|sum| sum / weight))
}

/// Means moved to the middle of the colors that are nearest to them.
fn refine_means(seen: &[WeightedColor], mut means: Vec<[i64; 4]>) -> Vec<[i64; 4]> {
    for _ in 0..ROUNDS {
        let nearest = nearest_of(seen, &means);
        let mut groups: Vec<Vec<&WeightedColor>> = vec![Vec::new(); means.len()];
        seen.iter().zip(&nearest).for_each(|(seen, &at)| groups[at].push(seen));
        let middle = |(group, old): (&Vec<&WeightedColor>, &[i64; 4])| rounded_mean(group).unwrap_or(*old);
        let next: Vec<[i64; 4]> = groups.iter().zip(&means).map(middle).collect();
        if next == means {
            break;
        }
        means = next;
    }
    means
}

fn rounded_mean(group: &[&WeightedColor]) -> Option<[i64; 4]> {
    let weight: i64 = group.iter().map(|seen| seen.weight).sum();
    let sum = |channel: usize| group.iter().map(|seen| seen.shown[channel] * seen.weight).sum::<i64>();
    (weight > 0).then(|| [0, 1, 2, 3].map(|channel| (sum(channel) + weight / 2) / weight))
}

/// For each color its nearest mean; of equals the first.
fn nearest_of(seen: &[WeightedColor], means: &[[i64; 4]]) -> Vec<usize> {
    let nearest = |one: &WeightedColor| {
        let distance = |at: &usize| -> i64 {
            let mean = means[*at];
            (0..4).map(|channel| (one.shown[channel] - mean[channel]).pow(2)).sum()
        };
        (0..means.len()).min_by_key(distance).unwrap_or(0)
    };
    parallel::map_slice(seen, nearest)
}

fn unmultiplied(shown: [i64; 4]) -> Color {
    let alpha = shown[3];
    let straight = |channel: i64| if alpha == 0 { 0 } else { ((channel * 255 + alpha / 2) / alpha).min(255) };
    [straight(shown[0]) as u8, straight(shown[1]) as u8, straight(shown[2]) as u8, alpha as u8]
}

fn loss(seen: &[WeightedColor], nearest: &[usize], means: &[[i64; 4]]) -> QuantizationError {
    let (mut squares, mut count, mut largest) = (0u64, 0u64, 0u8);
    for (seen, &at) in seen.iter().zip(nearest) {
        for (shown, mean) in seen.shown.iter().zip(&means[at]) {
            let off = (shown - mean).unsigned_abs();
            squares += off * off * seen.count;
            largest = largest.max(off as u8);
        }
        count += 4 * seen.count;
    }
    QuantizationError { from: seen.len(), mean: (squares as f64 / count.max(1) as f64).sqrt(), largest }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn gradient() -> RgbaImage {
        RgbaImage::from_fn(64, 64, |x, y| Rgba([x as u8 * 4, y as u8 * 4, 90, if x < 4 { 0 } else { 255 }]))
    }

    #[test]
    fn few_colors_stay_as_they_are() {
        let mut image = RgbaImage::from_pixel(4, 4, Rgba([9, 8, 7, 0]));
        image.put_pixel(1, 1, Rgba([200, 0, 0, 120]));
        let palette = Palette::of(std::slice::from_ref(&image), 16, false);
        assert_eq!((palette.colors(), palette.loss()), (&[[0, 0, 0, 0], [200, 0, 0, 120]][..], None));
        assert_eq!(palette.apply(&image).get_pixel(1, 1), image.get_pixel(1, 1));
    }

    #[test]
    fn clear_pixels_at_edges_keep_their_color_as_far_as_colors_go() {
        // Each visible color with its own spread under the clear pixel beside it.
        let image = RgbaImage::from_fn(64, 32, |x, y| match x {
            0 => Rgba([0; 4]),
            _ => Rgba([x as u8 * 4, y as u8 * 8, 90, if x % 2 == 0 { 0 } else { 255 }]),
        });
        let error = |most: u16| {
            let palette = Palette::of(std::slice::from_ref(&image), most, true);
            assert!(palette.colors().len() <= usize::from(most));
            let first_shown = palette.colors().iter().position(|color| color[3] > 0).unwrap();
            assert!(palette.colors()[first_shown..].iter().all(|color| color[3] > 0));
            let drawn = palette.apply(&image);
            let clear = || image.pixels().zip(drawn.pixels()).filter(|(old, _)| old[3] == 0);
            assert!(clear().all(|(_, new)| new[3] == 0));
            let off = clear().map(|(old, new)| (0..3).map(|c| old[c].abs_diff(new[c])).max().unwrap());
            assert_eq!(palette.edge_loss().map_or(0, |loss| loss.largest), off.clone().max().unwrap());
            off.map(u32::from).sum::<u32>() / clear().count() as u32
        };
        assert!(error(256) < 20 && error(256) < error(32), "{} {}", error(256), error(32));
        let few = RgbaImage::from_fn(4, 1, |x, _| Rgba([200, 90, 10, if x == 0 { 255 } else { 0 }]));
        let palette = Palette::of(std::slice::from_ref(&few), 4, true);
        assert_eq!(
            (palette.colors(), palette.edge_loss()),
            (&[[200, 90, 10, 0], [200, 90, 10, 255]][..], None)
        );
    }

    #[test]
    fn clear_pixels_stay_clear_and_the_reported_error_is_the_real_one() {
        let image = gradient();
        for most in [2, 5, 64, 256] {
            let palette = Palette::of(std::slice::from_ref(&image), most, false);
            assert!(palette.colors().len() <= usize::from(most));
            let drawn = palette.apply(&image);
            let mut largest = 0;
            for (old, new) in image.pixels().zip(drawn.pixels()) {
                assert_eq!(old[3] == 0, new[3] == 0);
                if old[3] > 0 {
                    largest = (0..4).map(|c| old[c].abs_diff(new[c])).max().unwrap().max(largest);
                }
            }
            assert_eq!(palette.loss().unwrap().largest, largest, "{most} colors");
        }
        let mean = |most| Palette::of(std::slice::from_ref(&image), most, false).loss().unwrap().mean;
        assert!(mean(256) < mean(64) / 1.5 && mean(256) < 6.0, "{}", mean(256));
    }
}
