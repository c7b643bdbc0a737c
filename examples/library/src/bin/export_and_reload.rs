//! An atlas in memory, exported by a template in memory and read back into frames.
//!
//! ```text
//! lantern-00 1,1 15x23
//! lantern-02 18,1 15x23
//! 4 frames again, the same pixels: true
//! ```

use std::error::Error;

use shibori_core::pack::{ColorFinish, PackSettings, pack, paint};
use shibori_core::shape::TrimScope;
use shibori_formats::decode::{ReadOptions, frames_from_pages};
use shibori_formats::encode::PageEncoding;
use shibori_formats::export::{ExportSource, PageImage, render};
use shibori_formats::manifest::{PageInfo, of_atlas, parse};
use shibori_pipeline::options::{AdjustOptions, ShapeOptions, SliceOptions};
use shibori_pipeline::steps::{adjust, slice};
use shibori_pipeline::{Context, NoopObserver, Source};

const TEMPLATE: &str = "\
{% for frame in frames if frame.number is even %}
{{ frame.name }} {{ frame.rect[0] }},{{ frame.rect[1] }} {{ frame.size|join('x') }}
{% endfor %}
";

fn main() -> Result<(), Box<dyn Error>> {
    let cx = Context::new(&NoopObserver);
    let sheet = Source::sheet("lantern.png", shibori_examples::lantern());
    let sliced = slice(&[sheet], &SliceOptions::default(), &cx)?;
    let shape =
        ShapeOptions { align: Some("match".parse()?), trim: Some(TrimScope::Frame), ..Default::default() };
    let options = AdjustOptions { shape, ..Default::default() };
    let adjusted = adjust(&Source::frames("lantern", sliced.set), &options, &cx)?;

    let atlas = pack(adjusted.set.clone(), &PackSettings::dense())?;
    let png = PageEncoding::default().encode(&paint(&atlas, 0, None, ColorFinish::default()))?;
    let page = PageInfo { file: "lantern.png".to_owned(), ..PageInfo::default() };
    let text = of_atlas(&atlas, &[page], None).to_text();

    let page = PageImage::from_bytes("lantern.png", png, &ReadOptions::default())?;
    let pixels = page.pixels.clone();
    let source = ExportSource::new("lantern", parse(text.as_bytes())?, vec![page])?;
    print!("{}", render(&source, TEMPLATE)?);

    let again = frames_from_pages(parse(text.as_bytes())?, vec![pixels])?;
    let mut pairs = again.frames().iter().zip(adjusted.set.frames());
    let is_same = pairs.all(|(a, b)| a.full_image().is_same_image(&b.full_image()));
    println!("{} frames again, the same pixels: {is_same}", again.frames().len());
    Ok(())
}
