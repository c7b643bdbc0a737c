//! glTF 2.0: every frame a quad about its pivot, every clip an animation that shows one quad at a time.
//!
//! The tree is root › one node per clip › a node for each distinct frame of that clip. What is not shown has the scale 0, which the
//! standard names as the way to animate visibility. At rest the first clip shows its first frame. Each animation drives its own
//! clip node to 1, the first clip's to 0, and those of its own quads that change: stop one animation before another
//! begins, as players do, and what is not driven is as at rest again. Switch clips, never fade between them: half a
//! scale is half a figure.
//!
//! In the order of the data: `quads` lays out corners, `times` says when what is shown, `buffer` keeps the numbers, and
//! this file puts the JSON together. y runs up, the front faces +z, one unit is a pixel unless said otherwise.

mod buffer;
mod quads;
mod times;

use std::collections::HashMap;
use std::path::Path;

use serde_json::{Map, Value, json};

use crate::escape::escape_url_path;
use crate::export::idents::full_name;
use crate::export::{ExportError, ExportSource, File, sibling_path};
use crate::manifest::Sampling;
use crate::store::seal;
use buffer::{Buffer, Kind};
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
    /// Pages that lie elsewhere and must come along.
    copies: Vec<File>,
    /// Page images of a `.glb`, one after another.
    pictures: Vec<Vec<u8>>,
    materials: Vec<Value>,
    meshes: Vec<Value>,
    /// The mesh of a frame, mirrored or not.
    mesh_of: HashMap<(usize, bool), usize>,
    nodes: Vec<Value>,
    /// The node of each clip.
    clip_nodes: Vec<usize>,
    /// For each clip the nodes of its quads, by frame and whether mirrored.
    quads: Vec<Vec<((usize, bool), usize)>>,
    animations: Vec<Value>,
}

