//! glTF 2.0: every frame a quad, or its polygon, about its pivot; every clip an animation that shows one of them at a time.
//!
//! The tree is root › one node per clip › a node for each distinct frame of that clip. What is not shown has the scale 0, which the
//! standard names as the way to animate visibility. At rest the first clip shows its first frame. Each animation drives its own
//! clip node to 1, the first clip's to 0, and those of its own quads that change: stop one animation before another
//! begins, as players do, and what is not driven is as at rest again. Switch clips, never fade between them: half a
//! scale is half a figure.
//!
//! A page with a normal map or a glow has a material that is lit, with normals and tangents that follow the drawing,
//! mirrored and rotated frames included; all others are unlit.
//!
//! In the order of the data: `quads` lays out corners, `times` says when what is shown, `buffer` keeps the numbers, and
//! this file puts the JSON together. y runs up, the front faces +z, one unit is a pixel unless said otherwise.

mod buffer;
mod quads;
mod times;

use std::collections::HashMap;
use std::path::Path;

use serde::Serialize;
use serde_json::value::{RawValue, to_raw_value};
use serde_json::{Map, Value, json};

use crate::escape::escape_url_path;
use crate::export::idents::full_name;
use crate::export::{ExportError, ExportSource, File, PageImage, sibling_path};
use crate::manifest::Sampling;
use crate::store::seal;
use buffer::{Buffer, Kind};
use shibori_core::CompanionKind;
use times::Switching;

/// Which files.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Container {
    /// `.gltf`, with its numbers in a `.bin` and pages where they are.
    Text,
    /// `.glb`, one file with everything in it.
    Binary,
}

/// How.
#[derive(Clone, Copy, Debug)]
pub struct Gltf {
    /// Which files.
    pub container: Container,
    /// Pixels that are one unit.
    pub unit: f64,
}

impl Default for Gltf {
    /// One file, a unit per pixel.
    fn default() -> Self {
        Self { container: Container::Binary, unit: 1.0 }
    }
}

/// Suffixes of companions that glow, as the trade has them.
const EMISSIVE: [&str; 4] = ["_e", "_emission", "_emissive", "_glow"];

/// The files of a scene.
pub fn gltf(subject: &ExportSource, options: &Gltf, path: &Path) -> Result<Vec<File>, ExportError> {
    let mut scene = Scene::new(subject, options);
    scene.pages(path)?;
    scene.nodes();
    scene.animations()?;
    scene.files(path)
}

struct Scene<'a> {
    subject: &'a ExportSource,
    options: &'a Gltf,
    buffer: Buffer,
    images: Vec<Value>,
    textures: Vec<Value>,
    /// Images that lie elsewhere and must come along.
    copies: Vec<File>,
    /// The images of a `.glb`, one after another.
    pictures: Vec<Vec<u8>>,
    materials: Vec<Value>,
    /// For each page whether its material is lit with a normal map.
    has_normals: Vec<bool>,
    meshes: Vec<Json>,
    /// The mesh of a frame, mirrored or not.
    mesh_of: HashMap<(usize, bool), usize>,
    nodes: Vec<Json>,
    /// The node of each clip.
    clip_nodes: Vec<usize>,
    /// For each clip its quads.
    quads: Vec<Vec<Quad>>,
    animations: Vec<Json>,
}

/// A value as text: of a hundred thousand frames, values would take a gigabyte.
type Json = Box<RawValue>;

fn text_of(value: &impl Serialize) -> Json {
    to_raw_value(value).expect("numbers and names are JSON")
}

/// The file. Lists of the format are never empty.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Document {
    asset: Value,
    scene: usize,
    scenes: Value,
    nodes: Vec<Json>,
    #[serde(skip_serializing_if = "Option::is_none")]
    extensions_used: Option<Value>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    meshes: Vec<Json>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    animations: Vec<Json>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    materials: Vec<Value>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    textures: Vec<Value>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    images: Vec<Value>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    samplers: Vec<Value>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    accessors: Vec<Json>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    buffer_views: Vec<Value>,
    #[serde(skip_serializing_if = "Option::is_none")]
    buffers: Option<Value>,
}

