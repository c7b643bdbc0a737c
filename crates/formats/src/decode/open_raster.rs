//! OpenRaster (version 0.0.5): a ZIP archive of `stack.xml`, which says what is over what, and a PNG for each layer.
//!
//! As frames, the layer at the bottom is the first, because each next one is drawn over the last. A group is a clip, and
//! its name may have a time and a way to play behind it, `walk @12fps once`, and a sprite before it, `frog:walk`; in a
//! name that ends in `:` there is only a sprite. Our own files also hold a manifest: where it still knows all layers, it says what
//! layers can't: canvases, pivots, boxes, and clips of any kind.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::io::{Cursor, Read};

use image::{Rgba, RgbaImage};
use roxmltree::{Document, Node, ParsingOptions};
use shibori_core::clip::{Clip, ClipSpec, FrameDuration};
use shibori_core::{
    Frame, FrameSet, FrameSource, Name, Pixels, Rect, SetError, Size, UVec2, over, portable_name,
};
use zip::ZipArchive;
use zip::result::ZipError;

use crate::ReadProblem;
use crate::decode::codec::{
    DecodeLease, DecodedFile, DecodedImage, Format, ImageInfo, Layer, LayerLoss, LayeredImage, ReadOptions,
    check_size,
};
use crate::decode::outcome::ReadNotice;
use crate::decode::png;
use crate::decode::set::set_without_pages;

/// Our manifest in the archive; other programs pass over it.
pub(crate) const MANIFEST: &str = "shibori.json";
/// The layer of guide sheets that isn't drawn on.
pub(crate) const GUIDE: &str = "guide";
/// Groups in groups; deeper is a mistake.
const DEEPEST: usize = 32;
/// The longest text in an archive.
const LONGEST_TEXT: u64 = 64 << 20;
/// Elements of a stack; a painting has hundreds.
const MOST_ELEMENTS: u32 = 200_000;

pub(super) fn decode(bytes: &[u8], limits: &ReadOptions) -> Result<DecodedFile, ReadProblem> {
    let mut archive = ZipArchive::new(Cursor::new(bytes)).map_err(|error| damaged(&error))?;
    let stack = text_of(&mut archive, "stack.xml", limits)?.ok_or_else(|| damaged(&"it has no stack.xml"))?;
    let options = ParsingOptions { nodes_limit: MOST_ELEMENTS, ..ParsingOptions::default() };
    let stack = Document::parse_with_options(&stack, options).map_err(|error| damaged(&error))?;
    let image = stack.root_element();
    let side =
        |name: &str| image.attribute(name).and_then(|side| side.parse::<u32>().ok()).filter(|&side| side > 0);
    let size = side("w").zip(side("h")).map(Size::from);
    let size = size.ok_or_else(|| damaged(&"its stack.xml says no size"))?;
    check_size(size, limits)?;
    let mut reader =
        StackReader { archive, limits, size, layers: Vec::new(), losses: BTreeMap::new(), loss: None };
    if let Some(root) = image.children().find(|node| node.has_tag_name("stack")) {
        reader.stack(root, &mut Vec::new(), (0, 0))?;
    }
    let StackReader { mut archive, layers, losses, loss, .. } = reader;
    let losses: Vec<(LayerLoss, Vec<String>)> = losses.into_iter().collect();
    if layers.is_empty() {
        let why =
            if losses.is_empty() { "it has no layers" } else { "all of its layers are hidden or guides" };
        return Err(damaged(&why));
    }
    // A manifest that can't be read was not ours.
    let known = text_of(&mut archive, MANIFEST, limits).ok().flatten();
    let known = known.and_then(|text| set_without_pages(text.as_bytes(), limits).ok());
    let info = ImageInfo { format: Format::OpenRaster, size, color: "RGBA, 8 bit".to_owned(), loss };
    let layered = LayeredImage { size, layers, losses, known };
    Ok(DecodedFile { info, picture: DecodedImage::Layers(Box::new(layered)), is_truncated: false })
}

fn damaged(why: &dyn ToString) -> ReadProblem {
    ReadProblem::Damaged { format: "OpenRaster", why: why.to_string() }
}

type Archive<'a> = ZipArchive<Cursor<&'a [u8]>>;

