//! What is written is read back by another library, drawn with a few lines of our own, and compared with the frames.

use gltf::animation::util::ReadOutputs;
use image::{Rgba, RgbaImage};
use shibori_core::shape::set_polygons;
use shibori_core::{CompanionSpec, Frame, FrameSet, Pixels, Rect, SetError};

use super::*;
use crate::ReadProblem;
use crate::decode::ReadOptions;
use crate::encode::{PageEncoding, PageFormat};
use crate::export::sample::{frames, subject};

const CLIPS: [&str; 5] = [
    "swim = 0-2@80ms,4@240ms",
    "turn = 1,4,5 @12fps bounce",
    "back = 0-2 @100ms mirror once",
    "gone = 3 @100ms",
    "blink = 2,3,2 @40ms",
];

struct Loaded {
    document: gltf::Document,
    buffers: Vec<Vec<u8>>,
    page: RgbaImage,
}

impl Loaded {
    fn of(glb: &[u8], page: RgbaImage) -> Self {
        let gltf::Gltf { document, blob } = gltf::Gltf::from_slice(glb).unwrap();
        Self { document, buffers: vec![blob.unwrap()], page }
    }

    /// The scale of each node at a time of an animation; as they stand without one.
    fn scales(&self, animation: Option<(usize, f32)>) -> Vec<f32> {
        let mut scales: Vec<f32> =
            self.document.nodes().map(|node| node.transform().decomposed().2[0]).collect();
        if let Some((number, time)) = animation {
            let animation = self.document.animations().nth(number).unwrap();
            for channel in animation.channels() {
                let reader = channel.reader(|buffer| Some(&self.buffers[buffer.index()][..]));
                let times: Vec<f32> = reader.read_inputs().unwrap().collect();
                let Some(ReadOutputs::Scales(values)) = reader.read_outputs() else { panic!("only scales") };
                let values: Vec<[f32; 3]> = values.collect();
                assert_eq!(times.len(), values.len());
                assert!(times.windows(2).all(|pair| pair[0] < pair[1]) && times[0] == 0.0);
                let at = times.iter().rposition(|&key| key <= time).unwrap();
                assert!(values[at] == [0.0; 3] || values[at] == [1.0; 3]);
                scales[channel.target().node().index()] = values[at][0];
            }
        }
        scales
    }

    /// The canvas of 12x10 about a pivot at 5,9.
    fn drawn(&self, animation: Option<(usize, f32)>, unit: f32) -> RgbaImage {
        let scales = self.scales(animation);
        let mut canvas = RgbaImage::new(12, 10);
        let root = self.document.scenes().next().unwrap().nodes().next().unwrap();
        self.draw(&root, 1.0, &scales, unit, &mut canvas);
        canvas
    }

    fn draw(&self, node: &gltf::Node<'_>, scale: f32, scales: &[f32], unit: f32, canvas: &mut RgbaImage) {
        let scale = scale * scales[node.index()];
        if let Some(mesh) = node.mesh().filter(|_| scale > 0.0) {
            let primitive = mesh.primitives().next().unwrap();
            let reader = primitive.reader(|buffer| Some(&self.buffers[buffer.index()][..]));
            let positions: Vec<[f32; 3]> = reader.read_positions().unwrap().collect();
            let uvs: Vec<[f32; 2]> = reader.read_tex_coords(0).unwrap().into_f32().collect();
            let indices: Vec<u32> = reader.read_indices().unwrap().into_u32().collect();
            for triangle in indices.chunks(3) {
                let corner = |at: usize| positions[triangle[at] as usize].map(|n| n * unit);
                self.fill([0, 1, 2].map(corner), [0, 1, 2].map(|at| uvs[triangle[at] as usize]), canvas);
            }
        }
        node.children().for_each(|child| self.draw(&child, scale, scales, unit, canvas));
    }

    fn fill(&self, corners: [[f32; 3]; 3], uvs: [[f32; 2]; 3], canvas: &mut RgbaImage) {
        let edge = |a: [f32; 3], b: [f32; 3], x: f32, y: f32| {
            (b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0])
        };
        let [a, b, c] = corners;
        let area = edge(a, b, c[0], c[1]);
        assert!(area > 0.0, "the front faces +z");
        for (x, y, pixel) in canvas.enumerate_pixels_mut() {
            let (at_x, at_y) = (x as f32 + 0.5 - 5.0, 9.0 - (y as f32 + 0.5));
            let shares =
                [edge(b, c, at_x, at_y), edge(c, a, at_x, at_y), edge(a, b, at_x, at_y)].map(|e| e / area);
            if shares.iter().any(|&share| share < -1e-6) {
                continue;
            }
            let uv = |axis: usize| (0..3).map(|corner| shares[corner] * uvs[corner][axis]).sum::<f32>();
            let (u, v) = (uv(0) * self.page.width() as f32, uv(1) * self.page.height() as f32);
            *pixel = *self.page.get_pixel(u as u32, v as u32);
        }
    }
}

