//! The seal: a comment in a file that says shibori wrote it, with a checksum that shows whether anybody changed it since.
//!
//! The checksum is of all bytes before it: in a `tEXt` chunk before a PNG's end, a comment block before a GIF's, a chunk of
//! its own at a WebP's, the comment in a TGA's footer, a ZIP archive's comment, a text's last line; or of all bytes with the
//! seal blank: in a key of a manifest, a variable of a template. A paint program that saves an image drops it, so work done
//! by hand is never replaced silently. Files without room for a comment (QOI, CSV) have none: the ledger knows them. A seal
//! is no protection against malice.

const WORD: &str = "Written by shibori; edits are detected: ";
/// Hex digits of the sum.
const DIGITS: usize = 16;

const PNG_END: [u8; 12] = [0, 0, 0, 0, b'I', b'E', b'N', b'D', 0xae, 0x42, 0x60, 0x82];
const PNG_KEY: &[u8] = b"tEXtComment\0";
const GIF_END: [u8; 1] = [0x3b];

/// The same PNG with a seal.
pub(crate) fn png(mut bytes: Vec<u8>) -> Vec<u8> {
    debug_assert!(bytes.ends_with(&PNG_END));
    bytes.truncate(bytes.len() - PNG_END.len());
    let seal = png_seal(&bytes);
    bytes.extend(seal);
    bytes.extend(PNG_END);
    bytes
}

/// The same GIF with a seal.
pub(crate) fn gif(mut bytes: Vec<u8>) -> Vec<u8> {
    debug_assert!(bytes.ends_with(&GIF_END));
    bytes.truncate(bytes.len() - GIF_END.len());
    let seal = gif_seal(&bytes);
    bytes.extend(seal);
    bytes.extend(GIF_END);
    bytes
}

/// The same WebP with a seal; it must be of the extended layout, which allows for chunks that readers do not know.
pub(crate) fn webp(mut bytes: Vec<u8>) -> Vec<u8> {
    // The length counts neither "RIFF" nor itself, but the seal.
    let length = (bytes.len() - 8 + webp_seal(&[]).len()) as u32;
    bytes[4..8].copy_from_slice(&length.to_le_bytes());
    let seal = webp_seal(&bytes);
    bytes.extend(seal);
    bytes
}

/// The same TGA with the extension area and footer of version 2, which say what its alpha means.
pub(crate) fn tga(mut bytes: Vec<u8>, premultiplied: bool) -> Vec<u8> {
    let seal = if premultiplied { tga_premultiplied(&bytes) } else { tga_straight(&bytes) };
    bytes.extend(seal);
    bytes
}

/// The same ZIP archive with a seal as its comment, which is its last part; it must not have one yet.
pub(crate) fn zip(mut bytes: Vec<u8>) -> Vec<u8> {
    debug_assert!(bytes.ends_with(&[0, 0]));
    bytes.truncate(bytes.len() - 2);
    let seal = zip_seal(&bytes);
    bytes.extend(seal);
    bytes
}

/// A seal to be filled in, for files whose only place for one is somewhere inside.
pub(crate) const PLACEHOLDER: &str = "Written by shibori; edits are detected: 0000000000000000";

/// The same text with the first blank seal in it filled in: the sum of all bytes as they were while it was blank.
pub(crate) fn fill(mut bytes: Vec<u8>) -> Vec<u8> {
    if let Some(at) = position(&bytes, PLACEHOLDER.as_bytes()) {
        let sum = sum_of_text(&bytes);
        bytes[at..at + sum.len()].copy_from_slice(sum.as_bytes());
    }
    bytes
}

/// Whether one of the first seals inside a text is the sum of all of it with that one blank.
fn is_intact_inside(bytes: &[u8]) -> bool {
    /// A name may begin with the word too; a text full of it is no reason to sum it up forever.
    const TRIES: usize = 8;
    let mut from = 0;
    for _ in 0..TRIES {
        let Some(at) = position(&bytes[from..], WORD.as_bytes()).map(|at| from + at) else { return false };
        let end = at + WORD.len() + DIGITS;
        let Some(found) = bytes.get(at..end) else { return false };
        let mut blank = bytes.to_vec();
        blank[at..end].copy_from_slice(PLACEHOLDER.as_bytes());
        if found == sum_of_text(&blank).as_bytes() {
            return true;
        }
        from = at + WORD.len();
    }
    false
}

fn position(bytes: &[u8], wanted: &[u8]) -> Option<usize> {
    bytes.windows(wanted.len()).position(|window| window == wanted)
}

/// The same text with a last line in a comment, given what begins and ends one.
pub(crate) fn text(text: String, open: &str, close: &str) -> Vec<u8> {
    let seal = format!("{open}{}{close}", sum_of_text(text.as_bytes()));
    (text + &seal).into_bytes()
}

/// Whether shibori wrote these bytes, every one of them.
pub(crate) fn is_intact(bytes: &[u8]) -> bool {
    has_trailing_seal(bytes, &PNG_END, png_seal)
        || has_trailing_seal(bytes, &GIF_END, gif_seal)
        || has_trailing_seal(bytes, &[], zip_seal)
        || bytes.starts_with(b"RIFF") && has_trailing_seal(bytes, &[], webp_seal)
        || has_trailing_seal(bytes, &[], tga_straight)
        || has_trailing_seal(bytes, &[], tga_premultiplied)
        || is_intact_text(bytes)
        || is_intact_inside(bytes)
}