/// The bytes of a file in the archive; none if it isn't there.
fn bytes_of(archive: &mut Archive<'_>, name: &str, most: u64) -> Result<Option<Vec<u8>>, ReadProblem> {
    let mut file = match archive.by_name(name) {
        Ok(file) => file,
        Err(ZipError::FileNotFound) => return Ok(None),
        Err(error) => return Err(damaged(&error)),
    };
    let mut bytes = Vec::new();
    // What the archive claims is not believed.
    file.by_ref().take(most.saturating_add(1)).read_to_end(&mut bytes).map_err(|error| damaged(&error))?;
    if bytes.len() as u64 > most {
        return Err(damaged(&format!("{name} is too long")));
    }
    Ok(Some(bytes))
}

fn text_of(
    archive: &mut Archive<'_>,
    name: &str,
    limits: &ReadOptions,
) -> Result<Option<String>, ReadProblem> {
    let most = LONGEST_TEXT.min(limits.memory.available());
    let bytes = bytes_of(archive, name, most)?;
    bytes.map(|bytes| String::from_utf8(bytes).map_err(|error| damaged(&error))).transpose()
}

struct StackReader<'a> {
    archive: Archive<'a>,
    limits: &'a ReadOptions,
    size: Size,
    layers: Vec<Layer>,
    losses: BTreeMap<LayerLoss, Vec<String>>,
    loss: Option<crate::decode::ReadLoss>,
}

impl StackReader<'_> {
    /// Reads what a stack holds from the bottom up: the file begins at the top.
    fn stack(
        &mut self,
        stack: Node<'_, '_>,
        groups: &mut Vec<String>,
        (x, y): (i64, i64),
    ) -> Result<(), ReadProblem> {
        if groups.len() > DEEPEST {
            return Err(damaged(&format!("it has groups in groups more than {DEEPEST} deep")));
        }
        for node in stack.children().rev().filter(Node::is_element) {
            // Nothing that far away shows, and sums of a few can't overflow.
            let far = f64::from(u32::MAX);
            let number = |name: &str| -> i64 {
                let number = node.attribute(name).and_then(|text| text.parse::<f64>().ok());
                number.map_or(0, |number| number.clamp(-far, far) as i64)
            };
            let at = (x + number("x"), y + number("y"));
            let is_group = node.has_tag_name("stack");
            if !is_group && !node.has_tag_name("layer") {
                continue;
            }
            let name = node.attribute("name").unwrap_or_default().trim().to_owned();
            let mut lose = |loss: LayerLoss| self.losses.entry(loss).or_default().push(name.clone());
            if node.attribute("visibility") == Some("hidden") {
                lose(LayerLoss::Hidden);
                continue;
            }
            if name.eq_ignore_ascii_case(GUIDE) {
                lose(LayerLoss::Guide);
                continue;
            }
            if node.attribute("composite-op").is_some_and(|way| way != "svg:src-over") {
                lose(LayerLoss::Blended);
            }
            if is_group {
                groups.push(name);
                self.stack(node, groups, at)?;
                groups.pop();
            } else {
                self.layer(node, name, groups, at)?;
            }
        }
        Ok(())
    }

    fn layer(
        &mut self,
        node: Node<'_, '_>,
        name: String,
        groups: &[String],
        (x, y): (i64, i64),
    ) -> Result<(), ReadProblem> {
        let file = node.attribute("src").unwrap_or_default();
        let length = self.archive.by_name(file).map_or(0, |file| file.size());
        let _file = self.limits.memory.lease(length)?;
        let bytes = bytes_of(&mut self.archive, file, length)?;
        let bytes =
            bytes.ok_or_else(|| damaged(&format!("layer '{name}' has no picture: {file} isn't there")))?;
        let decoded = png::decode(&bytes, self.limits)?;
        self.loss = self.loss.or(decoded.info.loss);
        let DecodedImage::Still(pixels) = decoded.picture else {
            return Err(damaged(&format!("layer '{name}' is an animation")));
        };
        // What shows, and what of that is inside the painting.
        let shown = pixels.content_bounds(0).unwrap_or_default();
        let (x, y) = (x + i64::from(shown.x), y + i64::from(shown.y));
        let span = |at: i64, length: u32, whole: u32| {
            let (from, to) = (at.max(0), (at + i64::from(length)).min(i64::from(whole)));
            (to > from).then(|| ((from - at) as u32, from as u32, (to - from) as u32))
        };
        let across = span(x, shown.width, self.size.width);
        let down = span(y, shown.height, self.size.height);
        let (part, at) = match across.zip(down) {
            Some(((left, to_x, width), (top, to_y, height))) => {
                (Rect::new(shown.x + left, shown.y + top, width, height), UVec2 { x: to_x, y: to_y })
            }
            None => (Rect::default(), UVec2::default()),
        };
        if part.size() != shown.size() {
            self.losses.entry(LayerLoss::Cropped).or_default().push(name.clone());
        }
        let pixels = if part.is_empty() {
            Pixels::empty()
        } else {
            pixels.crop(part).unwrap_or_else(Pixels::empty).compacted()
        };
        let opacity = node.attribute("opacity").and_then(|text| text.parse::<f64>().ok()).unwrap_or(1.0);
        let pixels = if opacity < 1.0 { faded(&pixels, opacity.max(0.0)) } else { pixels };
        pixels.charge_to(&self.limits.memory);
        self.layers.push(Layer { name, groups: groups.to_vec(), pixels, at });
        Ok(())
    }
}

