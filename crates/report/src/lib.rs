//! Pages: one HTML file each, that opens from disk without a network.
//!
//! `document` puts a page together; here is the one that plays all clips, with frames, pages and findings, one
//! section per sprite; `light` is the table on which a cut or frames are tried. Both play with one script. Nothing is
//! computed here that a manifest does not say.
#![doc = include_str!("../README.md")]

mod changes;
mod document;
mod light_table;
mod scripts;

use serde::Serialize;
use serde_json::Value;

pub use changes::{ChangedFrame, ChangedSection, ChangesReport, changes_page};
pub use light_table::{
    AutoKey, GridOption, IslandOption, LightTable, LightTableContent, SetContent, SheetContent, light_table,
    runs,
};

use document::{PageTemplate, as_data_url, document};
use shibori_formats::manifest::Manifest;

const STYLE: &str = include_str!("pages/clips.css");
const CLIPS: PageTemplate =
    PageTemplate { body: include_str!("pages/clips.html"), styles: &[STYLE], scripts: scripts::CLIPS };

/// What a page shows.
#[derive(Debug, Serialize)]
pub struct Report {
    /// What was asked for, as the user named it.
    pub title: String,
    /// Frames, clips and where they are on the pages.
    pub manifest: Manifest,
    /// The pages in the manifest's order.
    pub pages: Vec<EmbeddedImage>,
    /// What `check` found.
    pub findings: Value,
    /// Bytes of texture memory: every canvas on its own, and the pages.
    pub memory: [u64; 2],
}

/// One page image.
#[derive(Debug, Serialize)]
pub struct EmbeddedImage {
    /// Its name.
    pub name: String,
    /// Its bytes as a PNG.
    #[serde(serialize_with = "as_data_url")]
    pub png: Vec<u8>,
    /// Its length on disk, where it is a file.
    pub bytes: Option<u64>,
}

/// The text of the page.
pub fn page(report: &Report) -> String {
    document(&CLIPS, &report.title, report)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_can_not_become_markup() {
        let text = r#"{ "format": "shibori/1", "pages": [], "frames": [
            { "name": "</script><script>alert(1)</script>", "sprite": "a", "page": 0, "rect": [0,0,0,0],
              "canvas": [1,1], "pivot": [0,0] } ] }"#;
        let manifest = shibori_formats::manifest::parse(text.as_bytes()).unwrap();
        let title = "<b>pond</b>".to_owned();
        let report =
            Report { title, manifest, pages: vec![], findings: Value::Array(vec![]), memory: [0, 0] };
        let page = page(&report);
        assert_eq!(page.matches("</script>").count(), document::FRAME.matches("</script>").count());
        assert!(page.contains("&lt;b&gt;pond") && !page.contains("<b>pond"));
        assert!(!page.contains("http://") && !page.contains("https://"), "it needs no network");
    }
}
