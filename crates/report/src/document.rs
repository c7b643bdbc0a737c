//! One HTML file of elements, styles, data and scripts, that opens from disk without a network.
//!
//! Data goes in as JSON with every `<` written as an escape, and scripts put names on the page as text only, so no name can become
//! markup. All scripts share one scope of their own.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use serde::{Serialize, Serializer};

use shibori_formats::escape_xml;

use crate::scripts::{Bundle, bundled};

pub(crate) const FRAME: &str = include_str!("pages/document.html");

/// What a page is made of besides its data.
pub(crate) struct PageTemplate {
    /// The elements below the heading.
    pub(crate) body: &'static str,
    pub(crate) styles: &'static [&'static str],
    pub(crate) scripts: Bundle,
}

/// The text of a page.
pub(crate) fn document(parts: &PageTemplate, title: &str, data: &impl Serialize) -> String {
    let data = serde_json::to_string(data).expect("what pages show is plain data");
    // Nothing in a string of JSON can then end the element it stands in.
    let data = data.replace('<', "\\u003c").replace('\u{2028}', "\\u2028").replace('\u{2029}', "\\u2029");
    let (style, script) = (parts.styles.concat(), bundled(parts.scripts));
    let script = format!("\"use strict\";\n(() => {{\n{script}}})();");
    let title = escape_xml(title);
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

/// A PNG as an address that holds it.
pub(crate) fn as_data_url<S: Serializer>(bytes: &[u8], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(&format!("data:image/png;base64,{}", STANDARD.encode(bytes)))
}

/// The same, if there is one.
pub(crate) fn as_optional_url<S: Serializer>(
    bytes: &Option<Vec<u8>>,
    serializer: S,
) -> Result<S::Ok, S::Error> {
    match bytes {
        Some(bytes) => as_data_url(bytes, serializer),
        None => serializer.serialize_none(),
    }
}

/// Several of them.
pub(crate) fn as_data_urls<S: Serializer>(all: &[Vec<u8>], serializer: S) -> Result<S::Ok, S::Error> {
    serializer
        .collect_seq(all.iter().map(|bytes| format!("data:image/png;base64,{}", STANDARD.encode(bytes))))
}

/// Bytes in letters.
pub(crate) fn as_base64<S: Serializer>(bytes: &[u8], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(&STANDARD.encode(bytes))
}