/// The same pixels, as much less opaque.
fn faded(pixels: &Pixels, opacity: f64) -> Pixels {
    let mut image = pixels.to_image();
    for pixel in image.pixels_mut() {
        pixel[3] = (f64::from(pixel[3]) * opacity).round() as u8;
    }
    Pixels::from_image(image)
}

impl LayeredImage {
    /// Layers from the bottom up.
    pub(crate) fn of(size: Size, layers: Vec<Layer>) -> Self {
        Self { size, layers, losses: Vec::new(), known: None }
    }

    /// Whether it is one picture for all that is known: a layer alone, as below the guide of a guide sheet.
    pub fn is_flat(&self) -> bool {
        matches!(self.layers.as_slice(), [only] if only.groups.is_empty()) && self.known.is_none()
    }

    /// What there is to know of its layers.
    pub fn remarks(&self, file: &str) -> Vec<ReadNotice> {
        let remark = |(loss, names): &(LayerLoss, Vec<String>)| ReadNotice::Layers {
            file: file.to_owned(),
            names: names.clone(),
            loss: *loss,
        };
        self.losses.iter().map(remark).collect()
    }

    /// All layers over each other, as the painting shows them, in memory of its own.
    ///
    /// # Errors
    /// If there is no memory for it.
    pub fn flattened(&self, limits: &ReadOptions) -> Result<Pixels, ReadProblem> {
        let room = DecodeLease::of(self.size, 0, limits)?;
        Ok(room.fill(self.merged()))
    }

    /// The same for a file that is written.
    pub(crate) fn merged(&self) -> RgbaImage {
        let mut image = RgbaImage::new(self.size.width, self.size.height);
        for Layer { pixels, at, .. } in &self.layers {
            for (y, row) in (at.y..).zip(pixels.rows()) {
                for (x, pixel) in (at.x..).zip(row.chunks_exact(4)) {
                    let below = image.get_pixel_mut(x, y);
                    *below = over(*below, Rgba([pixel[0], pixel[1], pixel[2], pixel[3]]));
                }
            }
        }
        image
    }
}