#[derive(Serialize)]
struct Animation<'a> {
    name: &'a str,
    samplers: Vec<Json>,
    channels: Vec<Json>,
    extras: Value,
}

/// A figure of a clip.
struct Quad {
    node: usize,
    /// The steps in which it shows, ascending.
    steps: Vec<usize>,
}

impl<'a> Scene<'a> {
    fn new(subject: &'a ExportSource, options: &'a Gltf) -> Self {
        Self {
            subject,
            options,
            buffer: Buffer::default(),
            images: Vec::new(),
            textures: Vec::new(),
            has_normals: Vec::new(),
            copies: Vec::new(),
            pictures: Vec::new(),
            materials: Vec::new(),
            meshes: Vec::new(),
            mesh_of: HashMap::new(),
            nodes: Vec::new(),
            clip_nodes: Vec::new(),
            quads: Vec::new(),
            animations: Vec::new(),
        }
    }

    /// One material per page, with the textures that it takes.
    fn pages(&mut self, path: &Path) -> Result<(), ExportError> {
        let folder = path.parent().unwrap_or(Path::new(""));
        let subject = self.subject;
        for (number, page) in subject.manifest.pages.iter().enumerate() {
            self.texture(number, &subject.pages[number], &page.file, folder)?;
        }
        for (number, page) in subject.manifest.pages.iter().enumerate() {
            let mut material = json!({
                "name": page.file,
                "pbrMetallicRoughness": {
                    "baseColorTexture": { "index": number }, "metallicFactor": 0, "roughnessFactor": 1,
                },
                "doubleSided": true,
            });
            for (spec, image) in subject.companions.get(number).into_iter().flatten() {
                let key = match spec.kind {
                    CompanionKind::Normals => "normalTexture",
                    CompanionKind::Color if EMISSIVE.contains(&spec.suffix.as_str()) => "emissiveTexture",
                    _ => continue,
                };
                if material.get(key).is_some() {
                    continue;
                }
                let texture = self.texture(number, image, &page.companions[&spec.suffix], folder)?;
                material[key] = json!({ "index": texture });
                if key == "emissiveTexture" {
                    material["emissiveFactor"] = json!([1, 1, 1]);
                }
            }
            let has_normals = material.get("normalTexture").is_some();
            if !has_normals && material.get("emissiveTexture").is_none() {
                material["extensions"] = json!({ "KHR_materials_unlit": {} });
            }
            if subject.pages[number].is_hard() {
                material["alphaMode"] = json!("MASK");
                material["alphaCutoff"] = json!(0.5);
            } else {
                material["alphaMode"] = json!("BLEND");
            }
            self.has_normals.push(has_normals);
            self.materials.push(material);
        }
        Ok(())
    }

    /// A texture of an image that belongs to a page.
    fn texture(
        &mut self,
        page: usize,
        image: &PageImage,
        file: &str,
        folder: &Path,
    ) -> Result<usize, ExportError> {
        let is_premultiplied = self.subject.is_premultiplied(page);
        match self.options.container {
            Container::Text => {
                let refuse = |what| Err(ExportError::Page { page: file.to_owned(), what, format: ".gltf" });
                if !image.is_png() {
                    return refuse("it is not a PNG");
                }
                if is_premultiplied {
                    return refuse("its colors are multiplied by alpha");
                }
                let (uri, copy) = image.inside(file, folder);
                self.copies.extend(copy);
                self.images.push(json!({ "name": file, "uri": escape_url_path(&uri) }));
            }
            Container::Binary => {
                self.pictures.push(image.straight_png(is_premultiplied)?);
                self.images.push(json!({ "name": file, "mimeType": "image/png" }));
            }
        }
        let is_smooth = self.subject.manifest.pages[page].sampling == Some(Sampling::Smooth);
        self.textures.push(json!({ "source": self.images.len() - 1, "sampler": usize::from(is_smooth) }));
        Ok(self.textures.len() - 1)
    }

