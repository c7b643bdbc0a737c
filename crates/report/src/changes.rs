//! A page of differences between two sets: each frame as it was, as it is, and where it differs. It needs no script; while the
//! pointer rests on a new picture, the old one shows in its place.

use std::fmt::Write as _;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use shibori_formats::escape_xml;

use crate::STYLE;

/// Differences, by clip.
#[derive(Clone, Debug, Default)]
pub struct ChangesReport {
    /// What was compared.
    pub title: String,
    /// What differs in all.
    pub summary: String,
    /// By clip.
    pub sections: Vec<ChangedSection>,
}

/// Differences of one clip.
#[derive(Clone, Debug, Default)]
pub struct ChangedSection {
    /// The sprite and the clip.
    pub title: String,
    /// What differs in the clip itself.
    pub detail: String,
    /// Its frames.
    pub frames: Vec<ChangedFrame>,
}

/// A frame that differs.
#[derive(Clone, Debug, Default)]
pub struct ChangedFrame {
    /// Its name.
    pub name: String,
    /// What differs, with numbers.
    pub detail: String,
    /// Pictures as PNGs with what they show and their sizes: `old`, `new`, `difference`.
    pub pictures: Vec<(&'static str, Vec<u8>, [u32; 2])>,
}

const CHANGES_STYLE: &str = include_str!("pages/changes.css");
/// Pictures are shown about as large as this, in whole multiples.
const GOOD_SIDE: u32 = 144;
const LARGEST_ZOOM: u32 = 8;

/// The text of the page.
pub fn changes_page(report: &ChangesReport) -> String {
    let title = escape_xml(&report.title);
    let mut text = format!(
        "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n\
         <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>{title}</title>\n\
         <link rel=\"icon\" href=\"data:,\">\n<style>{STYLE}{CHANGES_STYLE}</style>\n</head>\n<body>\n\
         <header>\n<h1>{title}</h1>\n<p id=\"sums\">{}</p>\n</header>\n<main>\n\
         <p class=\"legend\"><span class=\"new\"></span> new <span class=\"gone\"></span> gone \
         <span class=\"other\"></span> other color. Point at a new picture to see the old one in its place.</p>\n",
        escape_xml(&report.summary)
    );
    for section in &report.sections {
        let _ = write!(text, "<section>\n<h2>{}</h2>\n", escape_xml(&section.title));
        if !section.detail.is_empty() {
            let _ = writeln!(text, "<p>{}</p>", escape_xml(&section.detail));
        }
        text += "<div class=\"changes\">\n";
        for frame in &section.frames {
            write_frame(&mut text, frame);
        }
        text += "</div>\n</section>\n";
    }
    text + "</main>\n</body>\n</html>\n"
}

fn write_frame(text: &mut String, frame: &ChangedFrame) {
    let longest = frame.pictures.iter().flat_map(|(_, _, size)| size).copied().max().unwrap_or(1).max(1);
    let zoom = (GOOD_SIDE / longest).clamp(1, LARGEST_ZOOM);
    let picture = |(what, png, [width, height]): &(&str, Vec<u8>, [u32; 2])| {
        format!(
            "<img src=\"data:image/png;base64,{}\" width=\"{}\" height=\"{}\" alt=\"{what}\">",
            STANDARD.encode(png),
            width * zoom,
            height * zoom
        )
    };
    let old = frame.pictures.iter().find(|(what, ..)| *what == "old").map(picture);
    *text += "<figure>\n<div class=\"three\">\n";
    for shown in &frame.pictures {
        let what = shown.0;
        // The old picture lies over the new one, unseen until the pointer is there.
        let over =
            old.as_ref().filter(|_| what == "new").map(|old| format!("<span class=\"over\">{old}</span>"));
        let class = if over.is_some() { " class=\"swap\"" } else { "" };
        let _ = writeln!(
            text,
            "<div><span class=\"what\">{what}</span><div{class}>{}{}</div></div>",
            picture(shown),
            over.unwrap_or_default()
        );
    }
    let _ = write!(
        text,
        "</div>\n<figcaption><strong>{}</strong><span class=\"what\">{}</span></figcaption>\n</figure>\n",
        escape_xml(&frame.name),
        escape_xml(&frame.detail)
    );
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_can_not_become_markup_and_nothing_is_fetched() {
        let evil = "<script>alert(1)</script>\" onload=\"x".to_owned();
        let pictures = vec![("old", vec![1], [2, 3]), ("new", vec![2], [2, 3])];
        let frames = vec![ChangedFrame { name: evil.clone(), detail: evil.clone(), pictures }];
        let sections = vec![ChangedSection { title: evil.clone(), detail: evil.clone(), frames }];
        let page = changes_page(&ChangesReport { title: evil.clone(), summary: evil, sections });
        assert!(!page.contains("<script") && !page.contains("\" onload"), "{page}");
        assert!(!page.contains("http://") && !page.contains("https://"));
        assert_eq!(page.matches("<img ").count(), 3, "the old one lies over the new one, too");
    }
}
