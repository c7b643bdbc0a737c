//! YUV4MPEG2: uncompressed video, so that any reader comes in through whatever decodes it.
//!
//! Eight bits; mono, 4:2:0, 4:2:2, 4:4:4, and 4:4:4 with alpha. Colors follow ITU-R BT.601, or BT.709 from 720
//! rows on, the custom where a file does not say; in the limited range, but full for `420jpeg` and
//! `XCOLORRANGE=FULL`. What was taken is part of [`ImageInfo`]'s color. Chroma is repeated, not smoothed.
//! Read here because the crates for it hand out planes and leave sizes, ranges and colors to their callers.

use image::{Rgba, RgbaImage};
use shibori_core::Size;
use shibori_core::clip::FrameDuration;

use crate::ReadProblem;
use crate::decode::animation::AnimationReader;
use crate::decode::codec::{DecodedFile, Format, ImageInfo, ReadOptions, check_size};

/// What the first line of a file says.
struct Header {
    size: Size,
    span: FrameDuration,
    planes: Planes,
    is_full: bool,
    is_709: bool,
}

/// How many pixels share a chroma sample, across and down; 0 isn't a chroma.
#[derive(Clone, Copy)]
struct Planes {
    across: u32,
    down: u32,
    has_alpha: bool,
    name: &'static str,
}

pub(super) fn decode(bytes: &[u8], limits: &ReadOptions) -> Result<DecodedFile, ReadProblem> {
    let (line, mut rest) = first_line(bytes);
    let header = Header::read(line)?;
    check_size(header.size, limits)?;
    let length = header.frame_length();
    let count = (rest.len() / length.max(1)) as u64;
    let mut reader = AnimationReader::new("YUV4MPEG2", header.size, count, bytes.len(), limits)?;
    while !rest.is_empty() {
        let room = reader.lease_frame()?;
        let (line, body) = first_line(rest);
        let broken = || ReadProblem::BrokenOff { format: "YUV4MPEG2", bytes: bytes.len(), frames: 0 };
        if !line.starts_with(b"FRAME") && b"FRAME".starts_with(line) || body.len() < length {
            reader.truncate(broken())?;
            break;
        }
        if !line.starts_with(b"FRAME") {
            let why = "a frame does not begin with the word FRAME".to_owned();
            return Err(ReadProblem::Damaged { format: "YUV4MPEG2", why });
        }
        reader.add(room, header.picture(&body[..length]), header.span, None);
        rest = &body[length..];
    }
    let matrix = if header.is_709 { "BT.709" } else { "BT.601" };
    let range = if header.is_full { "full" } else { "limited" };
    let color = format!("{}, read as {matrix}, {range} range", header.planes.name);
    reader.finish(ImageInfo { format: Format::Y4m, size: header.size, color, loss: None }, 0)
}

/// A line without its end, and what follows.
fn first_line(bytes: &[u8]) -> (&[u8], &[u8]) {
    match bytes.iter().position(|&byte| byte == b'\n') {
        Some(end) => (&bytes[..end], &bytes[end + 1..]),
        None => (bytes, &[]),
    }
}

impl Header {
    fn read(line: &[u8]) -> Result<Self, ReadProblem> {
        let text = String::from_utf8_lossy(line);
        let wrong = |why: String| ReadProblem::Damaged { format: "YUV4MPEG2", why };
        let (mut width, mut height, mut rate, mut color, mut is_full) = (0, 0, (25, 1), "420", None);
        for word in text.split(' ').skip(1).filter(|word| !word.is_empty()) {
            let (key, value) = word.split_at(word.chars().next().map_or(0, char::len_utf8));
            let number = || value.parse::<u32>().map_err(|_| wrong(format!("its header says '{word}'")));
            match key {
                "W" => width = number()?,
                "H" => height = number()?,
                "C" => color = value,
                "F" => {
                    let parts =
                        value.split_once(':').and_then(|(n, d)| Some((n.parse().ok()?, d.parse().ok()?)));
                    rate = parts.ok_or_else(|| wrong(format!("its frame rate is '{value}'")))?;
                }
                "X" if value.starts_with("COLORRANGE=") => is_full = Some(value.ends_with("FULL")),
                _ => {}
            }
        }
        let size = Size::new(width, height);
        if size.is_empty() {
            return Err(wrong(format!("its size is {size} px")));
        }
        let planes = Planes::of(color)?;
        let span = FrameDuration::new(rate.1, rate.0).unwrap_or(FrameDuration::DEFAULT);
        let is_full = is_full.unwrap_or(color == "420jpeg");
        Ok(Self { size, span, planes, is_full, is_709: height >= 720 })
    }

    fn chroma(&self) -> Size {
        match self.planes {
            Planes { across: 0, .. } => Size::default(),
            Planes { across, down, .. } => {
                Size::new(self.size.width.div_ceil(across), self.size.height.div_ceil(down))
            }
        }
    }

    fn frame_length(&self) -> usize {
        let luma = self.size.area() * if self.planes.has_alpha { 2 } else { 1 };
        (luma + 2 * self.chroma().area()) as usize
    }

    fn picture(&self, bytes: &[u8]) -> RgbaImage {
        let (luma, rest) = bytes.split_at(self.size.area() as usize);
        let (blue, rest) = rest.split_at(self.chroma().area() as usize);
        let (red, alpha) = rest.split_at(self.chroma().area() as usize);
        let chroma_width = self.chroma().width as usize;
        let place = |x: u32, y: u32, width: usize| y as usize * width + x as usize;
        RgbaImage::from_fn(self.size.width, self.size.height, |x, y| {
            let at = place(x, y, self.size.width as usize);
            let (u, v) = match self.planes {
                Planes { across: 0, .. } => (128, 128),
                Planes { across, down, .. } => {
                    let near = place(x / across, y / down, chroma_width);
                    (blue[near], red[near])
                }
            };
            let [r, g, b] = self.rgb(luma[at], u, v);
            Rgba([r, g, b, if self.planes.has_alpha { alpha[at] } else { 255 }])
        })
    }