    /// The tree. The root is node 0.
    fn nodes(&mut self) {
        self.nodes.push(text_of(&()));
        let mut children = Vec::new();
        let mut is_used = vec![false; self.subject.frames.len()];
        for clip in 0..self.subject.clips.len() {
            let node = self.nodes.len();
            self.nodes.push(text_of(&()));
            let mut quads: Vec<Quad> = Vec::new();
            let mut known: HashMap<(usize, bool), usize> = HashMap::new();
            let first = frame_shown(&self.subject.clips[clip].playback[0]);
            for (at, step) in self.subject.clips[clip].playback.iter().enumerate() {
                let key = frame_shown(step);
                is_used[key.0] = true;
                if self.subject.frames[key.0].blank {
                    continue;
                }
                let quad = *known.entry(key).or_insert_with(|| {
                    quads.push(Quad { node: self.quad(key, key == first), steps: Vec::new() });
                    quads.len() - 1
                });
                quads[quad].steps.push(at);
            }
            let quad_nodes: Vec<usize> = quads.iter().map(|quad| quad.node).collect();
            self.nodes[node] = text_of(&self.clip_node(clip, &quad_nodes));
            children.push(node);
            self.clip_nodes.push(node);
            self.quads.push(quads);
        }
        for frame in (0..is_used.len()).filter(|&at| !is_used[at] && !self.subject.frames[at].blank) {
            children.push(self.quad((frame, false), false));
        }
        let mut root = json!({ "name": self.subject.stem });
        set_unless_empty(&mut root, "children", children);
        self.nodes[0] = text_of(&root);
    }

    fn clip_node(&self, clip: usize, quads: &[usize]) -> Value {
        let (entry, facts) = (&self.subject.manifest.clips[clip], &self.subject.clips[clip]);
        let step = |step: &crate::export::PlayedStep| {
            let mut entry = json!({ "frame": step.frame, "seconds": step.seconds });
            if step.mirror {
                entry["mirror"] = json!(true);
            }
            if let Some(event) = &step.event {
                entry["event"] = json!(event);
            }
            entry
        };
        let mut node = json!({
            "name": full_name(&entry.sprite, &entry.name),
            "extras": {
                "sprite": entry.sprite, "clip": entry.name, "play": entry.play, "plays": entry.plays,
                "steps": facts.playback.iter().map(step).collect::<Vec<_>>(),
            },
        });
        if clip > 0 {
            node["scale"] = json!([0, 0, 0]);
        }
        set_unless_empty(&mut node, "children", quads.to_vec());
        node
    }

    /// A node that shows a frame.
    fn quad(&mut self, key: (usize, bool), is_shown: bool) -> usize {
        let mesh = self.mesh(key);
        let mut node = json!({ "mesh": mesh });
        if !is_shown {
            node["scale"] = json!([0, 0, 0]);
        }
        self.nodes.push(text_of(&node));
        self.nodes.len() - 1
    }

