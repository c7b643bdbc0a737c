//! TGA with run lengths (Truevision TGA, version 2.0, image type 10). The footer is added with the seal.
//!
//! Runs end with their row, as the format asks: readers that decode row by row fail on others.

use image::RgbaImage;

use crate::WriteProblem;

/// The most pixels of a packet.
const PACKET: usize = 128;

pub(super) fn tga(image: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    let (width, height) = image.dimensions();
    let (Ok(across), Ok(down)) = (u16::try_from(width), u16::try_from(height)) else {
        let text = format!("a TGA is at most 65535 px wide and high, this is {width}x{height} px");
        return Err(WriteProblem::Format(text));
    };
    const RUN_LENGTHS: u8 = 10;
    const BITS: u8 = 32;
    /// Eight bits of alpha, and the first row on top.
    const ALPHA_AND_TOP: u8 = 0x28;
    let mut bytes = vec![0, 0, RUN_LENGTHS, 0, 0, 0, 0, 0, 0, 0, 0, 0];
    bytes.extend(across.to_le_bytes());
    bytes.extend(down.to_le_bytes());
    bytes.extend([BITS, ALPHA_AND_TOP]);
    for row in image.as_raw().chunks_exact((width as usize * 4).max(1)) {
        add_row(row.as_chunks::<4>().0, &mut bytes);
    }
    Ok(bytes)
}

fn add_row(mut row: &[[u8; 4]], bytes: &mut Vec<u8>) {
    let swapped = |&[r, g, b, a]: &[u8; 4]| [b, g, r, a];
    while let [first, ..] = row {
        let run = row.iter().take(PACKET).take_while(|pixel| *pixel == first).count();
        if run > 1 {
            bytes.push(0x80 | (run - 1) as u8);
            bytes.extend(swapped(first));
            row = &row[run..];
            continue;
        }
        // As far as no pixel is the same as the next.
        let longest = row.len().min(PACKET);
        let raw = (1..longest).find(|&at| row.get(at + 1) == Some(&row[at])).unwrap_or(longest);
        bytes.push((raw - 1) as u8);
        row[..raw].iter().for_each(|pixel| bytes.extend(swapped(pixel)));
        row = &row[raw..];
    }
}