/// The frame, mirrored about the pivot if need be.
fn wanted(set: &FrameSet, frame: usize, mirror: bool) -> RgbaImage {
    let image = set.frames()[frame].full_image().to_image();
    RgbaImage::from_fn(12, 10, |x, y| {
        // About x = 5: the pixel from 5 to 6 goes to the one from 4 to 5.
        let from = if mirror { 9 - i64::from(x) } else { i64::from(x) };
        if (0..12).contains(&from) { *image.get_pixel(from as u32, y) } else { Rgba([0; 4]) }
    })
}

fn look_same(a: &RgbaImage, b: &RgbaImage) -> bool {
    a.pixels().zip(b.pixels()).all(|(p, q)| p == q || p[3] == 0 && q[3] == 0)
}

fn glb(subject: &ExportSource, unit: f64) -> Vec<u8> {
    let options = Gltf { container: Container::Binary, unit };
    gltf(subject, &options, Path::new("pond.glb")).unwrap().remove(0).bytes
}

#[test]
fn every_step_is_drawn_as_its_frame_from_its_first_moment_to_its_last() {
    check_every_step(&frames(8));
}

/// Frames whose upper left and lower right corners are cut off, with polygons along that, and companions.
fn cut_and_lit() -> FrameSet {
    let cut = |_: usize, frame: Frame| -> Result<Frame, SetError> {
        let mut image = frame.full_image().to_image();
        if let Some(Rect { x, y, width, height }) = frame.content(0) {
            let (right, bottom) = (x + width - 1, y + height - 1);
            for (x, y) in [(x, y), (x, y + 1), (x + 1, y)] {
                image.put_pixel(x, y, Rgba([0; 4]));
            }
            image.put_pixel(right, bottom, Rgba([0; 4]));
        }
        let frame = frame.with_pixels(Pixels::from_image(image), Default::default()).unwrap();
        let lit = ["_n", "_e"].into_iter().fold(frame.clone(), |lit, suffix| {
            lit.with_companion(CompanionSpec::of_suffix(suffix), &frame).unwrap()
        });
        Ok(lit)
    };
    set_polygons(frames(8).map_frames(cut).unwrap(), 8, 0).unwrap()
}

#[test]
fn polygons_show_every_pixel_and_companions_light_it() {
    let set = cut_and_lit();
    check_every_step(&set);
    let (_folder, subject) = subject(set, &CLIPS, &PageEncoding::default(), "pond");
    let loaded = Loaded::of(&glb(&subject, 1.0), subject.pages[0].pixels.to_image());
    assert_eq!(loaded.document.images().count(), 3);
    let material = loaded.document.materials().next().unwrap();
    assert!(!material.unlit() && material.normal_texture().is_some());
    assert_eq!((material.emissive_texture().is_some(), material.emissive_factor()), (true, [1.0; 3]));
    let mut shapes = 0;
    for mesh in loaded.document.meshes() {
        let part = mesh.primitives().next().unwrap();
        let reader = part.reader(|buffer| Some(&loaded.buffers[buffer.index()][..]));
        shapes += usize::from(reader.read_positions().unwrap().count() > 4);
        assert!(reader.read_normals().unwrap().all(|normal| normal == [0.0, 0.0, 1.0]));
        // Up is the normal turned onto the tangent, times the last number: up on every picture, mirrored or not.
        assert!(
            reader
                .read_tangents()
                .unwrap()
                .all(|[right, .., side]| right.abs() == 1.0 && right * side == 1.0)
        );
    }
    assert!(shapes > 0);
    // In a file of its own, the companions are beside it.
    let options = Gltf { container: Container::Text, unit: 1.0 };
    let files = gltf(&subject, &options, &subject.path.with_extension("gltf")).unwrap();
    let document: Value = serde_json::from_slice(&files[0].bytes).unwrap();
    let uris: Vec<&str> =
        document["images"].as_array().unwrap().iter().map(|image| image["uri"].as_str().unwrap()).collect();
    assert_eq!(uris, ["pond.png", "pond_e.png", "pond_n.png"]);
    assert!(document.get("extensionsUsed").is_none());
    // The same scene without a file.
    let limits = ReadOptions::default();
    let image =
        |image: &PageImage, name: &str| PageImage::from_bytes(name, image.bytes.clone(), &limits).unwrap();
    let page = image(&subject.pages[0], "pond.png");
    let mut memory = ExportSource::new("pond", (*subject.manifest).clone(), vec![page]).unwrap();
    for (spec, companion) in &subject.companions[0] {
        let file = &subject.manifest.pages[0].companions[&spec.suffix];
        memory = memory.with_companion(0, &spec.suffix, image(companion, file)).unwrap();
    }
    assert_eq!(glb(&memory, 1.0), glb(&subject, 1.0));
    let wrong =
        PageImage::from_bytes("a.png", crate::encode::png(&RgbaImage::new(1, 1)).unwrap(), &limits).unwrap();
    assert!(matches!(memory.with_companion(0, "_n", wrong), Err(ReadProblem::CompanionSize { .. })));
}

