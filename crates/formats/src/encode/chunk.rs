//! A chunk of a PNG: length, name, content, sum (PNG specification, third edition, section 5.3).

/// Adds a chunk whose content is these parts after one another. Together they are less than 2 GiB.
pub(super) fn chunk(bytes: &mut Vec<u8>, name: &[u8; 4], parts: &[&[u8]]) {
    let length: usize = parts.iter().map(|part| part.len()).sum();
    bytes.extend((length as u32).to_be_bytes());
    let body = bytes.len();
    bytes.extend(name);
    parts.iter().for_each(|part| bytes.extend(*part));
    let sum = crc32fast::hash(&bytes[body..]);
    bytes.extend(sum.to_be_bytes());
}
