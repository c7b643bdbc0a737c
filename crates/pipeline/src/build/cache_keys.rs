//! The keys under which a build caches frames: digests of everything that they are cut from. When one of many sheets of an
//! atlas changes, only that one is sliced again.

use std::collections::HashSet;
use std::path::PathBuf;

use shibori_formats::store::{Digest, FingerprintCache};

use crate::build::execution::settings_of_figure;
use crate::build::graph::{Graph, ResolvedSprite, Target};
use crate::build::sources::slashed;

/// What the frames of a figure are cut from.
pub(super) struct CacheKey {
    /// Of everything they depend on.
    pub(super) digest: Digest,
    /// Its files, with what they held when the build began.
    pub(super) inputs: Vec<(PathBuf, Digest)>,
}

/// The keys of all figures; none for those that are not cached. Frames of an atlas are: they are needed again when another
/// of its sprites changes. A figure made from outputs of other targets has inputs that are not known yet. If nothing is
/// stale, no key is needed.
pub(super) fn cache_keys(graph: &Graph, is_stale: bool, prints: &FingerprintCache) -> Vec<Option<CacheKey>> {
    let packed: HashSet<usize> = graph.steps.iter().flat_map(Target::packed).copied().collect();
    let key = |(index, figure): (usize, &ResolvedSprite)| {
        let is_cached = is_stale && figure.needs.is_empty() && packed.contains(&index);
        is_cached.then(|| cache_key(graph, index, prints)).flatten()
    };
    graph.figures.iter().enumerate().map(key).collect()
}

fn cache_key(graph: &Graph, figure: usize, prints: &FingerprintCache) -> Option<CacheKey> {
    let mut hasher = blake3::Hasher::new();
    hasher.update(env!("CARGO_PKG_VERSION").as_bytes());
    hasher.update(settings_of_figure(graph, figure).as_bytes());
    let mut inputs = Vec::new();
    for path in &graph.figures[figure].inputs {
        let digest = prints.hash(&graph.base, path).ok()??;
        hasher.update(slashed(path).as_bytes());
        hasher.update(&digest.0);
        inputs.push((path.clone(), digest));
    }
    Some(CacheKey { digest: Digest(*hasher.finalize().as_bytes()), inputs })
}