/// Whether the last line is a comment with the seal of all lines before it.
fn is_intact_text(bytes: &[u8]) -> bool {
    let Some(at) = bytes.windows(WORD.len()).rposition(|window| window == WORD.as_bytes()) else {
        return false;
    };
    let start = bytes[..at].iter().rposition(|&byte| byte == b'\n').map_or(0, |end| end + 1);
    let line = &bytes[start..];
    line.len() <= WORD.len() + DIGITS + 16
        && line.iter().position(|&byte| byte == b'\n') == Some(line.len() - 1)
        && bytes[at..].starts_with(sum_of_text(&bytes[..start]).as_bytes())
}

/// Whether bytes end in the seal of what comes before it, and the format's end.
fn has_trailing_seal(bytes: &[u8], end: &[u8], seal: fn(&[u8]) -> Vec<u8>) -> bool {
    let length = seal(&[]).len();
    let Some(sealed) = bytes.strip_suffix(end) else { return false };
    let Some(at) = sealed.len().checked_sub(length) else { return false };
    let (before, found) = sealed.split_at(at);
    found == seal(before)
}

fn sum_of(before: &[u8]) -> String {
    let sum = blake3::hash(before).to_hex();
    format!("{WORD}{}", &sum[..DIGITS])
}

/// The sum of a text, however its lines end: version control may change that on the way, and nobody's work is in it.
fn sum_of_text(bytes: &[u8]) -> String {
    let ends_line = |at: usize| bytes.get(at + 1) == Some(&b'\n');
    let kept = bytes.iter().enumerate().filter(|&(at, &byte)| byte != b'\r' || !ends_line(at));
    sum_of(&kept.map(|(_, &byte)| byte).collect::<Vec<u8>>())
}

/// A `tEXt` chunk with the standard keyword `Comment`.
fn png_seal(before: &[u8]) -> Vec<u8> {
    let body = [PNG_KEY, sum_of(before).as_bytes()].concat();
    // The length counts neither the chunk's type nor itself.
    let length = (body.len() - 4) as u32;
    [&length.to_be_bytes()[..], &body, &crc32fast::hash(&body).to_be_bytes()].concat()
}

/// A comment extension of one block.
fn gif_seal(before: &[u8]) -> Vec<u8> {
    let text = sum_of(before);
    [&[0x21, 0xfe, text.len() as u8], text.as_bytes(), &[0]].concat()
}

/// A chunk; its text has an even length, as chunks must.
fn webp_seal(before: &[u8]) -> Vec<u8> {
    let text = sum_of(before);
    [b"SEAL", &(text.len() as u32).to_le_bytes()[..], text.as_bytes()].concat()
}

fn tga_straight(before: &[u8]) -> Vec<u8> {
    const USEFUL_ALPHA: u8 = 3;
    tga_seal(before, USEFUL_ALPHA)
}

fn tga_premultiplied(before: &[u8]) -> Vec<u8> {
    const PREMULTIPLIED_ALPHA: u8 = 4;
    tga_seal(before, PREMULTIPLIED_ALPHA)
}

/// The extension area with the seal as its comment, and the footer that points to it (Truevision TGA, version 2.0).
fn tga_seal(before: &[u8], alpha: u8) -> Vec<u8> {
    const LENGTH: usize = 495;
    const COMMENT: usize = 2 + 41;
    let mut area = vec![0; LENGTH];
    area[..2].copy_from_slice(&(LENGTH as u16).to_le_bytes());
    let text = sum_of(before);
    area[COMMENT..COMMENT + text.len()].copy_from_slice(text.as_bytes());
    area[LENGTH - 1] = alpha;
    let start = (before.len() as u32).to_le_bytes();
    [&area, &start[..], &[0; 4], b"TRUEVISION-XFILE.\0"].concat()
}

/// The length of the comment, and the comment.
fn zip_seal(before: &[u8]) -> Vec<u8> {
    let text = sum_of(before);
    [&(text.len() as u16).to_le_bytes(), text.as_bytes()].concat()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_changed_byte_breaks_the_seal() {
        for sealed in
            [png([b"pixels".as_slice(), &PNG_END].concat()), gif([b"pixels".as_slice(), &GIF_END].concat())]
        {
            assert!(is_intact(&sealed));
            for at in 0..sealed.len() {
                let mut changed = sealed.clone();
                changed[at] ^= 1;
                assert!(!is_intact(&changed), "byte {at}");
            }
        }
        let sealed = text("<svg/>\n".to_owned(), "<!-- ", " -->\n");
        assert!(is_intact(&sealed));
        assert!(
            !is_intact(&[b" ".as_slice(), &sealed].concat())
                && !is_intact(&[&sealed, b"x".as_slice()].concat())
        );
        let inside = fill(format!("a table, {PLACEHOLDER}, with more").into_bytes());
        assert!(is_intact(&inside) && !is_intact(&[&inside, b"x".as_slice()].concat()));
        assert!(!is_intact(format!("a table, {PLACEHOLDER}").as_bytes()));
        // Line ends may change on the way, and a name may look like the beginning of a seal.
        let lines = fill(format!("{WORD}koi\r\nseal: {PLACEHOLDER}\r\nkoi\r\n").into_bytes());
        let unix = String::from_utf8(lines.clone()).unwrap().replace("\r\n", "\n");
        assert!(is_intact(&lines) && is_intact(unix.as_bytes()));
        assert!(!is_intact(unix.replace("koi\n", "roach\n").as_bytes()));
        assert!(!is_intact(&[]) && !is_intact(&PNG_END) && !is_intact(&GIF_END));
    }
}
