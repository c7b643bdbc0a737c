//! The page that plays: one HTML file with all clips, frames and pages in it, that opens from disk without a network.
//!
//! Data goes in as JSON with every `<` written as an escape, and the script puts names on the page as text only, so no
//! name can become markup. The page reads downwards: a section a sprite, its clips playing in place. Nothing is
//! computed here that a manifest does not say.

use std::path::{Path, PathBuf};

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use serde::Serialize;
use serde_json::Value;

use crate::Error;
use crate::manifest::Manifest;
use crate::write::{Transaction, Written, seal};
use crate::xml::escaped;

const FRAME: &str = include_str!("page.html");
const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");

/// What a page shows.
#[derive(Debug, Serialize)]
pub struct Report {
    /// What was asked for, as the user named it.
    pub title: String,
    /// Frames, clips and where they lie on the pages.
    pub manifest: Manifest,
    /// The pages in the manifest's order.
    pub pages: Vec<PageImage>,
    /// What `check` found.
    pub findings: Value,
    /// Bytes of texture memory: every canvas by itself, and the pages.
    pub memory: [u64; 2],
}

/// One page image.
#[derive(Debug, Serialize)]
pub struct PageImage {
    /// Its name.
    pub name: String,
    /// Its bytes as a PNG.
    #[serde(serialize_with = "as_data_url")]
    pub png: Vec<u8>,
    /// Its length on disk, where it is a file.
    pub bytes: Option<u64>,
}

fn as_data_url<S: serde::Serializer>(bytes: &[u8], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(&format!("data:image/png;base64,{}", STANDARD.encode(bytes)))
}

/// The text of the page.
pub fn page(report: &Report) -> String {
    let data = serde_json::to_string(report).expect("a report is plain data");
    // Nothing in a string of JSON can then end the element it stands in.
    let data = data.replace('<', "\\u003c").replace('\u{2028}', "\\u2028").replace('\u{2029}', "\\u2029");
    let title = escaped(&report.title);
    let mut text = String::with_capacity(data.len() + FRAME.len() + STYLE.len() + SCRIPT.len());
    let mut rest = FRAME;
    for (mark, part) in [("{title}", &*title), ("{style}", STYLE), ("{data}", &*data), ("{script}", SCRIPT)] {
        let Some((before, after)) = rest.split_once(mark) else { continue };
        text.push_str(before);
        text.push_str(part);
        rest = after;
    }
    text + rest
}

/// Writes the page.
pub fn write_page(path: &Path, report: &Report, run: &Transaction) -> Result<(Written, usize), Error> {
    let batch = run.plan(&[PathBuf::from(path)], &[])?;
    let bytes = seal::text(page(report), "<!-- ", " -->\n");
    batch.stage(0, &bytes)?;
    Ok((batch.written(), bytes.len()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_can_not_become_markup() {
        let text = r#"{ "format": "shibori/1", "pages": [], "frames": [
            { "name": "</script><script>alert(1)</script>", "sprite": "a", "page": 0, "rect": [0,0,0,0],
              "canvas": [1,1], "pivot": [0,0] } ] }"#;
        let manifest = crate::manifest::parse(text.as_bytes()).unwrap();
        let title = "<b>pond</b>".to_owned();
        let report =
            Report { title, manifest, pages: vec![], findings: Value::Array(vec![]), memory: [0, 0] };
        let page = page(&report);
        assert_eq!(page.matches("</script>").count(), FRAME.matches("</script>").count());
        assert!(page.contains("&lt;b&gt;pond") && !page.contains("<b>pond"));
        assert!(!page.contains("http://") && !page.contains("https://"), "it needs no network");
    }
}