    /// ITU-R BT.601-7 section 2.5 and BT.709-6 section 3, with their quantization.
    fn rgb(&self, luma: u8, blue: u8, red: u8) -> [u8; 3] {
        let (kr, kb) = if self.is_709 { (0.2126, 0.0722) } else { (0.299, 0.114) };
        let (y, scale) = match self.is_full {
            true => (f32::from(luma) / 255.0, 255.0),
            false => ((f32::from(luma) - 16.0) / 219.0, 224.0),
        };
        let (pb, pr) = ((f32::from(blue) - 128.0) / scale, (f32::from(red) - 128.0) / scale);
        let (r, b) = (y + 2.0 * (1.0 - kr) * pr, y + 2.0 * (1.0 - kb) * pb);
        let g = (y - kr * r - kb * b) / (1.0 - kr - kb);
        [r, g, b].map(|channel| (channel * 255.0).round().clamp(0.0, 255.0) as u8)
    }
}

impl Planes {
    fn of(color: &str) -> Result<Self, ReadProblem> {
        let planes = |across, down, has_alpha, name| Ok(Self { across, down, has_alpha, name });
        match color {
            "mono" => planes(0, 0, false, "gray video"),
            "420" | "420jpeg" | "420mpeg2" | "420paldv" => planes(2, 2, false, "4:2:0 video"),
            "422" => planes(2, 1, false, "4:2:2 video"),
            "444" => planes(1, 1, false, "4:4:4 video"),
            "444alpha" => planes(1, 1, true, "4:4:4 video with alpha"),
            other => {
                let text = format!(
                    "YUV4MPEG2 of color space '{other}' is not read; 8-bit mono, 420, 422, 444 and 444alpha are"
                );
                Err(ReadProblem::Unsupported(text))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::decode::codec::DecodedImage;

    fn reader(header: &str, frames: &[&[u8]]) -> Vec<u8> {
        let head = format!("YUV4MPEG2 {header}\n").into_bytes();
        frames.iter().fold(head, |all, frame| [&all, b"FRAME\n".as_slice(), frame].concat())
    }

    fn decoded_frames(bytes: &[u8]) -> (Vec<Vec<[u8; 4]>>, f64) {
        let DecodedImage::Moving(moving) = decode(bytes, &ReadOptions::default()).unwrap().picture else {
            panic!()
        };
        let pixels =
            moving.moments.iter().map(|m| m.picture.to_image().pixels().map(|p| p.0).collect()).collect();
        (pixels, moving.moments[0].span.millis())
    }

    #[test]
    fn every_kind_of_plane() {
        let (gray, black) = ([180, 180, 180, 255], [0, 0, 0, 255]);
        // 2x1 px; limited gray 180 is 16 + 180 * 219 / 255.
        let one = decoded_frames(&reader("W2 H1 F12:1 Cmono", &[&[171, 16], &[16, 171]]));
        assert_eq!(one, (vec![vec![gray, black], vec![black, gray]], 1000.0 / 12.0));
        for (kind, planes) in [
            ("420", vec![171, 16, 128, 128]),
            ("422", vec![171, 16, 128, 128]),
            ("444", vec![171, 16, 128, 128, 128, 128]),
        ] {
            let two = decoded_frames(&reader(&format!("W2 H1 F25:1 C{kind}"), &[&planes, &planes]));
            assert_eq!(two.0[0], [gray, black], "{kind}");
        }
        let alpha =
            decoded_frames(&reader("W1 H1 F25:1 C444alpha", &[&[171, 128, 128, 77], &[171, 128, 128, 0]]));
        assert_eq!((alpha.0[0][0], alpha.0[1][0]), ([180, 180, 180, 77], [180, 180, 180, 0]));
        // Full-range red of BT.601 is 76, 85, 255.
        let red =
            decoded_frames(&reader("W1 H1 F25:1 C444 XCOLORRANGE=FULL", &[&[76, 85, 255], &[76, 85, 255]]));
        let [r, g, b, _] = red.0[0][0];
        assert!(r >= 253 && g <= 2 && b <= 2, "{r} {g} {b}");
    }

    #[test]
    fn a_video_that_breaks_off_keeps_its_whole_frames_where_that_is_wanted() {
        let whole = reader("W2 H1 F25:1 Cmono", &[&[16, 16], &[20, 20], &[30, 30]]);
        let cut = &whole[..whole.len() - 1];
        let error = decode(cut, &ReadOptions::default()).unwrap_err();
        assert!(matches!(error, ReadProblem::BrokenOff { frames: 2, .. }), "{error:?}");
        let accept = ReadOptions { accept_truncated: true, ..ReadOptions::default() };
        let loaded = decode(cut, &accept).unwrap();
        assert!(loaded.is_truncated);
        assert!(matches!(loaded.picture, DecodedImage::Moving(a) if a.moments.len() == 2));
    }

    #[test]
    fn what_is_not_read_is_said() {
        let error_of =
            |header: &str| decode(&reader(header, &[]), &ReadOptions::default()).unwrap_err().to_string();
        assert!(error_of("W2 H1 F25:1 C420p10").contains("color space '420p10' is not read"));
        assert!(error_of("W0 H1 F25:1").contains("its size is 0x1 px"));
        assert!(error_of("W2 Hx F25:1").contains("'Hx'"));
    }
}