    fn mesh(&mut self, key: (usize, bool)) -> usize {
        if let Some(&mesh) = self.mesh_of.get(&key) {
            return mesh;
        }
        let (frame, mirrored) = key;
        let entry = &self.subject.manifest.frames[frame];
        let page = self.subject.manifest.pages[entry.page].size;
        let shape = quads::shape(entry, &self.subject.frames[frame], page, self.options.unit, mirrored);
        let count = shape.corners.len();
        let positions = self.buffer.add(Kind::Positions, &shape.corners.concat());
        let uvs = self.buffer.add(Kind::Uvs, &shape.uvs.concat());
        let mut attributes = json!({ "POSITION": positions, "TEXCOORD_0": uvs });
        if self.has_normals[entry.page] {
            attributes["NORMAL"] = json!(self.buffer.add(Kind::Normals, &[0.0, 0.0, 1.0].repeat(count)));
            // The tangent is right on the drawing; its sign says which way is up.
            let side = if mirrored { -1.0 } else { 1.0 };
            attributes["TANGENT"] =
                json!(self.buffer.add(Kind::Tangents, &[side, 0.0, 0.0, side].repeat(count)));
        }
        let indices = self.buffer.indices(&shape.triangles);
        let mut mesh = json!({
            "name": full_name(&entry.sprite, &entry.name),
            "primitives": [{ "attributes": attributes, "indices": indices, "material": entry.page }],
        });
        let mut extras = Map::new();
        if !entry.boxes.is_empty() {
            extras.insert("boxes".to_owned(), json!(entry.boxes));
        }
        if let Some(nine) = entry.nine {
            extras.insert("nine".to_owned(), json!(nine));
        }
        if !extras.is_empty() {
            extras.insert("canvas".to_owned(), json!(entry.canvas));
            extras.insert("pivot".to_owned(), json!(entry.pivot));
            mesh["extras"] = Value::Object(extras);
        }
        self.meshes.push(text_of(&mesh));
        self.mesh_of.insert(key, self.meshes.len() - 1);
        self.meshes.len() - 1
    }

    fn animations(&mut self) -> Result<(), ExportError> {
        for clip in 0..self.subject.clips.len() {
            let entry = &self.subject.manifest.clips[clip];
            let name = full_name(&entry.sprite, &entry.name);
            let facts = &self.subject.clips[clip];
            let starts = times::starts(facts, entry.timescale, &name)?;
            let mut samplers = Samplers::default();
            let mut channels = Vec::new();
            let ends = [starts[0], *starts.last().expect("a clip has a start and an end")];
            // At rest the first clip shows, so only that one has to go; what is not driven is as at rest.
            for other in if clip == 0 { vec![0] } else { vec![0, clip] } {
                let switching = Switching { times: ends.to_vec(), on: vec![other == clip; 2] };
                channels.push(channel(samplers.add(&mut self.buffer, &switching), self.clip_nodes[other]));
            }
            for quad in &self.quads[clip] {
                // A figure that never changes is shown at rest.
                if quad.steps.len() == facts.playback.len() {
                    continue;
                }
                let switching = times::switching(&starts, &quad.steps);
                channels.push(channel(samplers.add(&mut self.buffer, &switching), quad.node));
            }
            let events = facts.playback.iter().filter_map(|step| {
                step.event.as_ref().map(|event| json!({ "seconds": step.start_seconds, "name": event }))
            });
            let events: Vec<Value> = events.collect();
            let mut extras = json!({
                "sprite": entry.sprite, "clip": entry.name, "play": entry.play, "plays": entry.plays,
            });
            if !events.is_empty() {
                extras["events"] = json!(events);
            }
            let samplers = samplers.all;
            self.animations.push(text_of(&Animation { name: &name, samplers, channels, extras }));
        }
        Ok(())
    }