/// Layers as frames of a sprite, and groups as its clips; or as the manifest says that was kept with them.
///
/// # Errors
/// If names or clips can't be those of a set.
pub fn layer_frames(
    layered: LayeredImage,
    sprite: &Name,
    file: &str,
) -> Result<(FrameSet, Vec<ReadNotice>), ReadProblem> {
    let remarks = layered.remarks(file);
    let LayeredImage { size, layers, known, .. } = layered;
    let groups: Vec<Group> = layers.iter().map(|layer| Group::of(&layer.groups, sprite)).collect();
    if let Some(set) = known.and_then(|(known, kept)| with_known(known, &kept, &layers, &groups)) {
        return Ok((set, remarks));
    }
    let mut taken: HashSet<(Name, String)> = HashSet::new();
    let mut frames = Vec::with_capacity(layers.len());
    let mut clips: Vec<(Group, Vec<usize>)> = Vec::new();
    for (number, (layer, group)) in layers.into_iter().zip(groups).enumerate() {
        let wanted = match portable_name(&layer.name) {
            name if layer.name.is_empty() || name.is_empty() => format!("layer-{number}"),
            name => name,
        };
        let sprite = group.sprite.clone();
        let is_free = |name: &String| !taken.contains(&(sprite.clone(), name.clone()));
        let numbered = (2..).map(|n| format!("{wanted}-{n}"));
        let name =
            std::iter::once(wanted.clone()).chain(numbered).find(is_free).expect("there are enough numbers");
        taken.insert((sprite.clone(), name.clone()));
        let frame = Frame::trimmed(sprite, Name::new(name)?, layer.pixels, size, layer.at);
        let frame = frame.and_then(|frame| frame.with_kept_rect(Rect::of(size)));
        let frame = frame.map_err(|error| ReadProblem::Frame { frame: layer.name, error })?;
        let source = FrameSource { file: file.to_owned(), ..FrameSource::default() };
        frames.push(frame.with_source(Some(source)));
        if group.clip.is_none() {
            continue;
        }
        // Two groups of one name are one clip.
        let is_same = |(other, _): &&mut (Group, Vec<usize>)| {
            (&other.sprite, &other.clip) == (&group.sprite, &group.clip)
        };
        match clips.iter_mut().find(is_same) {
            Some((_, steps)) => steps.push(number),
            None => clips.push((group, vec![number])),
        }
    }
    let clips =
        clips.into_iter().map(|(group, steps)| group.into_clip(&steps)).collect::<Result<Vec<_>, _>>()?;
    Ok((FrameSet::new(frames, clips)?, remarks))
}

/// What the name of a group says.
#[derive(Clone, Debug)]
struct Group {
    sprite: Name,
    clip: Option<Name>,
    /// A time and a way to play, `@12fps once`, or nothing.
    timing: String,
}

impl Group {
    /// Groups in groups are one with a name of all of them.
    fn of(names: &[String], sprite: &Name) -> Self {
        let joined = names.iter().filter(|name| !name.is_empty()).cloned().collect::<Vec<_>>().join("/");
        let (of, rest) = match joined.split_once(':') {
            Some((of, rest)) => (Name::new(portable_name(of.trim())).ok(), rest.trim().to_owned()),
            None => (None, joined.trim().to_owned()),
        };
        let (name, timing) = match rest.rsplit_once('@') {
            Some((name, time)) if Self::timed(&format!("@{time}"), &[0]).is_some() => {
                (name.trim(), format!("@{time}"))
            }
            _ => (&*rest, String::new()),
        };
        let clip = Name::new(portable_name(name)).ok().filter(|_| !name.is_empty());
        Self { sprite: of.unwrap_or_else(|| sprite.clone()), clip, timing }
    }

    /// A clip of frames 0, 1, 2, ... of a set of nothing else, with this time and way to play.
    fn timed(timing: &str, steps: &[usize]) -> Option<Clip> {
        let name = Name::new("a").ok()?;
        let blank = |number: usize| {
            let frame = Name::new(format!("{number}")).ok()?;
            Frame::trimmed(name.clone(), frame, Pixels::empty(), Size::new(1, 1), UVec2::default()).ok()
        };
        let frames = (0..steps.len()).map(blank).collect::<Option<Vec<_>>>()?;
        let set = FrameSet::new(frames, Vec::new()).ok()?;
        let spec: ClipSpec = format!("a = 0-{} {timing}", steps.len() - 1).parse().ok()?;
        spec.resolve(&set).ok()
    }

    fn into_clip(self, steps: &[usize]) -> Result<Clip, ReadProblem> {
        let Self { sprite, clip, timing } = self;
        let name = clip.expect("only clips are asked for");
        let timed =
            Some(timing).filter(|timing| !timing.is_empty()).and_then(|timing| Self::timed(&timing, steps));
        let Some(timed) = timed else {
            let spans: Vec<(usize, FrameDuration)> =
                steps.iter().map(|&frame| (frame, FrameDuration::DEFAULT)).collect();
            return Ok(Clip::from_durations(sprite, name, &spans)?);
        };
        let of_set = timed
            .steps()
            .iter()
            .zip(steps)
            .map(|(step, &frame)| shibori_core::clip::Step { frame, ..step.clone() });
        let clip = Clip::new(sprite, name, timed.timescale(), of_set.collect())?;
        Ok(clip.playing(timed.play(), timed.plays()))
    }
}