impl<'a> Scene<'a> {
    fn new(subject: &'a ExportSource, options: &'a Gltf) -> Self {
        Self {
            subject,
            options,
            buffer: Buffer::default(),
            images: Vec::new(),
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

    /// Images, textures and materials, one of each a page.
    fn pages(&mut self, path: &Path) -> Result<(), ExportError> {
        let folder = path.parent().unwrap_or(Path::new(""));
        for (number, page) in self.subject.manifest.pages.iter().enumerate() {
            let image = &self.subject.pages[number];
            let name = json!(page.file);
            match self.options.container {
                Container::Text => {
                    let refuse =
                        |what| Err(ExportError::Page { page: page.file.clone(), what, format: ".gltf" });
                    if !image.is_png() {
                        return refuse("it is not a PNG");
                    }
                    if self.subject.is_premultiplied(number) {
                        return refuse("its colors are multiplied by alpha");
                    }
                    let (file, copy) = self.subject.page_inside(folder, number);
                    self.copies.extend(copy);
                    let uri = escape_url_path(&file);
                    self.images.push(json!({ "name": name, "uri": uri }));
                }
                Container::Binary => {
                    self.pictures.push(self.subject.unpremultiplied_png(number)?);
                    self.images.push(json!({ "name": name, "mimeType": "image/png" }));
                }
            }
            let mut material = json!({
                "name": name,
                "pbrMetallicRoughness": {
                    "baseColorTexture": { "index": number }, "metallicFactor": 0, "roughnessFactor": 1,
                },
                "doubleSided": true,
                "extensions": { "KHR_materials_unlit": {} },
            });
            if image.is_hard() {
                material["alphaMode"] = json!("MASK");
                material["alphaCutoff"] = json!(0.5);
            } else {
                material["alphaMode"] = json!("BLEND");
            }
            self.materials.push(material);
        }
        Ok(())
    }

    /// The tree. The root is node 0.
    fn nodes(&mut self) {
        self.nodes.push(Value::Null);
        let mut children = Vec::new();
        let mut is_used = vec![false; self.subject.frames.len()];
        for clip in 0..self.subject.clips.len() {
            let node = self.nodes.len();
            self.nodes.push(Value::Null);
            let mut quads: Vec<((usize, bool), usize)> = Vec::new();
            let first = frame_shown(&self.subject.clips[clip].playback[0]);
            for step in &self.subject.clips[clip].playback {
                let key = frame_shown(step);
                is_used[key.0] = true;
                if self.subject.frames[key.0].blank || quads.iter().any(|(other, _)| *other == key) {
                    continue;
                }
                quads.push((key, self.quad(key, key == first)));
            }
            let quad_nodes: Vec<usize> = quads.iter().map(|(_, node)| *node).collect();
            self.nodes[node] = self.clip_node(clip, &quad_nodes);
            children.push(node);
            self.clip_nodes.push(node);
            self.quads.push(quads);
        }
        for frame in (0..is_used.len()).filter(|&at| !is_used[at] && !self.subject.frames[at].blank) {
            children.push(self.quad((frame, false), false));
        }
        let mut root = json!({ "name": self.subject.stem });
        set_unless_empty(&mut root, "children", children);
        self.nodes[0] = root;
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
        self.nodes.push(node);
        self.nodes.len() - 1
    }

    fn mesh(&mut self, key: (usize, bool)) -> usize {
        if let Some(&mesh) = self.mesh_of.get(&key) {
            return mesh;
        }
        let (frame, mirrored) = key;
        let entry = &self.subject.manifest.frames[frame];
        let page = self.subject.manifest.pages[entry.page].size;
        let corners = quads::corners(&self.subject.frames[frame], self.options.unit, mirrored);
        let positions = self.buffer.add(Kind::Positions, &corners.concat());
        let uvs = self.buffer.add(Kind::Uvs, &quads::uvs(entry, page, mirrored).concat());
        let mut mesh = json!({
            "name": full_name(&entry.sprite, &entry.name),
            "primitives": [{
                "attributes": { "POSITION": positions, "TEXCOORD_0": uvs },
                "indices": self.buffer.quad_indices(), "material": entry.page,
            }],
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
        self.meshes.push(mesh);
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
            for &(key, node) in &self.quads[clip] {
                let switching = times::switching(facts, &starts, |step| frame_shown(step) == key);
                // A figure that never changes is shown at rest.
                if key == frame_shown(&facts.playback[0]) && switching.on.iter().all(|on| *on) {
                    continue;
                }
                channels.push(channel(samplers.add(&mut self.buffer, &switching), node));
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
            let animation = json!({
                "name": name, "samplers": samplers.all, "channels": channels, "extras": extras,
            });
            self.animations.push(animation);
        }
        Ok(())
    }

    fn files(mut self, path: &Path) -> Result<Vec<File>, ExportError> {
        let is_smooth = |page: &crate::manifest::Page| page.sampling == Some(Sampling::Smooth);
        let textures: Vec<Value> = self
            .subject
            .manifest
            .pages
            .iter()
            .enumerate()
            .map(|(page, entry)| json!({ "source": page, "sampler": usize::from(is_smooth(entry)) }))
            .collect();
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
        let mut json = json!({
            "asset": { "version": "2.0", "generator": seal::PLACEHOLDER },
            "extensionsUsed": ["KHR_materials_unlit"],
            "scene": 0,
            "scenes": [{ "name": self.subject.stem, "nodes": [0] }],
            "nodes": self.nodes,
        });
        for (key, list) in [
            ("meshes", self.meshes),
            ("animations", self.animations),
            ("materials", self.materials),
            ("textures", textures),
            ("images", self.images),
            ("samplers", samplers),
            ("accessors", accessors),
            ("bufferViews", views),
        ] {
            set_unless_empty(&mut json, key, list);
        }
        if !bytes.is_empty() {
            let mut buffer = json!({ "byteLength": bytes.len() });
            if self.options.container == Container::Text {
                let name = binary.file_name().unwrap_or_default().to_string_lossy();
                buffer["uri"] = json!(escape_url_path(&name));
            }
            json["buffers"] = json!([buffer]);
        }
        let text = serde_json::to_vec(&json).map_err(|error| ExportError::Encode(error.to_string()))?;
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
    all: Vec<Value>,
    known: HashMap<(usize, usize), usize>,
}

impl Samplers {
    fn add(&mut self, buffer: &mut Buffer, switching: &Switching) -> usize {
        let scales: Vec<f32> = switching.on.iter().flat_map(|&on| [f32::from(u8::from(on)); 3]).collect();
        let key = (buffer.add(Kind::Times, &switching.times), buffer.add(Kind::Scales, &scales));
        *self.known.entry(key).or_insert_with(|| {
            self.all.push(json!({ "input": key.0, "output": key.1, "interpolation": "STEP" }));
            self.all.len() - 1
        })
    }
}

fn channel(sampler: usize, node: usize) -> Value {
    json!({ "sampler": sampler, "target": { "node": node, "path": "scale" } })
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