fn check_every_step(set: &FrameSet) {
    let (_folder, subject) = subject(set.clone(), &CLIPS, &PageEncoding::default(), "pond");
    assert!(subject.manifest.frames.iter().any(|frame| frame.rotated), "a rotated frame is among them");
    for unit in [1.0, 16.0] {
        let loaded = Loaded::of(&glb(&subject, unit), subject.pages[0].pixels.to_image());
        for (clip, facts) in subject.clips.iter().enumerate() {
            for step in &facts.playback {
                let (start, end) = (step.start_seconds as f32, (step.start_seconds + step.seconds) as f32);
                for time in [start, (start + end) / 2.0, end - (end - start) / 64.0] {
                    let drawn = loaded.drawn(Some((clip, time)), unit as f32);
                    let wanted = wanted(set, step.frame, step.mirror);
                    assert!(
                        look_same(&drawn, &wanted),
                        "clip {clip}, step {}, {time} s, unit {unit}",
                        step.step
                    );
                }
            }
            let ends = loaded.document.animations().nth(clip).unwrap().channels().map(|channel| {
                let reader = channel.reader(|buffer| Some(&loaded.buffers[buffer.index()][..]));
                reader.read_inputs().unwrap().last().unwrap()
            });
            assert!(ends.into_iter().all(|end| end == facts.seconds as f32), "all keys last to the end");
        }
        // Nothing plays: the first clip's first frame.
        assert!(look_same(&loaded.drawn(None, unit as f32), &wanted(set, 0, false)));
    }
}

#[test]
fn frames_share_meshes_and_a_thousand_of_them_stay_small() {
    let clips: Vec<String> =
        (0..50).map(|clip| format!("c{clip} = {}-{} @12fps", clip * 20, clip * 20 + 19)).collect();
    let clips: Vec<&str> = clips.iter().map(String::as_str).collect();
    let (_folder, subject) = subject(frames(1000), &clips, &PageEncoding::default(), "pond");
    let options = Gltf { container: Container::Text, unit: 1.0 };
    let files = gltf(&subject, &options, &subject.path.with_extension("gltf")).unwrap();
    assert!(files[0].bytes.len() < 1_000_000, "{} bytes of JSON", files[0].bytes.len());
    let document: Value = serde_json::from_slice(&files[0].bytes).unwrap();
    assert_eq!(document["meshes"].as_array().unwrap().len(), 999);
    assert_eq!(document["images"][0]["uri"], "pond.png");
}

#[test]
fn materials_say_what_the_page_is() {
    let (_folder, hard) = subject(frames(4), &["swim = 0-2"], &PageEncoding::default(), "a b");
    let options = Gltf { container: Container::Text, unit: 1.0 };
    let document = |subject: &ExportSource| -> Value {
        let files = gltf(subject, &options, &subject.path.with_extension("gltf")).unwrap();
        serde_json::from_slice(&files[0].bytes).unwrap()
    };
    let exported = document(&hard);
    assert_eq!(exported["materials"][0]["alphaMode"], "MASK");
    assert_eq!(
        (&exported["images"][0]["uri"], &exported["buffers"][0]["uri"]),
        (&json!("a%20b.png"), &json!("a%20b.bin"))
    );
    assert_eq!(
        exported["samplers"],
        json!([{ "magFilter": 9728, "minFilter": 9728, "wrapS": 33071, "wrapT": 33071 }])
    );
    let premultiplied = PageEncoding {
        finish: shibori_core::pack::ColorFinish { spread: 0, premultiplied: true },
        sampling: Some(Sampling::Smooth),
        ..PageEncoding::default()
    };
    let (_folder, soft) = subject(frames(4), &["swim = 0-2"], &premultiplied, "pond");
    let error = gltf(&soft, &options, Path::new("pond.gltf")).unwrap_err().to_string();
    assert_eq!(error, "page 'pond.png' can't be used in .gltf: its colors are multiplied by alpha");
    let converted = Loaded::of(&glb(&soft, 1.0), hard.pages[0].pixels.to_image());
    assert_eq!(converted.document.samplers().count(), 2);
    let qoi = PageEncoding { format: PageFormat::Qoi, ..PageEncoding::default() };
    let (_folder, qoi) = subject(frames(4), &["swim = 0-2"], &qoi, "pond");
    assert!(gltf(&qoi, &options, Path::new("pond.gltf")).is_err());
    assert_eq!(Loaded::of(&glb(&qoi, 1.0), hard.pages[0].pixels.to_image()).document.images().count(), 1);
}