/// What a manifest knows, with the layers as the pixels of its frames; none unless it knows just these.
fn with_known(known: FrameSet, kept: &[Rect], layers: &[Layer], groups: &[Group]) -> Option<FrameSet> {
    let is_alone = known.sprites().len() == 1;
    let key = |frame: &Frame| (frame.sprite().to_string(), frame.name().to_string());
    let mut by_name: HashMap<(String, String), &Layer> = HashMap::new();
    for (layer, group) in layers.iter().zip(groups) {
        let sprite = if is_alone { known.sprites()[0].to_string() } else { group.sprite.to_string() };
        if by_name.insert((sprite, layer.name.clone()), layer).is_some() {
            return None;
        }
    }
    if by_name.len() != known.frames().len() {
        return None;
    }
    let fits = |frame: &Frame| {
        let layer = by_name.get(&key(frame))?;
        let (at, size, canvas) = (layer.at, layer.pixels.size(), frame.canvas());
        let is_inside = at.x + size.width <= canvas.width && at.y + size.height <= canvas.height;
        is_inside.then_some(*layer)
    };
    let all = known.frames().iter().map(fits).collect::<Option<Vec<&Layer>>>()?;
    let painted = |number: usize, frame: Frame| -> Result<Frame, SetError> {
        let layer = all[number];
        let frame = frame.with_pixels(layer.pixels.clone(), layer.at).expect("it was seen to fit");
        // As much is kept as before, and all that was painted beside it.
        let shown = Some(frame.kept_rect()).filter(|shown| !shown.is_empty());
        let before = Some(kept[number]).filter(|kept| !kept.is_empty());
        let whole = before.into_iter().chain(shown).reduce(Rect::union).unwrap_or_default();
        Ok(frame.clone().with_kept_rect(whole).unwrap_or(frame))
    };
    known.map_frames(painted).ok()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use shibori_core::Point;

    use super::*;
    use crate::encode;
    use crate::store::Transaction;

    const INK: Rgba<u8> = Rgba([20, 30, 40, 255]);

    /// A painting as another program would write it: layers of 2x2 px, drawn in full.
    fn painting(stack: &str, sizes: &[(&str, u32, u32)]) -> Vec<u8> {
        let files: Vec<(String, Vec<u8>)> = sizes
            .iter()
            .map(|(name, width, height)| {
                (
                    format!("data/{name}.png"),
                    encode::png(&RgbaImage::from_pixel(*width, *height, INK)).unwrap(),
                )
            })
            .collect();
        encode::archive(&RgbaImage::new(8, 6), stack, &files).unwrap()
    }

    fn layers(bytes: &[u8]) -> LayeredImage {
        match decode(bytes, &ReadOptions::default()).unwrap().picture {
            DecodedImage::Layers(layered) => *layered,
            other => panic!("no layers: {other:?}"),
        }
    }

    fn frames(bytes: &[u8]) -> (FrameSet, Vec<ReadNotice>) {
        layer_frames(layers(bytes), &Name::new("art").unwrap(), "art.ora").unwrap()
    }

    #[test]
    fn layers_are_frames_from_the_bottom_up_and_groups_are_clips() {
        let stack = r#"
            <layer name="guide" src="data/a.png" edit-locked="true"/>
            <stack name="leap @12fps once" x="1" y="0">
              <layer name="up" src="data/a.png" x="2" y="1"/>
              <layer name="down" src="data/a.png" x="-2" y="5"/>
              <layer name="sketch" src="data/a.png" visibility="hidden"/>
            </stack>
            <stack name="sit"><stack name="left"><layer name="up" src="data/a.png" opacity="0.5"/></stack></stack>
            <layer name="" src="data/a.png" x="99"/>
            <stack x="1e300" y="-1e300"><layer name="far" src="data/a.png" x="1e300" y="nan"/></stack>"#;
        let (set, remarks) = frames(&painting(stack, &[("a", 2, 2)]));
        let names: Vec<&str> = set.frames().iter().map(|frame| frame.name().as_str()).collect();
        assert_eq!(names, ["far", "layer-1", "up", "down", "up-2"]);
        assert!(set.frames().iter().all(|frame| frame.canvas() == Size::new(8, 6) && frame.is_untrimmed()));
        let extent =
            |at: usize| set.frames()[at].extent(0).map(|rect| (rect.x, rect.y, rect.width, rect.height));
        assert_eq!(
            [0, 1, 2, 3, 4].map(extent),
            [None, None, Some((0, 0, 2, 2)), Some((0, 5, 1, 1)), Some((3, 1, 2, 2))]
        );
        assert_eq!(set.frames()[2].full_image().get(0, 0).unwrap()[3], 128);
        let clips: Vec<String> = set
            .clips()
            .iter()
            .map(|clip| format!("{} {} {}", clip.name(), clip.total_millis().round(), clip.playback()))
            .collect();
        assert_eq!(clips, ["sit/left 100 loop", "leap 167 once"]);
        let lost = |loss: LayerLoss, names: &[&str]| ReadNotice::Layers {
            file: "art.ora".to_owned(),
            names: names.iter().map(|name| (*name).to_owned()).collect(),
            loss,
        };
        assert_eq!(
            remarks,
            [
                lost(LayerLoss::Hidden, &["sketch"]),
                lost(LayerLoss::Guide, &["guide"]),
                lost(LayerLoss::Cropped, &["far", "", "down"])
            ]
        );
    }

    #[test]
    fn a_sheet_below_a_guide_is_a_picture() {
        let stack =
            r#"<layer name="guide" src="data/g.png"/><layer name="drawing" src="data/a.png" x="1" y="2"/>"#;
        let bytes = painting(stack, &[("a", 2, 2), ("g", 8, 6)]);
        let layered = layers(&bytes);
        assert!(layered.is_flat());
        let pixels = layered.flattened(&ReadOptions::default()).unwrap();
        assert_eq!((pixels.size(), pixels.content_bounds(0)), (Size::new(8, 6), Some(Rect::new(1, 2, 2, 2))));
        // What is hidden is named, whatever becomes of the rest.
        let hidden = format!(r#"{stack}<layer name="sketch" src="data/a.png" visibility="hidden"/>"#);
        let layered = layers(&painting(&hidden, &[("a", 2, 2), ("g", 8, 6)]));
        assert!(layered.is_flat() && layered.remarks("art.ora").len() == 2);
    }

    #[test]
    fn groups_name_sprites_and_odd_names_are_names() {
        let group = |name: &str| {
            let group = Group::of(&[name.to_owned()], &Name::new("art").unwrap());
            (
                group.sprite.to_string(),
                group.clip.map(|clip| clip.to_string()).unwrap_or_default(),
                group.timing,
            )
        };
        let is =
            |sprite: &str, clip: &str, timing: &str| (sprite.to_owned(), clip.to_owned(), timing.to_owned());
        assert_eq!(group("frog:sit @80ms loop 3"), is("frog", "sit", "@80ms loop 3"));
        assert_eq!(group("frog:"), is("frog", "", ""));
        assert_eq!(group("walk@home"), is("art", "walk@home", ""));
        assert_eq!(group("Group 1"), is("art", "Group 1", ""));
        assert_eq!(group(""), is("art", "", ""));
        assert_eq!(group("a @total 0.8s"), is("art", "a", "@total 0.8s"));
    }

    #[test]
    fn what_is_damaged_or_too_large_is_refused() {
        let layer = r#"<layer name="a" src="data/a.png"/>"#;
        let whole = painting(layer, &[("a", 2, 2)]);
        for length in (0..whole.len()).step_by(7) {
            let mut bytes = whole.clone();
            bytes[length] ^= 0x55;
            let _ = decode(&bytes, &ReadOptions::default());
            assert!(decode(&whole[..length], &ReadOptions::default()).is_err(), "{length}");
        }
        let deep = format!("{}{layer}{}", "<stack>".repeat(500), "</stack>".repeat(500));
        for (stack, sizes) in [
            ("", &[] as &[(&str, u32, u32)]),
            (layer, &[]),
            (r#"<layer name="a" src="../../etc/passwd"/>"#, &[]),
            (r#"<layer name="a" src="data/a.png" visibility="hidden"/>"#, &[("a", 2, 2)]),
            (&*deep, &[("a", 2, 2)]),
            ("<stack>", &[("a", 2, 2)]),
        ] {
            assert!(decode(&painting(stack, sizes), &ReadOptions::default()).is_err(), "{stack:.40}");
        }
        let tight = ReadOptions { pixels: 3, ..ReadOptions::default() };
        assert!(decode(&whole, &tight).is_err());
    }

    fn any_set() -> impl Strategy<Value = FrameSet> {
        let frame = (1u32..6, 1u32..6, prop::collection::vec(0u8..4, 25), 0usize..2, 0usize..3);
        prop::collection::vec(frame, 1..7).prop_map(|frames| {
            let sprites = ["frog", "koi"].map(|name| Name::new(name).unwrap());
            let made = frames.iter().enumerate().map(|(number, (width, height, dots, sprite, crop))| {
                let image = RgbaImage::from_fn(*width, *height, |x, y| {
                    let dot = dots[(y * 5 + x) as usize];
                    if dot == 0 {
                        Rgba([0; 4])
                    } else {
                        Rgba([dot * 60, 9, 9, if dot == 3 { 77 } else { 255 }])
                    }
                });
                let name = Name::new(format!("f<{number}> \"é\" &")).unwrap();
                let frame = Frame::new(sprites[*sprite].clone(), name, Pixels::from_image(image)).unwrap();
                let frame = frame.with_pivot(Point::new(1.5, f64::from(number as u32)));
                if *crop == 0 { frame.trim_to_content() } else { frame }
            });
            let frames: Vec<Frame> = made.collect();
            let mut clips = Vec::new();
            for sprite in &sprites {
                let own: Vec<usize> = (0..frames.len()).filter(|&at| frames[at].sprite() == sprite).collect();
                if let Some(&first) = own.first() {
                    let steps: Vec<(usize, FrameDuration)> = own
                        .iter()
                        .chain([&first])
                        .enumerate()
                        .map(|(at, &frame)| (frame, FrameDuration::new(1 + at as u32, 24).unwrap()))
                        .collect();
                    let name = Name::new("go <on> @ x").unwrap();
                    clips.push(Clip::from_durations(sprite.clone(), name, &steps).unwrap());
                }
            }
            FrameSet::new(frames, clips).unwrap()
        })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]
        #[test]
        fn frames_go_into_layers_and_back(set in any_set()) {
            let folder = tempfile::tempdir().unwrap();
            let file = folder.path().join("art.ora");
            let run = Transaction::default();
            encode::painting(&file, &set, &run).unwrap();
            run.commit().unwrap();
            let bytes = std::fs::read(&file).unwrap();
            let (back, remarks) = frames(&bytes);
            prop_assert_eq!(remarks, vec![]);
            prop_assert_eq!(back.clips(), set.clips());
            for (a, b) in back.frames().iter().zip(set.frames()) {
                prop_assert_eq!((a.sprite(), a.name(), a.canvas(), a.pivot()), (b.sprite(), b.name(), b.canvas(), b.pivot()));
                prop_assert!(a.full_image().is_same_image(&b.full_image()));
                prop_assert_eq!(a.kept_rect(), b.kept_rect());
            }
            // A program that drops the manifest keeps pictures, names, sprites, and the frames of clips.
            let mut layered = layers(&bytes);
            layered.known = None;
            let (plain, _) = layer_frames(layered, &Name::new("frog").unwrap(), "art.ora").unwrap();
            prop_assert_eq!(plain.frames().len(), set.frames().len());
            for (a, b) in plain.frames().iter().zip(set.frames()) {
                prop_assert!(set.sprites().len() == 1 || a.sprite() == b.sprite());
                prop_assert_eq!(a.name().as_str(), portable_name(b.name().as_str()));
                let whole = b.clone().translate_onto(a.canvas(), 0, 0).unwrap();
                prop_assert!(a.full_image().is_same_image(&whole.full_image()));
            }
            let count = |set: &FrameSet| set.clips().iter().map(|clip| clip.steps().len()).sum::<usize>();
            prop_assert_eq!(count(&plain) + set.clips().len(), count(&set));
        }
    }
}
