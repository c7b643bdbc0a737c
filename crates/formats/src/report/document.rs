//! One HTML file of elements, styles, data and scripts, that opens from disk without a network.
//!
//! Data goes in as JSON with every `<` written as an escape, and scripts put names on the page as text only, so no name can become
//! markup. All scripts share one scope of their own.

use std::path::{Path, PathBuf};

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use serde::{Serialize, Serializer};

use crate::Error;
use crate::store::{Transaction, Written, seal};
use crate::xml::escaped;

pub(super) const FRAME: &str = include_str!("document.html");

/// What a page is made of besides its data.
pub(super) struct PageTemplate {
    /// The elements below the heading.
    pub(super) body: &'static str,
    pub(super) styles: &'static [&'static str],
    pub(super) scripts: &'static [&'static str],
}

/// The text of a page.
pub(super) fn document(parts: &PageTemplate, title: &str, data: &impl Serialize) -> String {
    let data = serde_json::to_string(data).expect("what pages show is plain data");
    // Nothing in a string of JSON can then end the element it stands in.
    let data = data.replace('<', "\\u003c").replace('\u{2028}', "\\u2028").replace('\u{2029}', "\\u2029");
    let (style, script) = (parts.styles.concat(), parts.scripts.concat());
    let script = format!("\"use strict\";\n(() => {{\n{script}}})();");
    let title = escaped(title);
    let lengths = [FRAME, parts.body, &style, &data, &script].map(str::len);
    let mut text = String::with_capacity(lengths.iter().sum());
    let mut rest = FRAME;
    for (mark, part) in [
        ("{title}", &*title),
        ("{style}", &style),
        ("{body}", parts.body),
        ("{data}", &data),
        ("{script}", &script),
    ] {
        let Some((before, after)) = rest.split_once(mark) else { continue };
        text.push_str(before);
        text.push_str(part);
        rest = after;
    }
    text + rest
}

/// Writes a page, with its seal.
pub(super) fn write(path: &Path, text: String, run: &Transaction) -> Result<(Written, usize), Error> {
    let batch = run.plan(&[PathBuf::from(path)], &[])?;
    let bytes = seal::text(text, "<!-- ", " -->\n");
    batch.stage(0, &bytes)?;
    Ok((batch.written(), bytes.len()))
}

/// A PNG as an address that holds it.
pub(super) fn as_data_url<S: Serializer>(bytes: &[u8], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(&format!("data:image/png;base64,{}", STANDARD.encode(bytes)))
}

/// Several of them.
pub(super) fn as_data_urls<S: Serializer>(all: &[Vec<u8>], serializer: S) -> Result<S::Ok, S::Error> {
    serializer
        .collect_seq(all.iter().map(|bytes| format!("data:image/png;base64,{}", STANDARD.encode(bytes))))
}

/// Bytes in letters.
pub(super) fn as_base64<S: Serializer>(bytes: &[u8], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(&STANDARD.encode(bytes))
}
