//! Pages in every format come back as they were, and files say whose they are.

use image::Rgba;
use proptest::prelude::*;

use super::*;
use crate::decode::{DecodedImage, ReadOptions, image as read_image};

/// A page of this many colors, some of them half transparent, and clear pixels between.
fn page(width: u32, height: u32, colors: u32) -> RgbaImage {
    RgbaImage::from_fn(width, height, |x, y| {
        let number = (x * 7 + y * 13) % colors;
        let shade = |times: u32| (number * times % 256) as u8;
        if number == 0 { Rgba([0; 4]) } else { Rgba([shade(37), shade(91), shade(11), 255 - shade(3) / 2]) }
    })
}

fn read_back(bytes: &[u8], ending: &str) -> RgbaImage {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(format!("page.{ending}"));
    std::fs::write(&path, bytes).unwrap();
    let DecodedImage::Still(pixels) = read_image(&path, &ReadOptions::default()).unwrap().picture else {
        panic!("it stands")
    };
    pixels.to_image()
}

fn look_same(a: &RgbaImage, b: &RgbaImage) -> bool {
    a.dimensions() == b.dimensions()
        && a.pixels().zip(b.pixels()).all(|(p, q)| p == q || p[3] == 0 && q[3] == 0)
}

const FORMATS: [PageFormat; 4] = [PageFormat::Png, PageFormat::Webp, PageFormat::Qoi, PageFormat::Tga];

#[test]
fn every_format_and_size_gives_back_every_pixel_and_is_ours() {
    for format in FORMATS {
        for png in [PngSize::Quick, PngSize::Usual, PngSize::Small] {
            for premultiplied in [false, true] {
                let finish = ColorFinish { spread: 0, premultiplied };
                let options = PageEncoding { format, png, finish, ..PageEncoding::default() };
                let image = page(33, 17, 40);
                let bytes = options.encode(&image).unwrap();
                assert!(look_same(&read_back(&bytes, format.ending()), &image), "{format:?} {png:?}");
                // QOI has no room for a comment; the ledger knows it.
                assert_eq!(seal::is_intact(&bytes), format != PageFormat::Qoi, "{format:?} {png:?}");
                let mut changed = bytes.clone();
                changed[bytes.len() / 2] ^= 1;
                assert!(!seal::is_intact(&changed), "{format:?} {png:?}");
            }
        }
    }
}

#[test]
fn a_small_png_is_no_larger_than_the_usual_one() {
    let image = page(120, 90, 9);
    let length = |png| PageEncoding { png, ..PageEncoding::default() }.encode(&image).unwrap().len();
    assert!(length(PngSize::Small) < length(PngSize::Usual));
}

#[test]
fn runs_of_a_tga_end_with_their_row() {
    // One color all over, then rows of every kind of run.
    let plain = RgbaImage::from_pixel(300, 3, Rgba([1, 2, 3, 4]));
    let mixed = RgbaImage::from_fn(301, 9, |x, y| Rgba([(x / (1 + y * 7)) as u8, y as u8, 0, 255]));
    for image in [plain, mixed] {
        let bytes =
            PageEncoding { format: PageFormat::Tga, ..PageEncoding::default() }.encode(&image).unwrap();
        let mut at = 18;
        for row in image.rows() {
            let mut left: Vec<Rgba<u8>> = row.copied().collect();
            while !left.is_empty() {
                let count = usize::from(bytes[at] & 0x7f) + 1;
                assert!(count <= left.len(), "a packet goes beyond its row");
                let is_run = bytes[at] & 0x80 != 0;
                at += 1;
                for pixel in left.drain(..count) {
                    assert_eq!([pixel[2], pixel[1], pixel[0], pixel[3]], bytes[at..at + 4]);
                    at += if is_run { 0 } else { 4 };
                }
                at += if is_run { 4 } else { 0 };
            }
        }
    }
}

#[test]
fn the_extended_layout_of_a_webp_adds_up() {
    let bytes =
        PageEncoding { format: PageFormat::Webp, ..PageEncoding::default() }.encode(&page(5, 3, 4)).unwrap();
    let number = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap()) as usize;
    assert_eq!(number(4), bytes.len() - 8);
    let mut chunks = Vec::new();
    let mut at = 12;
    while at < bytes.len() {
        chunks.push(String::from_utf8(bytes[at..at + 4].to_vec()).unwrap());
        at += 8 + number(at + 4).next_multiple_of(2);
    }
    assert_eq!((at, chunks), (bytes.len(), ["VP8X", "VP8L", "SEAL"].map(str::to_owned).to_vec()));
    // The canvas of the header is the picture's, less one.
    assert_eq!((bytes[24], bytes[27]), (4, 2));
}

#[test]
fn what_a_format_can_not_hold_is_reported() {
    let long = RgbaImage::new(16_384, 1);
    let error =
        PageEncoding { format: PageFormat::Webp, ..PageEncoding::default() }.encode(&long).unwrap_err();
    assert!(error.to_string().contains("at most 16383 px"), "{error}");
    let longer = RgbaImage::new(65_536, 1);
    let error =
        PageEncoding { format: PageFormat::Tga, ..PageEncoding::default() }.encode(&longer).unwrap_err();
    assert!(error.to_string().contains("at most 65535 px"), "{error}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn a_palette_that_is_large_enough_loses_nothing_at_any_depth(
        width in 1u32..40, height in 1u32..12, colors in 1u32..200, small in any::<bool>(),
    ) {
        let image = page(width, height, colors);
        let palette = Palette::of(std::slice::from_ref(&image), 256, false);
        prop_assert!(palette.loss().is_none());
        let png = if small { PngSize::Small } else { PngSize::Usual };
        let bytes = PageEncoding { png, ..PageEncoding::default() }.encode_with(&image, Some(&palette)).unwrap();
        prop_assert!(look_same(&read_back(&bytes, "png"), &image));
    }

    #[test]
    fn a_palette_is_never_larger_than_asked_and_its_worst_error_is_reported(
        width in 8u32..30, colors in 30u32..300, most in 2u16..40,
    ) {
        let image = page(width, 20, colors);
        let palette = Palette::of(std::slice::from_ref(&image), most, false);
        prop_assert!(palette.colors().len() <= usize::from(most));
        let drawn = palette.apply(&image);
        let shown = |pixel: &Rgba<u8>| {
            let alpha = i32::from(pixel[3]);
            [0, 1, 2].map(|channel| (i32::from(pixel[channel]) * alpha + 127) / 255)
        };
        let off = image.pixels().zip(drawn.pixels()).flat_map(|(old, new)| {
            let (old, new) = (shown(old), shown(new));
            [0, 1, 2].map(|channel| (old[channel] - new[channel]).abs())
        });
        let reported = palette.loss().map_or(0, |loss| i32::from(loss.largest));
        // Dividing by alpha and multiplying again may round by one.
        prop_assert!(off.max().unwrap_or(0) <= reported + 1);
        for (old, new) in image.pixels().zip(drawn.pixels()) {
            prop_assert_eq!(old[3] == 0, new[3] == 0);
        }
    }
}
