//! The numbers of a scene: equal lists are kept once, each kind in a view of its own.
//! Written here because the gltf crate reads scenes and builds none.

use std::collections::HashMap;

use serde_json::{Value, json};

use super::{Json, text_of};

/// What a list of numbers is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Kind {
    /// Corners.
    Positions,
    /// Shares of a page.
    Uvs,
    /// Seconds.
    Times,
    /// Three a key.
    Scales,
    /// Which way a corner faces.
    Normals,
    /// Right on a picture, and the sign that says which way is up.
    Tangents,
}

const KINDS: [Kind; 6] =
    [Kind::Positions, Kind::Uvs, Kind::Times, Kind::Scales, Kind::Normals, Kind::Tangents];

impl Kind {
    /// Numbers of one element, and what the standard calls it.
    fn shape(self) -> (usize, &'static str) {
        match self {
            Self::Positions | Self::Scales | Self::Normals => (3, "VEC3"),
            Self::Tangents => (4, "VEC4"),
            Self::Uvs => (2, "VEC2"),
            Self::Times => (1, "SCALAR"),
        }
    }

    fn is_of_corners(self) -> bool {
        matches!(self, Self::Positions | Self::Uvs | Self::Normals | Self::Tangents)
    }
}

/// Lists of numbers as they are collected.
#[derive(Default)]
pub(super) struct Buffer {
    /// The bytes of each kind.
    bytes: [Vec<u8>; 6],
    accessors: Vec<Accessor>,
    known: HashMap<(Kind, Vec<u32>), usize>,
    indices: Vec<u8>,
    known_indices: HashMap<Vec<u16>, usize>,
}

enum Accessor {
    Indices {
        offset: usize,
        count: usize,
    },
    Numbers {
        kind: Kind,
        offset: usize,
        count: usize,
        /// Smallest and largest, where the standard asks for them.
        bounds: Option<(Vec<f32>, Vec<f32>)>,
    },
}

impl Buffer {
    /// The accessor of a list.
    pub(super) fn add(&mut self, kind: Kind, numbers: &[f32]) -> usize {
        let key = (kind, numbers.iter().map(|number| number.to_bits()).collect());
        if let Some(&accessor) = self.known.get(&key) {
            return accessor;
        }
        let bytes = &mut self.bytes[kind as usize];
        let offset = bytes.len();
        bytes.extend(numbers.iter().flat_map(|number| number.to_le_bytes()));
        let (width, _) = kind.shape();
        let bound = |better: fn(f32, f32) -> f32| -> Vec<f32> {
            let column = |at: usize| numbers.iter().skip(at).step_by(width).copied().reduce(better);
            (0..width).map(|at| column(at).unwrap_or(0.0)).collect()
        };
        let has_bounds = matches!(kind, Kind::Positions | Kind::Times);
        let bounds = has_bounds.then(|| (bound(f32::min), bound(f32::max)));
        self.accessors.push(Accessor::Numbers { kind, offset, count: numbers.len() / width, bounds });
        self.known.insert(key, self.accessors.len() - 1);
        self.accessors.len() - 1
    }

    /// The accessor of triangles.
    pub(super) fn indices(&mut self, triangles: &[u16]) -> usize {
        if let Some(&accessor) = self.known_indices.get(triangles) {
            return accessor;
        }
        self.accessors.push(Accessor::Indices { offset: self.indices.len(), count: triangles.len() });
        self.indices.extend(triangles.iter().flat_map(|corner| corner.to_le_bytes()));
        self.known_indices.insert(triangles.to_vec(), self.accessors.len() - 1);
        self.accessors.len() - 1
    }

    /// All bytes, the views of them, and the accessors.
    pub(super) fn finished(&mut self) -> (Vec<u8>, Vec<Value>, Vec<Json>) {
        const FLOAT: u32 = 5126;
        const SHORT: u32 = 5123;
        const CORNERS: u32 = 34962;
        const TRIANGLES: u32 = 34963;
        let mut all = Vec::new();
        let mut views = Vec::new();
        let mut view_of = HashMap::new();
        for kind in KINDS.into_iter().filter(|&kind| !self.bytes[kind as usize].is_empty()) {
            let bytes = &self.bytes[kind as usize];
            let mut view = json!({ "buffer": 0, "byteOffset": all.len(), "byteLength": bytes.len() });
            if kind.is_of_corners() {
                view["byteStride"] = json!(kind.shape().0 * 4);
                view["target"] = json!(CORNERS);
            }
            view_of.insert(kind, views.len());
            views.push(view);
            all.extend(bytes);
        }
        let indices_view = views.len();
        if !self.indices.is_empty() {
            let bytes = &self.indices;
            views.push(json!({
                "buffer": 0, "byteOffset": all.len(), "byteLength": bytes.len(), "target": TRIANGLES,
            }));
            all.extend(bytes);
        }
        let accessor = |accessor: &Accessor| match accessor {
            Accessor::Indices { offset, count } => {
                let mut entry = json!({
                    "bufferView": indices_view, "componentType": SHORT, "count": count, "type": "SCALAR",
                });
                if *offset > 0 {
                    entry["byteOffset"] = json!(offset);
                }
                entry
            }
            Accessor::Numbers { kind, offset, count, bounds } => {
                let mut entry = json!({
                    "bufferView": view_of[kind], "componentType": FLOAT, "count": count, "type": kind.shape().1,
                });
                if *offset > 0 {
                    entry["byteOffset"] = json!(offset);
                }
                if let Some((least, most)) = bounds {
                    // As 64 bits, the text is the exact value of the 32.
                    entry["min"] = least.iter().map(|&number| f64::from(number)).collect();
                    entry["max"] = most.iter().map(|&number| f64::from(number)).collect();
                }
                entry
            }
        };
        (all, views, self.accessors.iter().map(|one| text_of(&accessor(one))).collect())
    }
}