    fn files(mut self, path: &Path) -> Result<Vec<File>, ExportError> {
        let is_smooth = |page: &crate::manifest::PageEntry| page.sampling == Some(Sampling::Smooth);
        const NEAREST: u32 = 9728;
        const LINEAR: u32 = 9729;
        const CLAMP: u32 = 33071;
        let sampler =
            |filter: u32| json!({ "magFilter": filter, "minFilter": filter, "wrapS": CLAMP, "wrapT": CLAMP });
        let has_smooth = self.subject.manifest.pages.iter().any(is_smooth);
        let samplers =
            if has_smooth { vec![sampler(NEAREST), sampler(LINEAR)] } else { vec![sampler(NEAREST)] };
        let (mut bytes, mut views, accessors) = self.buffer.finished();
        for (image, picture) in self.images.iter_mut().zip(&self.pictures) {
            bytes.resize(bytes.len().next_multiple_of(4), 0);
            image["bufferView"] = json!(views.len());
            views.push(json!({ "buffer": 0, "byteOffset": bytes.len(), "byteLength": picture.len() }));
            bytes.extend(picture);
        }
        bytes.resize(bytes.len().next_multiple_of(4), 0);
        if self.options.container == Container::Text && !bytes.is_empty() {
            // No view looks at it: what a `.bin` has for a comment.
            bytes.extend(seal::PLACEHOLDER.as_bytes());
        }
        let binary = sibling_path(path, ".bin");
        let buffer = (!bytes.is_empty()).then(|| {
            let mut buffer = json!({ "byteLength": bytes.len() });
            if self.options.container == Container::Text {
                let name = binary.file_name().unwrap_or_default().to_string_lossy();
                buffer["uri"] = json!(escape_url_path(&name));
            }
            json!([buffer])
        });
        let is_unlit = self.materials.iter().any(|material| material.get("extensions").is_some());
        let document = Document {
            asset: json!({ "version": "2.0", "generator": seal::PLACEHOLDER }),
            scene: 0,
            scenes: json!([{ "name": self.subject.stem, "nodes": [0] }]),
            nodes: self.nodes,
            extensions_used: is_unlit.then(|| json!(["KHR_materials_unlit"])),
            meshes: self.meshes,
            animations: self.animations,
            materials: self.materials,
            textures: self.textures,
            images: self.images,
            samplers,
            accessors,
            buffer_views: views,
            buffers: buffer,
        };
        let text = serde_json::to_vec(&document).map_err(|error| ExportError::Encode(error.to_string()))?;
        Ok(match self.options.container {
            Container::Binary => vec![File::new(path, seal::fill(binary_file(text, &bytes)))],
            Container::Text => {
                let mut files = vec![File::new(path, seal::fill(text))];
                if !bytes.is_empty() {
                    files.push(File::new(binary, seal::fill(bytes)));
                }
                files.extend(self.copies);
                files
            }
        })
    }
}

/// Samplers of one animation; what switches alike shares one.
#[derive(Default)]
struct Samplers {
    all: Vec<Json>,
    known: HashMap<(usize, usize), usize>,
}

impl Samplers {
    fn add(&mut self, buffer: &mut Buffer, switching: &Switching) -> usize {
        let scales: Vec<f32> = switching.on.iter().flat_map(|&on| [f32::from(u8::from(on)); 3]).collect();
        let key = (buffer.add(Kind::Times, &switching.times), buffer.add(Kind::Scales, &scales));
        *self.known.entry(key).or_insert_with(|| {
            self.all.push(text_of(&json!({ "input": key.0, "output": key.1, "interpolation": "STEP" })));
            self.all.len() - 1
        })
    }
}

fn channel(sampler: usize, node: usize) -> Json {
    text_of(&json!({ "sampler": sampler, "target": { "node": node, "path": "scale" } }))
}

/// What a step shows.
fn frame_shown(step: &crate::export::PlayedStep) -> (usize, bool) {
    (step.frame, step.mirror)
}

/// Lists of the format are never empty.
fn set_unless_empty<T: Into<Value>>(object: &mut Value, key: &str, list: Vec<T>) {
    if !list.is_empty() {
        object[key] = list.into_iter().map(Into::into).collect::<Vec<Value>>().into();
    }
}

/// A header and two chunks (glTF 2.0, section 4), each a multiple of four bytes.
fn binary_file(mut json: Vec<u8>, bytes: &[u8]) -> Vec<u8> {
    json.resize(json.len().next_multiple_of(4), b' ');
    let mut chunks = Vec::new();
    let mut chunk = |name: &[u8; 4], data: &[u8]| {
        chunks.extend((data.len() as u32).to_le_bytes());
        chunks.extend(name);
        chunks.extend(data);
    };
    chunk(b"JSON", &json);
    if !bytes.is_empty() {
        chunk(b"BIN\0", bytes);
    }
    let length = (12 + chunks.len()) as u32;
    [&b"glTF"[..], &2u32.to_le_bytes(), &length.to_le_bytes(), &chunks].concat()
}

#[cfg(test)]
mod tests;
